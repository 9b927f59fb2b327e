<!-- What the ground or a layer looks like: what is changed about its material, or what its kind is made of. -->
<script lang="ts">
  import { ingredients, kindOf } from "../../state/ingredients";
  import type { Studio } from "../../state/studio.svelte";
  import type { BlendDocument, Layer } from "../../state/types";
  import SettingsOf from "../settings/SettingsOf.svelte";

  const { studio, entry }: { studio: Studio; entry: BlendDocument["ground"] | Layer } = $props();

  const layer = $derived("kind" in entry ? entry : null);
  const settings = $derived.by(() => {
    if (layer) return kindOf(layer.kind).look;
    return "material" in entry && entry.material ? ingredients().ground : ingredients().bare;
  });

  function edit(change: Record<string, unknown>): void {
    if (layer) studio.documents.editLayer(layer.id, change as Partial<Layer>);
    else studio.documents.edit((d) => ({ ...d, ground: { ...d.ground, ...change } }));
  }
</script>

<SettingsOf {studio} {settings} document={entry as unknown as Record<string, unknown>} onchange={edit} />
