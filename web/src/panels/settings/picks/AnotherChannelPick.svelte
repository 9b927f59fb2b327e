<!-- A channel beside the document; the first of the surface until one is picked. -->
<script lang="ts">
  import type { ChannelAddress } from "../../../state/types";
  import Choice from "../../../ui/Choice.svelte";
  import type { PickProps } from "../picks";

  const { studio, setting, document, onchange }: PickProps = $props();
  const picked = $derived(document[setting.key!] as ChannelAddress | undefined);
</script>

<Choice
  label={setting.title!}
  tip={setting.about!}
  value={picked
    ? `${picked.channel_set}/${picked.channel}`
    : (studio.selection.channelChoices[0]?.value ?? "")}
  choices={studio.selection.channelChoices}
  onchange={(v) => {
    const [channel_set, channel] = v.split("/");
    onchange({ [setting.key!]: { channel_set, channel: Number(channel) } });
  }}
/>
