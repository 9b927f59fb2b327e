<!-- A picture of the project, or one that is brought now. -->
<script lang="ts">
  import { bringPicture } from "../../../state/pictures";
  import { PLAIN } from "../../../ui/button";
  import Choice from "../../../ui/Choice.svelte";
  import type { PickProps } from "../picks";

  const { studio, setting, document, onchange }: PickProps = $props();
  const key = $derived(setting.key!);

  async function bring(): Promise<void> {
    const picture = await bringPicture(studio);
    if (picture) onchange({ [key]: picture });
  }
</script>

<div class="flex gap-1">
  <div class="min-w-0 flex-1">
    <Choice
      label={setting.title!}
      tip={setting.about!}
      value={String(document[key])}
      choices={studio.documents.stencils.map((s) => ({
        value: s.id,
        name: s.name,
        picture: `/api/stencils/${s.id}/image`,
      }))}
      onchange={(picture) => onchange({ [key]: picture })}
    />
  </div>
  <button type="button" class={PLAIN} title="Bring a PNG or JPEG of your own" onclick={bring}>Add</button>
</div>
