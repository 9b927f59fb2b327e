<!-- Projects by name; each can be renamed, copied and put into the bin. -->
<script lang="ts">
  import Copy from "@lucide/svelte/icons/copy";
  import Ellipsis from "@lucide/svelte/icons/ellipsis";
  import Pencil from "@lucide/svelte/icons/pencil";
  import Plus from "@lucide/svelte/icons/plus";
  import Trash from "@lucide/svelte/icons/trash-2";
  import { DropdownMenu } from "bits-ui";

  import { route } from "../../state/route.svelte";
  import type { Projects } from "../../state/projects.svelte";
  import { MAIN, QUIET } from "../../ui/button";
  import NameField from "../../ui/NameField.svelte";

  interface Props {
    projects: Projects;
    binShown: boolean;
    naming: boolean;
  }
  let { projects, binShown = $bindable(), naming = $bindable() }: Props = $props();

  let newName = $state("");
  let renaming = $state<string | null>(null);

  function choose(ident: string): void {
    binShown = false;
    route.go(`/project/${ident}`);
  }

  async function create(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    await projects.create(newName);
    binShown = false;
    naming = false;
    newName = "";
  }

  const ITEM = "hover:bg-strong data-[highlighted]:bg-strong flex items-center gap-2 rounded px-2 py-1.5";
</script>

<nav class="bg-panel border-line flex w-64 shrink-0 flex-col border-r p-3" aria-label="Projects">
  <h2 class="text-soft px-2 pb-1 text-xs font-semibold">Projects</h2>
  <ul class="min-h-0 overflow-y-auto">
    {#each projects.all ?? [] as project (project.id)}
      {@const here = projects.open?.id === project.id && !binShown}
      <li class="group flex items-center rounded-md {here ? 'bg-raised' : ''}">
        {#if renaming === project.id}
          <div class="flex-1 p-1">
            <NameField
              label="New name of {project.name}"
              value={project.name}
              ondone={(name) => {
                renaming = null;
                if (name && name !== project.name) void projects.rename(project.id, name);
              }}
            />
          </div>
        {:else}
          <button
            type="button"
            class="flex min-w-0 flex-1 items-baseline justify-between gap-2 px-2 py-2 text-left
              {here ? 'text-ink' : 'text-soft hover:text-ink'}"
            aria-current={here ? "page" : undefined}
            ondblclick={() => (renaming = project.id)}
            onclick={() => choose(project.id)}
          >
            <span class="truncate">{project.name}</span>
            <span class="num text-soft shrink-0">{project.surfaces}</span>
          </button>
          <DropdownMenu.Root>
            <DropdownMenu.Trigger
              class="text-soft hover:text-ink hover:bg-strong mr-1 grid size-6 shrink-0 place-items-center rounded
                {here ? '' : 'opacity-0 group-focus-within:opacity-100 group-hover:opacity-100'}"
              aria-label="More for {project.name}"
            >
              <Ellipsis size={15} />
            </DropdownMenu.Trigger>
            <DropdownMenu.Portal disabled>
              <DropdownMenu.Content
                side="right"
                align="start"
                class="bg-raised border-line z-50 w-44 rounded-md border p-1 text-sm shadow-xl"
              >
                <DropdownMenu.Item class={ITEM} onSelect={() => (renaming = project.id)}>
                  <Pencil size={14} /> Rename
                </DropdownMenu.Item>
                <DropdownMenu.Item class={ITEM} onSelect={() => void projects.copy(project)}>
                  <Copy size={14} /> Copy
                </DropdownMenu.Item>
                <DropdownMenu.Item
                  class={ITEM}
                  onSelect={() => void projects.remove("project", project.id, project.name)}
                >
                  <Trash size={14} /> Delete
                </DropdownMenu.Item>
              </DropdownMenu.Content>
            </DropdownMenu.Portal>
          </DropdownMenu.Root>
        {/if}
      </li>
    {/each}
  </ul>
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
  {#if projects.bin?.entries.length}
    <button
      type="button"
      class="{QUIET} mt-auto justify-start {binShown ? 'bg-raised text-ink' : ''}"
      aria-current={binShown ? "page" : undefined}
      onclick={() => (binShown = true)}
    >
      <Trash size={15} /> Bin <span class="num">{projects.bin.entries.length}</span>
    </button>
  {/if}
</nav>
