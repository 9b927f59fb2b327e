<script lang="ts">
  import { onDestroy } from "svelte";

  import { route } from "../state/route.svelte";
  import { Failure } from "../state/server";
  import { Studio } from "../state/studio.svelte";
  import type { Told } from "../state/types";
  import { PLAIN } from "../ui/button";
  import StudioFrame from "./StudioFrame.svelte";

  const { surface }: { surface: string } = $props();

  let studio = $state<Studio | null>(null);
  let failed = $state<Told | null>(null);
  let left = false;

  // The page is made anew for another surface, so the first value is the one that counts.
  const ident = (() => surface)();
  Studio.open(ident).then(
    (opened) => {
      if (left) opened.close();
      else studio = opened;
    },
    (error: unknown) => {
      failed =
        error instanceof Failure
          ? error
          : { problem: "The surface cannot be opened.", remedy: "Load the page again." };
      if (!(error instanceof Failure)) console.error(error);
    },
  );
  $effect(() => route.title(studio?.name ?? null));
  onDestroy(() => {
    left = true;
    studio?.close();
  });
</script>

{#if studio}
  <StudioFrame {studio} />
{:else}
  <main class="grid h-full place-items-center">
    {#if failed}
      <div class="max-w-md text-center" role="alert">
        <h1 class="text-lg font-semibold">{failed.problem}</h1>
        <p class="text-soft mt-1">{failed.remedy}</p>
        <button type="button" class="{PLAIN} mt-4" onclick={() => route.go("/")}>To the start page</button>
      </div>
    {:else}
      <p class="text-soft">Opening the surface …</p>
    {/if}
  </main>
{/if}
