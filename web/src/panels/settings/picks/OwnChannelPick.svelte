<!-- The channel that the document itself names. -->
<script lang="ts">
  import Choice from "../../../ui/Choice.svelte";
  import type { PickProps } from "../picks";

  const { studio, setting, document, onchange }: PickProps = $props();
</script>

<Choice
  label={setting.title!}
  tip={setting.about!}
  value="{document['channel_set']}/{document['channel']}"
  choices={studio.selection.channelChoices}
  onchange={(v) => {
    const [channel_set, channel] = v.split("/");
    onchange({ channel_set, channel: Number(channel) });
  }}
/>
