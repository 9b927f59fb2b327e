<!-- Places on the surface, one after another. -->
<script lang="ts">
  import { PLAIN, QUIET } from "../../../ui/button";
  import type { PickProps } from "../picks";
  import SettingRow from "../SettingRow.svelte";

  const { studio, setting, document, onchange }: PickProps = $props();
  const key = $derived(setting.key!);
  const places = $derived((document[key] ?? []) as [number, number, number][]);

  function pick(): void {
    if (studio.selection.line) {
      studio.selection.line = null;
      return;
    }
    studio.selection.line = { places: [], changed: (line) => line.length >= 2 && onchange({ [key]: line }) };
  }
  // A line is picked for this document and no other.
  $effect(() => () => (studio.selection.line = null));
</script>

<SettingRow {setting}>
  <div class="flex items-center justify-end gap-2">
    <span class="text-soft text-sm">
      {studio.selection.line
        ? `${studio.selection.line.places.length} picked; Enter ends`
        : places.length
          ? `${places.length} places`
          : "none yet"}
    </span>
    <button
      type="button"
      class={studio.selection.line ? PLAIN : QUIET}
      aria-pressed={studio.selection.line !== null}
      title="Click places on the surface, one after another; Backspace takes the last away, Enter ends"
      onclick={pick}>{studio.selection.line ? "Done" : "Pick"}</button
    >
  </div>
</SettingRow>
