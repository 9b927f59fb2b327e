<script lang="ts">
  import { Tooltip } from "bits-ui";
  import { Toaster } from "svelte-sonner";

  import StartPage from "./pages/StartPage.svelte";
  import StudioPage from "./pages/StudioPage.svelte";
  import { route } from "./state/route.svelte";
  import { theme } from "./state/theme.svelte";
  import Tips from "./ui/Tips.svelte";
</script>

<Tooltip.Provider delayDuration={450} skipDelayDuration={150}>
  {#if route.surface}
    {#key route.surface}<StudioPage surface={route.surface} />{/key}
  {:else}
    <StartPage />
  {/if}
  <Tips />
</Tooltip.Provider>
<Toaster theme={theme.name} position="bottom-center" offset={{ bottom: 96 }} richColors={false} closeButton />
