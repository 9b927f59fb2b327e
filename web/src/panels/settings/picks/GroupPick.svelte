<!-- A group of the surface, or the faces that are chosen made into one. -->
<script lang="ts">
  import { PLAIN } from "../../../ui/button";
  import Choice from "../../../ui/Choice.svelte";
  import ChosenFaces from "../../ChosenFaces.svelte";
  import type { PickProps } from "../picks";
  import SettingRow from "../SettingRow.svelte";

  const { studio, setting, document, onchange }: PickProps = $props();
  const key = $derived(setting.key!);

  async function groupChosen(): Promise<void> {
    const name = await studio.preparing.groupFaces("chosen");
    if (name !== null) onchange({ [key]: name });
  }
</script>

<SettingRow {setting}>
  <Choice
    label={setting.title!}
    tip={setting.about!}
    value={String(document[key])}
    empty="Choose a group"
    choices={studio.groups.map(({ name }) => ({ value: name, name }))}
    onchange={(group) => onchange({ [key]: group })}
  />
  <div class="col-span-2 mt-1">
    <ChosenFaces {studio} />
    {#if studio.selection.chosen.size}
      <button
        type="button"
        class="{PLAIN} mt-1 w-full"
        title="Make a group of the faces that are chosen, and take it"
        onclick={() => void groupChosen()}>A group of them</button
      >
    {/if}
  </div>
</SettingRow>
