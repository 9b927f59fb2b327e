<!-- Where one begins: projects, their surfaces and materials, and a mesh dropped anywhere. -->
<script lang="ts">
  import Moon from "@lucide/svelte/icons/moon";
  import Plus from "@lucide/svelte/icons/plus";
  import Sun from "@lucide/svelte/icons/sun";
  import Upload from "@lucide/svelte/icons/upload";
  import { onMount } from "svelte";

  import MaterialUpload from "../panels/MaterialUpload.svelte";
  import UploadLine from "../panels/UploadLine.svelte";
  import { acceptsFiles } from "../ui/acceptsFiles";
  import { Projects } from "../state/projects.svelte";
  import { route } from "../state/route.svelte";
  import { picturePath } from "../state/server";
  import { theme } from "../state/theme.svelte";
  import { tellError } from "../state/told";
  import { MAIN, QUIET } from "../ui/button";
  import IconButton from "../ui/IconButton.svelte";
  import Mark from "./Mark.svelte";
  import Bin from "./start/Bin.svelte";
  import ImportCard from "./start/ImportCard.svelte";
  import ProjectList from "./start/ProjectList.svelte";
  import SurfaceCards from "./start/SurfaceCards.svelte";
  import TerrainCard from "./start/TerrainCard.svelte";

  const projects = new Projects();
  let dragging = $state(false);
  let uploading = $state(false);
  let naming = $state(false);
  let binShown = $state(false);
  let picker = $state<HTMLInputElement>();

  const open = $derived(projects.open);
  const busy = $derived(projects.sending !== null || projects.taking);

  onMount(() => void projects.load());
  $effect(() => {
    const wanted = route.project;
    if (wanted !== projects.open?.id && projects.all?.some((p) => p.id === wanted))
      void projects.show(wanted!).catch(tellError);
  });
  $effect(() => route.title(binShown ? "Bin" : (open?.name ?? null)));

  function bring(files: FileList | null | undefined): void {
    void projects.bring([...(files ?? [])]);
  }
</script>

<svelte:window
  ondragover={(e) => {
    if (!e.dataTransfer?.types.includes("Files")) return;
    e.preventDefault();
    dragging = true;
  }}
  ondragleave={(e) => {
    if (!e.relatedTarget) dragging = false;
  }}
  ondrop={(e) => {
    e.preventDefault();
    dragging = false;
    bring(e.dataTransfer?.files);
  }}
/>

<div class="flex h-full flex-col">
  <header class="bg-panel border-line flex h-12 shrink-0 items-center gap-2.5 border-b px-4">
    <Mark />
    <span class="font-semibold">Ash Blend</span>
    <span class="ml-auto">
      <IconButton
        label={theme.name === "dark" ? "Light interface" : "Dark interface"}
        onclick={() => theme.flip()}
      >
        {#if theme.name === "dark"}<Sun size={17} />{:else}<Moon size={17} />{/if}
      </IconButton>
    </span>
  </header>

  <div class="flex min-h-0 flex-1">
    <ProjectList {projects} bind:binShown bind:naming />

    <main class="min-w-0 flex-1 overflow-y-auto p-6">
      {#if binShown}
        <Bin {projects} />
      {:else if projects.all !== null}
        <div class="mx-auto max-w-4xl">
          <h1 class="text-xl font-semibold">{open?.name ?? "Begin with a mesh or a terrain"}</h1>
          {#if !open}
            <p class="text-soft mt-1 max-w-xl">
              Drop one below and paint on it at once; a first project is made for it, with materials to begin
              with. Or make a project yourself: a harbour, a cliff, one level of a game.
            </p>
          {/if}

          <div
            class="mt-4 flex items-center gap-4 rounded-xl border border-dashed px-5 py-5
              {dragging ? 'border-accent bg-raised' : 'border-soft/50'}"
          >
            <Upload size={22} class="text-accent shrink-0" />
            {#if projects.sending}
              <div class="min-w-0 flex-1">
                <p class="truncate font-medium">{projects.sending}</p>
                <UploadLine upload={projects.upload} what="the mesh" />
              </div>
            {:else}
              <div class="min-w-0 flex-1">
                <p class="font-medium">
                  {dragging
                    ? "Let it go anywhere here"
                    : projects.taking
                      ? "Taking it in …"
                      : "Drop a mesh or a height map anywhere here to paint it"}
                </p>
                <p class="text-soft text-sm">
                  Meshes: GLB, glTF with its parts, PLY, OBJ, or a zip of it. Terrain: PNG, TIFF, EXR, NPY or
                  raw heights, whole or in square regions. Your file is never changed.
                </p>
              </div>
              <button type="button" class={MAIN} disabled={busy} onclick={() => picker?.click()}>
                Choose a file
              </button>
            {/if}
            <input
              bind:this={picker}
              type="file"
              class="hidden"
              multiple
              use:acceptsFiles={["meshes", "parts", "heights"]}
              aria-label="Mesh file"
              onchange={(e) => {
                bring(e.currentTarget.files);
                e.currentTarget.value = "";
              }}
            />
          </div>
          {#if projects.refused}
            <div class="border-warn mt-3 rounded-lg border px-4 py-3" role="alert">
              <p>
                <span class="text-warn font-medium">{projects.refused.file} was not taken.</span>
                {projects.refused.problem}
              </p>
              <p class="text-soft text-sm">{projects.refused.remedy} Nothing was kept of it.</p>
            </div>
          {/if}

          {#if open}
            <h2 class="text-soft mt-7 mb-2 text-sm font-semibold">Surfaces</h2>
            {#if open.surfaces.length === 0}
              <p class="text-soft text-sm">
                None yet. A surface is a mesh or a terrain with its channels, its layers and its history.
              </p>
            {/if}
            <SurfaceCards {projects} surfaces={open.surfaces} />

            <div class="mt-7 mb-2 flex items-center justify-between">
              <h2 class="text-soft text-sm font-semibold">Materials</h2>
              <button type="button" class={QUIET} onclick={() => (uploading = true)}
                ><Plus size={15} /> Add material</button
              >
            </div>
            <ul class="flex flex-wrap gap-4">
              {#each open.materials as material (material.id)}
                <li class="w-28">
                  <img
                    src={picturePath(material.id, material.revision)}
                    alt=""
                    class="aspect-square w-full rounded-lg object-cover"
                    loading="lazy"
                  />
                  <span class="mt-1.5 block truncate text-sm">{material.name}</span>
                  <span class="num text-soft">{material.size} px · {material.maps.length} maps</span>
                </li>
              {/each}
            </ul>
          {/if}
        </div>
        {#if open}
          <MaterialUpload project={open.id} bind:open={uploading} onadded={() => projects.load()} />
        {/if}
      {/if}
    </main>
  </div>
</div>
{#if projects.lookedHeights}
  {#key projects.lookedHeights}
    <TerrainCard
      looked={projects.lookedHeights}
      busy={projects.taking}
      ontake={(looked, taking) => void projects.takeHeights(looked, taking)}
      onleave={() => (projects.lookedHeights = null)}
    />
  {/key}
{/if}
{#if projects.looked}
  {#key projects.looked}
    <ImportCard
      looked={projects.looked}
      busy={projects.taking}
      ontake={(placing) => projects.looked && void projects.take(projects.looked, placing)}
      onleave={() => (projects.looked = null)}
    />
  {/key}
{/if}
