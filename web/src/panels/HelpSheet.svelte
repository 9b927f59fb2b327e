<script lang="ts">
  import { KEYS, VIEW_KEYS } from "../state/keys";
  import Sheet from "../ui/Sheet.svelte";

  let { open = $bindable() }: { open: boolean } = $props();

  const parts = [
    { title: "Paint and look", keys: KEYS },
    { title: "Move the view", keys: VIEW_KEYS },
  ];
</script>

<Sheet
  title="Keys and gestures"
  about="Left drag or the pen paints. Everything else moves the view."
  bind:open
>
  {#each parts as part (part.title)}
    <h3 class="text-soft mt-2 mb-1 text-sm font-semibold">{part.title}</h3>
    <dl class="divide-line mb-4 divide-y">
      {#each part.keys as key (key.name)}
        <div class="flex items-baseline justify-between gap-4 py-1.5 text-sm">
          <dt>{key.about}</dt>
          <dd class="num text-soft shrink-0">{key.name}</dd>
        </div>
      {/each}
    </dl>
  {/each}
</Sheet>
