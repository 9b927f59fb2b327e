<!-- One of the surfaces that stand around, or whichever is nearest. -->
<script lang="ts">
  import Choice from "../../../ui/Choice.svelte";
  import type { PickProps } from "../picks";
  import SettingRow from "../SettingRow.svelte";

  const { studio, setting, document, onchange }: PickProps = $props();
  const key = $derived(setting.key!);
  const NEAREST = "nearest";
  const standing = $derived.by(() => {
    const { neighbours, others } = studio.around;
    const surfaces = [...new Set(neighbours.map((n) => n.surface))];
    return surfaces.map((value) => ({ value, name: others[value] ?? "…" }));
  });
</script>

<SettingRow {setting}>
  <Choice
    label={setting.title!}
    tip={setting.about!}
    value={document[key] ? String(document[key]) : NEAREST}
    empty="Stands around no more"
    choices={[{ value: NEAREST, name: "The nearest" }, ...standing]}
    onchange={(v) => onchange({ [key]: v === NEAREST ? null : v })}
  />
</SettingRow>
