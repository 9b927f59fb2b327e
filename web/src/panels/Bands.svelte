<!-- A first blend of a terrain: bands by height, slope and water, each of a material that the artist chooses. -->
<script lang="ts">
  import { answer, picturePath, server } from "../state/server";
  import type { Studio } from "../state/studio.svelte";
  import { tellError } from "../state/told";
  import type { BandView } from "../state/types";
  import { MAIN, QUIET } from "../ui/button";
  import Choice from "../ui/Choice.svelte";

  const { studio, ondone }: { studio: Studio; ondone: () => void } = $props();

  const NONE = "none";
  const COAT = "coat";
  const path = $derived({ ident: studio.surface.id });
  let bands = $state.raw<BandView[] | null>(null);
  let chosen = $state<Record<string, string>>({});
  let busy = $state(false);

  const materials = $derived(studio.documents.materials);
  const cells = $derived(studio.ownSets.find((s) => s.sites.kind === "cells"));

  $effect(() => {
    answer<BandView[]>(server.GET("/api/surfaces/{ident}/bands", { params: { path } })).then((found) => {
      bands = found;
      for (const band of found) chosen[band.name] ??= band.material ?? COAT;
    }, tellError);
  });

  async function lay(): Promise<void> {
    if (!cells) return;
    busy = true;
    const wanted = Object.fromEntries(
      Object.entries(chosen)
        .filter(([, id]) => id !== NONE)
        .map(([name, id]) => [name, id === COAT ? null : id]),
    );
    try {
      await answer(
        server.POST("/api/surfaces/{ident}/bands", {
          params: { path },
          body: { channel_set: cells.id, materials: wanted },
        }),
      );
      ondone();
    } catch (error) {
      tellError(error);
    } finally {
      busy = false;
    }
  }
</script>

<section class="mt-3" aria-label="Bands">
  <p class="text-soft text-sm">
    By the heights, slopes and water of this ground. Each becomes a layer over a channel, whose rule and paint
    stay yours to change.
  </p>
  {#if bands}
    <ul class="mt-2 space-y-1.5">
      {#each [...bands].reverse() as band (band.name)}
        <li>
          <p class="text-sm">{band.name} <span class="text-soft">· {band.about.toLowerCase()}</span></p>
          <Choice
            label="Material of {band.name}"
            tip={band.about}
            value={chosen[band.name] ?? NONE}
            choices={[
              ...(band.covers ? [{ value: NONE, name: "Leave it out" }] : []),
              ...(band.coats ? [{ value: COAT, name: "A coat of water" }] : []),
              ...materials.map((m) => ({
                value: m.id,
                name: m.name,
                picture: picturePath(m.id, m.revision),
              })),
            ]}
            onchange={(id) => (chosen[band.name] = id)}
          />
        </li>
      {/each}
    </ul>
    <div class="mt-2 flex gap-2">
      <button type="button" class={MAIN} disabled={busy || !cells} onclick={lay}>
        {busy ? "Laying them …" : "Lay these bands"}
      </button>
      <button type="button" class={QUIET} onclick={ondone}>Back</button>
    </div>
  {:else}
    <p class="text-soft mt-2 text-sm">Looking at the ground …</p>
  {/if}
</section>
