<!-- Another channel of the surface than the one at hand. -->
<script lang="ts">
  import type { ChannelAddress } from "../../../state/types";
  import Choice from "../../../ui/Choice.svelte";
  import type { PickProps } from "../picks";
  import SettingRow from "../SettingRow.svelte";

  const { studio, setting, document, onchange }: PickProps = $props();
  const key = $derived(setting.key!);
  const nameOf = (channel: ChannelAddress | null | undefined) =>
    channel ? `${channel.channel_set}/${channel.channel}` : "";
</script>

<SettingRow {setting}>
  <Choice
    label={setting.title!}
    tip={setting.about!}
    value={nameOf(document[key] as ChannelAddress | null)}
    empty="Choose a channel"
    choices={studio.selection.channelChoices.filter(
      (c) => c.value !== nameOf(studio.selection.addressOfBase),
    )}
    onchange={(v) => {
      const [channel_set, channel] = v.split("/");
      onchange({ [key]: { channel_set, channel: Number(channel) } });
    }}
  />
</SettingRow>
