<!-- A channel of another surface or level of the project. -->
<script lang="ts">
  import type { ChannelOf } from "../../../state/types";
  import Choice from "../../../ui/Choice.svelte";
  import type { PickProps } from "../picks";
  import SettingRow from "../SettingRow.svelte";

  const { studio, setting, document, onchange }: PickProps = $props();
  const lenders = $derived(studio.surveys.fitting?.lenders ?? []);
  const nameOf = (channel: ChannelOf | null | undefined) =>
    channel ? `${channel.surface ?? ""}/${channel.channel_set}/${channel.channel}` : "";
</script>

<SettingRow {setting}>
  {#if lenders.length}
    <Choice
      label={setting.title!}
      tip={setting.about!}
      value={nameOf(document[setting.key!] as ChannelOf | null)}
      empty="Choose a channel"
      choices={lenders.map(({ channel, name }) => ({ value: nameOf(channel), name }))}
      onchange={(v) => {
        const found = lenders.find(({ channel }) => nameOf(channel) === v);
        if (found) onchange({ [setting.key!]: found.channel });
      }}
    />
  {:else}
    <span class="text-soft text-sm">No other surface or level is in this project.</span>
  {/if}
</SettingRow>
