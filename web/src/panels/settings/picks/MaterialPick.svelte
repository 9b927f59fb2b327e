<!-- A material of the project. -->
<script lang="ts">
  import { picturePath } from "../../../state/server";
  import Choice from "../../../ui/Choice.svelte";
  import type { PickProps } from "../picks";

  const { studio, setting, document, onchange }: PickProps = $props();
  const key = $derived(setting.key!);
</script>

<Choice
  label={setting.title!}
  tip={setting.about!}
  value={String(document[key])}
  choices={studio.documents.materials.map((m) => ({
    value: m.id,
    name: m.name,
    picture: picturePath(m.id, m.revision),
  }))}
  onchange={(material) => onchange({ [key]: material })}
/>
<div class="h-1"></div>
