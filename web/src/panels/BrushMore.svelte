<!-- What a hand needs now and then: pen, stencil, noise, symmetry, steadiness, protection. -->
<script lang="ts">
  import type { Studio } from "../state/studio.svelte";
  import Dabs from "./brush/Dabs.svelte";
  import Grain from "./brush/Grain.svelte";
  import Mirror from "./brush/Mirror.svelte";
  import Pen from "./brush/Pen.svelte";
  import Protect from "./brush/Protect.svelte";
  import Stencil from "./brush/Stencil.svelte";

  const { studio }: { studio: Studio } = $props();
</script>

<div class="mt-2 space-y-3">
  {#each [Dabs, Pen, Stencil, Grain, Mirror, Protect] as Part (Part)}
    <Part {studio} />
  {/each}
</div>
