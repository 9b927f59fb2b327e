<script lang="ts">
  import Moon from "@lucide/svelte/icons/moon";
  import Plus from "@lucide/svelte/icons/plus";
  import Sun from "@lucide/svelte/icons/sun";
  import Trash from "@lucide/svelte/icons/trash-2";
  import Upload from "@lucide/svelte/icons/upload";
  import { onMount } from "svelte";

  import MaterialUpload from "../panels/MaterialUpload.svelte";
  import { importMesh, MESH_ENDINGS } from "../state/intake";
  import { route } from "../state/route.svelte";
  import { answer, Failure, picturePath, server } from "../state/server";
  import { theme } from "../state/theme.svelte";
  import { tellError } from "../state/told";
  import type { ProjectSummary, ProjectView, Told } from "../state/types";
  import { MAIN, PLAIN, QUIET } from "../ui/button";
  import IconButton from "../ui/IconButton.svelte";
  import Mark from "./Mark.svelte";

  let projects = $state<ProjectSummary[] | null>(null);
  let open = $state<ProjectView | null>(null);
  let newName = $state("");
  let naming = $state(false);
  let dragging = $state(false);
  let importing = $state<string | null>(null);
  let refused = $state<(Told & { file: string }) | null>(null);
  let doomed = $state<string | null>(null);
  let uploading = $state(false);
  let picker = $state<HTMLInputElement>();

  async function load(choose?: string): Promise<void> {
    try {
      projects = await answer<ProjectSummary[]>(server.GET("/api/projects"));
      const wanted = choose ?? open?.id ?? projects[0]?.id;
      if (wanted && projects.some((p) => p.id === wanted)) await show(wanted);
      else open = null;
    } catch (error) {
      tellError(error);
      projects ??= [];
    }
  }

  async function show(ident: string): Promise<void> {
    open = await answer<ProjectView>(server.GET("/api/projects/{ident}", { params: { path: { ident } } }));
  }

  async function create(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    try {
      const made = await answer<ProjectSummary>(server.POST("/api/projects", { body: { name: newName } }));
      naming = false;
      newName = "";
      await load(made.id);
    } catch (error) {
      tellError(error);
    }
  }

  async function take(files: FileList | null | undefined): Promise<void> {
    const file = files?.[0];
    if (!file || !open || importing) return;
    importing = file.name;
    refused = null;
    try {
      const imported = await importMesh(open.id, file);
      route.go(`/surface/${imported.id}`);
    } catch (error) {
      if (error instanceof Failure)
        refused = { problem: error.problem, remedy: error.remedy, file: file.name };
      else tellError(error);
    } finally {
      importing = null;
    }
  }

  async function remove(ident: string): Promise<void> {
    doomed = null;
    try {
      await answer(server.DELETE("/api/surfaces/{ident}", { params: { path: { ident } } }));
      await load();
    } catch (error) {
      tellError(error);
    }
  }

  const facts = (f: Record<string, unknown>) => ({
    vertices: Number(f["vertices"]),
    triangles: Number(f["triangles"]),
    size: f["size"] as number[],
    spacing: Number(f["spacing_median"]),
  });

  onMount(() => void load());
</script>

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
    <nav class="bg-panel border-line flex w-64 shrink-0 flex-col border-r p-3" aria-label="Projects">
      <h2 class="text-soft px-2 pb-1 text-xs font-semibold">Projects</h2>
      {#each projects ?? [] as project (project.id)}
        <button
          type="button"
          class="flex items-baseline justify-between gap-2 rounded-md px-2 py-2 text-left
            {open?.id === project.id ? 'bg-raised text-ink' : 'text-soft hover:text-ink'}"
          aria-current={open?.id === project.id}
          onclick={() => show(project.id).catch(tellError)}
        >
          <span class="truncate">{project.name}</span>
          <span class="num text-soft shrink-0">{project.surfaces}</span>
        </button>
      {/each}
      {#if naming}
        <form class="mt-2 flex gap-1" onsubmit={create}>
          <!-- svelte-ignore a11y_autofocus -->
          <input
            class="bg-ash border-line h-8 min-w-0 flex-1 rounded-md border px-2 text-sm"
            placeholder="Name of the project"
            aria-label="Name of the project"
            maxlength="60"
            bind:value={newName}
            autofocus
            onkeydown={(e) => e.key === "Escape" && (naming = false)}
          />
          <button class={MAIN} disabled={!newName.trim()}>Create</button>
        </form>
      {:else}
        <button type="button" class="{QUIET} mt-2 justify-start" onclick={() => (naming = true)}>
          <Plus size={15} /> New project
        </button>
      {/if}
    </nav>

    <main class="min-w-0 flex-1 overflow-y-auto p-6">
      {#if open}
        <div class="mx-auto max-w-4xl">
          <h1 class="text-xl font-semibold">{open.name}</h1>

          <!-- svelte-ignore a11y_no_static_element_interactions -->
          <div
            class="mt-4 flex items-center gap-4 rounded-xl border border-dashed px-5 py-5
              {dragging ? 'border-accent bg-raised' : 'border-soft/50'}"
            ondragover={(e) => {
              e.preventDefault();
              dragging = true;
            }}
            ondragleave={() => (dragging = false)}
            ondrop={(e) => {
              e.preventDefault();
              dragging = false;
              void take(e.dataTransfer?.files);
            }}
          >
            <Upload size={22} class="text-accent shrink-0" />
            <div class="min-w-0 flex-1">
              {#if importing}
                <p class="font-medium">Reading {importing} …</p>
                <p class="text-soft text-sm">Large meshes take a few seconds.</p>
              {:else if open.materials.length === 0}
                <p class="font-medium">First add a material for the ground</p>
                <p class="text-soft text-sm">
                  A blend begins with one material that is always there. Then bring a mesh.
                </p>
              {:else}
                <p class="font-medium">Drop a mesh here to paint it</p>
                <p class="text-soft text-sm">
                  GLB, PLY or OBJ. Vertex colours in it become channels; your file is never changed.
                </p>
              {/if}
            </div>
            <input
              bind:this={picker}
              type="file"
              class="hidden"
              accept={MESH_ENDINGS.join(",")}
              aria-label="Mesh file"
              onchange={(e) => {
                void take(e.currentTarget.files);
                e.currentTarget.value = "";
              }}
            />
            {#if open.materials.length === 0}
              <button type="button" class={MAIN} onclick={() => (uploading = true)}>Add a material</button>
            {:else}
              <button
                type="button"
                class={MAIN}
                disabled={importing !== null}
                onclick={() => picker?.click()}
              >
                Choose a file
              </button>
            {/if}
          </div>
          {#if refused}
            <div class="border-warn mt-3 rounded-lg border px-4 py-3" role="alert">
              <p>
                <span class="text-warn font-medium">{refused.file} was not taken.</span>
                {refused.problem}
              </p>
              <p class="text-soft text-sm">{refused.remedy} Nothing was kept of it.</p>
            </div>
          {/if}

          <h2 class="text-soft mt-7 mb-2 text-sm font-semibold">Surfaces</h2>
          {#if open.surfaces.length === 0}
            <p class="text-soft text-sm">
              None yet. A surface is a mesh with its channels, its layers and its history.
            </p>
          {/if}
          <ul class="divide-line border-line divide-y border-y">
            {#each open.surfaces as surface (surface.id)}
              {@const f = facts(surface.facts)}
              <li class="hover:bg-raised/60 flex items-center gap-3 px-2">
                <a
                  href="/surface/{surface.id}"
                  class="min-w-0 flex-1 py-3"
                  onclick={(e) => {
                    e.preventDefault();
                    route.go(`/surface/${surface.id}`);
                  }}
                >
                  <span class="block truncate font-medium">{surface.name}</span>
                  <span class="num text-soft">
                    {f.vertices.toLocaleString("en")} vertices · {f.triangles.toLocaleString("en")} triangles ·
                    {f.size.map((s) => s.toFixed(1)).join(" × ")} m · a site every {(f.spacing * 100).toFixed(
                      1,
                    )} cm
                  </span>
                </a>
                {#if doomed === surface.id}
                  <span class="text-soft text-sm">Delete it with all its paint?</span>
                  <button type="button" class={PLAIN} onclick={() => remove(surface.id)}>Delete</button>
                  <button type="button" class={QUIET} onclick={() => (doomed = null)}>Keep</button>
                {:else}
                  <IconButton label="Delete {surface.name}" onclick={() => (doomed = surface.id)}>
                    <Trash size={16} />
                  </IconButton>
                {/if}
              </li>
            {/each}
          </ul>

          <div class="mt-7 mb-2 flex items-center justify-between">
            <h2 class="text-soft text-sm font-semibold">Materials</h2>
            <button type="button" class={QUIET} onclick={() => (uploading = true)}
              ><Plus size={15} /> Add material</button
            >
          </div>
          <ul class="flex flex-wrap gap-4">
            {#each open.materials as material (material.id)}
              <li class="w-36">
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
        </div>
        <MaterialUpload project={open.id} bind:open={uploading} onadded={() => load()} />
      {:else if projects !== null}
        <div class="mx-auto mt-24 max-w-md text-center">
          <h1 class="text-xl font-semibold">Begin with a project</h1>
          <p class="text-soft mt-2">
            A project holds materials and the surfaces that share them: a harbour, a cliff, one level of a
            game.
          </p>
          <button type="button" class="{MAIN} mt-5" onclick={() => (naming = true)}>New project</button>
        </div>
      {/if}
    </main>
  </div>
</div>
