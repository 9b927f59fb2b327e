<!-- The surfaces of a project, as they were last seen. -->
<script lang="ts">
  import Box from "@lucide/svelte/icons/box";
  import Pencil from "@lucide/svelte/icons/pencil";
  import Trash from "@lucide/svelte/icons/trash-2";

  import type { Projects } from "../../state/projects.svelte";
  import { route } from "../../state/route.svelte";
  import type { SurfaceSummary } from "../../state/types";
  import { PLAIN, QUIET } from "../../ui/button";
  import IconButton from "../../ui/IconButton.svelte";
  import NameField from "../../ui/NameField.svelte";
  import { shownLength, shownSize } from "../../ui/quantity";

  const { projects, surfaces }: { projects: Projects; surfaces: SurfaceSummary[] } = $props();

  let doomed = $state<string | null>(null);
  let renaming = $state<string | null>(null);

  const facts = (f: Record<string, unknown>) => ({
    vertices: Number(f["vertices"]),
    size: f["size"] as number[],
    spacing: Number(f["spacing_median"]),
  });

  const WORDS = new Intl.RelativeTimeFormat("en", { numeric: "auto" });
  function ago(moment: string): string {
    const seconds = (new Date(moment).getTime() - Date.now()) / 1000;
    const [unit, size] = (
      [["day", 86_400], ["hour", 3600], ["minute", 60]] as const
    ).find(([, s]) => -seconds >= s) ?? ["minute", 60]; // prettier-ignore
    return -seconds < 60 ? "just now" : WORDS.format(Math.round(seconds / size), unit);
  }
</script>

<ul class="grid grid-cols-[repeat(auto-fill,minmax(13.5rem,1fr))] gap-4">
  {#each surfaces as surface (surface.id)}
    {@const f = facts(surface.facts)}
    <li class="bg-panel border-line hover:border-soft relative overflow-hidden rounded-lg border">
      <a
        href="/surface/{surface.id}"
        class="block"
        onclick={(e) => {
          e.preventDefault();
          route.go(`/surface/${surface.id}`);
        }}
      >
        {#if surface.view}
          <img
            class="aspect-[8/5] w-full object-cover"
            alt=""
            src="/api/surfaces/{surface.id}/view?at={surface.view}"
            loading="lazy"
          />
        {:else}
          <span class="bg-raised text-soft grid aspect-[8/5] w-full place-items-center"
            ><Box size={28} /></span
          >
        {/if}
        <span class="block px-3 pt-2 pb-2.5">
          {#if renaming !== surface.id}
            <span class="block truncate pr-16 font-medium">{surface.name}</span>
          {:else}
            <span class="block h-[1.18rem]"></span>
          {/if}
          <span class="num text-soft block truncate">{shownSize(f.size)}</span>
          <span class="num text-soft block truncate">
            {f.vertices.toLocaleString("en")}
            {surface.facts["terrain"] ? "heights" : "vertices"}, one every {shownLength(f.spacing)}
          </span>
          <span class="text-soft mt-0.5 block text-sm">Touched {ago(surface.touched_at)}</span>
        </span>
      </a>
      {#if renaming === surface.id}
        <div class="absolute inset-x-2 bottom-[4.1rem]">
          <NameField
            label="New name of {surface.name}"
            value={surface.name}
            ondone={(name) => {
              renaming = null;
              if (name && name !== surface.name) void projects.renameSurface(surface.id, name);
            }}
          />
        </div>
      {:else}
        <div class="absolute right-1.5 bottom-[3.9rem] flex">
          <IconButton small label="Rename {surface.name}" onclick={() => (renaming = surface.id)}>
            <Pencil size={14} />
          </IconButton>
          <IconButton small label="Delete {surface.name}" onclick={() => (doomed = surface.id)}>
            <Trash size={14} />
          </IconButton>
        </div>
      {/if}
      {#if doomed === surface.id}
        <div class="bg-panel/95 absolute inset-0 grid place-content-center gap-3 p-4 text-center text-sm">
          <p>Put {surface.name} with all its paint into the bin?</p>
          <p class="flex justify-center gap-2">
            <button
              type="button"
              class={PLAIN}
              onclick={() => {
                doomed = null;
                void projects.remove("surface", surface.id, surface.name);
              }}>Delete</button
            >
            <button type="button" class={QUIET} onclick={() => (doomed = null)}>Keep</button>
          </p>
        </div>
      {/if}
    </li>
  {/each}
</ul>
