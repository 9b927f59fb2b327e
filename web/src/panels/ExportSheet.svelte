<script lang="ts">
  import { bytes } from "../state/server";
  import type { Studio } from "../state/studio.svelte";
  import { tellError } from "../state/told";
  import { LETTERS } from "../state/types";
  import { MAIN } from "../ui/button";
  import Choice from "../ui/Choice.svelte";
  import Segmented from "../ui/Segmented.svelte";
  import Sheet from "../ui/Sheet.svelte";

  interface Props {
    studio: Studio;
    open: boolean;
  }
  let { studio, open = $bindable() }: Props = $props();

  type Kind = "glb" | "ply" | "ply-ascii" | "obj";
  type Bits = "8" | "16" | "float";

  let kind = $state<Kind>("glb");
  let attribute = $state<"mask" | "colour">("mask");
  let bits = $state<Bits>("8");
  let set = $state(0);
  let busy = $state(false);

  const chosen = $derived(studio.sets[set] ?? studio.sets[0]!);
  const onMap = $derived(chosen.sites.kind === "texels");
  const format = $derived<Kind | "png">(onMap ? "png" : kind);
  const ending = $derived(format === "ply-ascii" ? "ply" : format);
  const sites = $derived(Number(studio.surface.facts["vertices"]));
  const fromGlb = $derived(
    studio.surface.file_name.toLowerCase().endsWith(".glb") &&
      !studio.surface.reshaped &&
      !(chosen.sites.kind === "vertices" && chosen.sites.level),
  );
  const perSite = $derived(kind === "obj" ? 0 : { "8": 4, "16": 8, float: 16 }[bits]);

  const about = $derived.by(() => {
    if (kind === "obj") {
      return "Red, green and blue stand as numbers behind each position. OBJ has no place for a fourth channel: A is left out.";
    }
    if (kind !== "glb") return "The set becomes the vertex properties red, green, blue and alpha.";
    return fromGlb
      ? "Your file with the weights added. Everything else in it stays as it was, bit for bit."
      : "A new file with the mesh, its groups as materials, and the weights.";
  });

  const KINDS: { value: Kind; name: string; about: string }[] = [
    { value: "glb", name: "GLB", about: "Binary glTF 2.0" },
    { value: "ply", name: "PLY", about: "Binary PLY" },
    { value: "ply-ascii", name: "PLY text", about: "PLY as readable text" },
    { value: "obj", name: "OBJ", about: "Text with colours behind the positions" },
  ];

  async function save(): Promise<void> {
    busy = true;
    try {
      const query = new URLSearchParams({ channel_set: chosen.id, kind: format, attribute, bits });
      const data = await bytes(`/api/surfaces/${studio.surface.id}/export?${query}`);
      const link = document.createElement("a");
      link.href = URL.createObjectURL(new Blob([data]));
      link.download = `${studio.name}.${ending}`;
      link.click();
      setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
    } catch (error) {
      tellError(error);
    } finally {
      busy = false;
    }
  }
</script>

<Sheet title="Export" about="The painted mesh in an open format." bind:open>
  {#if onMap}
    <p class="text-soft text-sm">
      A PNG of {chosen.sites.kind === "texels" ? chosen.sites.size : ""}² with R, G, B and A as its channels,
      seams padded by sixteen texels.
    </p>
  {:else}
    <h3 class="text-soft mb-1 text-sm">Format</h3>
    <Segmented label="Format" side="left" value={kind} onchange={(v) => (kind = v)} choices={KINDS} />
    <p class="text-soft mt-2 text-sm">{about}</p>
  {/if}

  {#if studio.sets.length > 1}
    <h3 class="text-soft mt-5 mb-1 text-sm">Channel set</h3>
    <Choice
      label="Channel set"
      tip="Which set of channels goes out"
      value={String(set)}
      choices={studio.sets.map((s, i) => ({
        value: String(i),
        name:
          s.sites.kind === "texels"
            ? `${s.document.name} · map`
            : s.sites.level
              ? `${s.document.name} · level ${s.sites.level}`
              : s.document.name,
      }))}
      onchange={(v) => (set = Number(v))}
    />
  {/if}

  {#if format === "glb"}
    <h3 class="text-soft mt-5 mb-1 text-sm">Where the weights go</h3>
    <Segmented
      label="Where the weights go"
      side="left"
      value={attribute}
      onchange={(v) => (attribute = v)}
      choices={[
        { value: "mask", name: "_MASK0", about: "A custom attribute: viewers that don't know it ignore it" },
        {
          value: "colour",
          name: "COLOR_0",
          about: "The vertex colour: most engines import it without set-up",
        },
      ]}
    />
    <p class="text-soft mt-2 text-sm">
      {#if attribute === "mask"}
        A custom attribute. Plain viewers ignore it, so the object keeps its look; your engine's importer has
        to be told its name.
      {:else}
        The vertex colour. Engines import it without being asked, but plain viewers multiply the base colour
        by it: the object looks tinted, and see-through where A is low if its material blends.
      {/if}
    </p>
  {/if}

  {#if format !== "obj"}
    <h3 class="text-soft mt-5 mb-1 text-sm">Numbers</h3>
    <Segmented
      label="Numbers"
      side="left"
      value={bits}
      onchange={(v) => (bits = v)}
      choices={[
        { value: "8", name: "8 bits", about: "Steps of 1/255: what most shaders expect" },
        { value: "16", name: "16 bits", about: "Steps of 1/65535: exactly what is painted here" },
        { value: "float", name: "Float", about: "32-bit floating point" },
      ]}
    />
    <p class="num text-soft mt-2">
      {#if onMap}
        {bits === "8" ? "8" : "16"} bits a channel
      {:else}
        {perSite} bytes a vertex · {((perSite * sites) / 1e6).toFixed(2)} MB for {sites.toLocaleString("en")} vertices
      {/if}
    </p>
  {/if}

  <h3 class="text-soft mt-5 mb-1 text-sm">What goes out</h3>
  <ul class="divide-line border-line divide-y border-y text-sm">
    {#each chosen.document.channels as channel, i (i)}
      {@const f = studio.statistics?.channels[chosen.id]?.[i]}
      {@const lost = format === "obj" && i === 3}
      <li class="flex items-center gap-3 py-1.5 {lost ? 'text-warn' : ''}">
        <span class="num border-soft grid size-5 place-items-center rounded-full border">{LETTERS[i]}</span>
        <span class="flex-1 truncate">{channel.name}</span>
        <span class="num text-soft"
          >{lost ? "left out" : f ? `${Math.round(f.coverage * 100)} % of the area` : ""}</span
        >
      </li>
    {/each}
  </ul>

  <button type="button" class="{MAIN} mt-6 w-full" disabled={busy} onclick={save}>
    {busy ? "Writing …" : `Save ${studio.name}.${ending}`}
  </button>
</Sheet>
