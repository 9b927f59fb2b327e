<!-- The artist's own maps become a material. -->
<script lang="ts">
  import { guessRole, ROLES, uploadMaterial } from "../state/intake";
  import { Failure } from "../state/server";
  import { Stopped, Upload } from "../state/upload.svelte";
  import { tellError } from "../state/told";
  import type { MaterialView, Told } from "../state/types";
  import { MAIN, PLAIN } from "../ui/button";
  import Choice from "../ui/Choice.svelte";
  import Sheet from "../ui/Sheet.svelte";
  import UploadLine from "./UploadLine.svelte";

  interface Props {
    project: string;
    open: boolean;
    onadded: (material: MaterialView) => void;
  }
  let { project, open = $bindable(), onadded }: Props = $props();

  let name = $state("");
  let maps = $state<{ role: string; file: File }[]>([]);
  let busy = $state(false);
  const upload = new Upload();
  let refused = $state<Told | null>(null);
  let picker = $state<HTMLInputElement>();

  function take(files: FileList | null): void {
    // What was wrong with the last ones is no word about these.
    refused = null;
    for (const file of files ?? []) {
      let role = guessRole(file.name);
      if (maps.some((m) => m.role === role))
        role = ROLES.find((r) => !maps.some((m) => m.role === r)) ?? role;
      maps.push({ role, file });
    }
    if (!name && maps[0])
      name = maps[0].file.name.replace(/[-_. ]?(albedo|colou?r|diff\w*|base\w*)?\.\w+$/i, "");
  }

  const problem = $derived.by(() => {
    if (!maps.some((m) => m.role === "albedo")) return "Add the albedo map; the others are optional.";
    if (new Set(maps.map((m) => m.role)).size < maps.length) return "Two files have the same role.";
    return name.trim() ? null : "Give the material a name.";
  });

  async function send(): Promise<void> {
    busy = true;
    refused = null;
    try {
      const material = await uploadMaterial(project, name.trim(), maps, upload);
      open = false;
      maps = [];
      name = "";
      onadded(material);
    } catch (error) {
      if (error instanceof Failure) refused = error;
      else if (!(error instanceof Stopped)) tellError(error);
    } finally {
      busy = false;
    }
  }
</script>

<Sheet
  title="Add a material"
  about="PNG or JPEG maps that tile. What is missing gets a plain default."
  bind:open
>
  <label class="text-soft block text-sm" for="material-name">Name</label>
  <input
    id="material-name"
    class="bg-ash border-line mt-1 h-8 w-full rounded-md border px-2 text-sm"
    maxlength="60"
    bind:value={name}
  />
  <input
    bind:this={picker}
    type="file"
    class="hidden"
    accept=".png,.jpg,.jpeg"
    multiple
    aria-label="Map files"
    onchange={(e) => {
      take(e.currentTarget.files);
      e.currentTarget.value = "";
    }}
  />
  <button type="button" class="{PLAIN} mt-4" onclick={() => picker?.click()}>Choose map files</button>
  <ul class="mt-4 space-y-2">
    {#each maps as map, i (map.file)}
      <li class="flex items-center gap-2">
        <span class="min-w-0 flex-1 truncate text-sm">{map.file.name}</span>
        <span class="w-36">
          <Choice
            label="Role of {map.file.name}"
            tip="What this map says of the material"
            value={map.role}
            choices={ROLES.map((r) => ({ value: r, name: r[0]!.toUpperCase() + r.slice(1) }))}
            onchange={(role) => (maps[i]!.role = role)}
          />
        </span>
        <button type="button" class="text-soft hover:text-ink text-sm" onclick={() => maps.splice(i, 1)}
          >Remove</button
        >
      </li>
    {/each}
  </ul>
  <p class="text-soft mt-4 text-sm">
    Normal maps: green is up, as in glTF. Height: white is high; 16-bit PNG keeps its steps.
  </p>
  {#if refused}
    <p class="border-warn mt-4 rounded-lg border px-3 py-2 text-sm" role="alert">
      {refused.problem}
      {refused.remedy}
    </p>
  {/if}
  <div class="mt-5 flex items-center gap-3">
    <button type="button" class={MAIN} disabled={problem !== null || busy} onclick={send}>
      {busy ? "Adding …" : "Add material"}
    </button>
    {#if busy}<UploadLine {upload} what="the maps" />{/if}
    {#if problem && maps.length}<span class="text-soft text-sm">{problem}</span>{/if}
  </div>
</Sheet>
