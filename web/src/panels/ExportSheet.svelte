<!-- Taking the painted mesh out: what is open is preset, and what the file will be is said before. -->
<script lang="ts">
  import GripVertical from "@lucide/svelte/icons/grip-vertical";
  import { untrack } from "svelte";
  import { dragHandle, dragHandleZone, TRIGGERS, type DndEvent } from "svelte-dnd-action";

  import { endings } from "../state/intake";
  import { answer, bytes, server } from "../state/server";
  import { liesOn, onGrid, terrainOf } from "../state/sites";
  import type { Studio } from "../state/studio.svelte";
  import { tellError } from "../state/told";
  import { LETTERS, type ChannelSetView, type Outlook, type WritingView } from "../state/types";
  import { MAIN } from "../ui/button";
  import Choice from "../ui/Choice.svelte";
  import Segmented from "../ui/Segmented.svelte";
  import Sheet from "../ui/Sheet.svelte";
  import TerrainExport from "./TerrainExport.svelte";
  import UnsettledNote from "./UnsettledNote.svelte";

  interface Props {
    studio: Studio;
    open: boolean;
  }
  let { studio, open = $bindable() }: Props = $props();

  const terrain = $derived(terrainOf(studio.surface));
  type Bits = "8" | "16" | "float";

  let writings = $state.raw<WritingView[]>([]);
  let kind = $state("glb");
  let attribute = $state<"mask" | "colour">("mask");
  let bits = $state<Bits>("8");
  /** "level N", or the id of a set on a map. */
  let what = $state("level 0");
  let chosen = $state<string[]>([]);
  let busy = $state(false);
  let outlook = $state.raw<Outlook | null>(null);

  // What is open in the Studio is what goes out, each time anew, with what the hand has just left.
  $effect(() => {
    if (!open) return;
    untrack(() => studio.surveys.draft.now());
    if (terrain) return;
    const { set, level } = studio.selection;
    what = onGrid(set) ? set.id : `level ${level}`;
    chosen = [set.id];
    outlook = null;
    endings().then((known) => (writings = known.writings), tellError);
    answer<Outlook>(
      server.GET("/api/surfaces/{ident}/export/outlook", { params: { path: { ident: studio.surface.id } } }),
    ).then((found) => {
      outlook = found;
      if (what.startsWith("level ")) choosePlace(what);
    }, tellError);
  });

  const setOf = (id: string): ChannelSetView | undefined => studio.sets.find((s) => s.id === id);
  const map = $derived(what.startsWith("level ") ? undefined : setOf(what));
  const level = $derived(map ? 0 : Number(what.slice(6)));
  const file = $derived(outlook?.levels[level]);
  const format = $derived(map ? "png" : kind);
  /** How the mesh goes out; none for a map, or until it is known. */
  const writing = $derived(map ? undefined : writings.find((w) => w.kind === kind));
  const ending = $derived(writing?.ending ?? `.${format}`);
  const depth = $derived<Bits>(map && bits === "float" ? "16" : bits);
  const many = $derived(writing?.many ?? false);
  /** In the order in which they go out. */
  const order = $derived(map ? [map.id] : (file?.sets ?? []));
  const sets = $derived(
    (many ? order.filter((id) => chosen.includes(id)) : chosen.slice(0, 1)).flatMap((id) => setOf(id) ?? []),
  );
  const named = (id: string) =>
    attribute === "mask" ? `_MASK${order.indexOf(id)}` : `COLOR_${sets.findIndex((s) => s.id === id)}`;
  const left = $derived(
    many
      ? (file?.read ?? [])
          .filter((id) => !chosen.includes(id))
          .flatMap((id) => setOf(id)?.document.name ?? [])
      : [],
  );

  interface Row {
    id: string;
  }
  let dragged = $state.raw<Row[] | null>(null);
  const rows = $derived(dragged ?? order.map((id) => ({ id })));

  /** A set takes another place among those of its level, in this file and every later one. */
  function dropped({ detail }: CustomEvent<DndEvent<Row>>): void {
    dragged = null;
    if (!file || !outlook) return;
    const next = detail.items.map(({ id }) => id);
    next.forEach((id, place) => {
      const found = setOf(id);
      if (found && found.document.place !== place) studio.documents.editSet({ place }, found);
    });
    const levels = outlook.levels.map((l) => (l.level === level ? { ...l, sets: next } : l));
    outlook = { ...outlook, levels };
  }

  const perSite = $derived({ "8": 4, "16": 8, float: 16 }[depth] * sets.length);

  const places = $derived([
    ...(outlook?.levels ?? []).map((l) => ({
      value: `level ${l.level}`,
      name: `${l.level === 0 ? "The mesh" : `Level ${l.level}`} · ${l.vertices.toLocaleString("en")} vertices`,
    })),
    ...(outlook?.maps ?? []).flatMap((id) => {
      const found = setOf(id);
      return found
        ? [
            {
              value: id,
              name: `${found.document.name} · ${liesOn(found, studio.surface).replace("On a ", "")}`,
            },
          ]
        : [];
    }),
  ]);

  function choosePlace(value: string): void {
    what = value;
    const into = value.startsWith("level ") ? outlook?.levels[Number(value.slice(6))] : undefined;
    const here = into?.sets ?? [value];
    // What is open, and what the blend reads.
    const taken = here.filter((id) => id === studio.selection.set.id || into?.read.includes(id));
    chosen = taken.length ? taken : here.slice(0, 1);
  }

  function toggle(id: string): void {
    if (!many) chosen = [id];
    else if (!chosen.includes(id)) chosen = [...chosen, id];
    else if (chosen.length > 1) chosen = chosen.filter((other) => other !== id);
  }

  const about = $derived.by(() => {
    if (map) return "A picture with R, G, B and A as its channels; seams are padded by sixteen texels.";
    if (!file || !writing) return "…";
    if (kind !== "glb") return writing.says;
    return file.new_because === null
      ? "Your file, untouched but for the weights: everything else in it stays bit for bit."
      : writing.says.replace("A new file.", `A new file, because ${file.new_because}.`);
  });

  const kinds = $derived(writings.map((w) => ({ value: w.kind, name: w.title, about: w.about })));
  const DEPTHS: { value: Bits; name: string; about: string }[] = [
    { value: "8", name: "8 bits", about: "Steps of 1/255: what most shaders expect" },
    { value: "16", name: "16 bits", about: "Steps of 1/65535: exactly what is painted here" },
    { value: "float", name: "Float", about: "32-bit floating point" },
  ];

  async function save(): Promise<void> {
    busy = true;
    try {
      const query = new URLSearchParams({ kind: format, attribute, bits: depth });
      for (const set of sets) query.append("channel_set", set.id);
      const data = await bytes(`/api/surfaces/${studio.surface.id}/export?${query}`);
      const link = document.createElement("a");
      link.href = URL.createObjectURL(new Blob([data]));
      link.download = `${studio.name}${level ? ` level ${level}` : ""}${map ? ` ${map.document.name}` : ""}${ending}`;
      link.click();
      setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
    } catch (error) {
      tellError(error);
    } finally {
      busy = false;
    }
  }
</script>

<Sheet title="Export" about="What is open goes out, in an open format." bind:open>
  <UnsettledNote {studio} />
  {#if terrain}
    <TerrainExport {studio} {terrain} />
  {:else}
    <h3 class="text-soft mb-1 text-sm">What</h3>
    <Choice
      label="What goes out"
      tip="The mesh, a lower level, or a map"
      value={what}
      choices={places}
      onchange={choosePlace}
    />
    {#if !map}
      <h3 class="text-soft mt-4 mb-1 text-sm">Format</h3>
      <Segmented label="Format" side="left" value={kind} onchange={(v) => (kind = v)} choices={kinds} />
    {/if}
    <p
      class="mt-2 text-sm {file?.new_because && kind === 'glb' && !map ? 'text-warn' : 'text-soft'}"
      role="status"
    >
      {about}
    </p>

    {#if !map && (file?.sets.length ?? 0) > 1}
      <h3 class="text-soft mt-4 mb-1 text-sm">{many ? "Channel sets" : "Channel set"}</h3>
      <ul
        class="space-y-0.5"
        aria-label="Channel sets that go out, in order"
        use:dragHandleZone={{
          items: rows,
          flipDurationMs: 120,
          dropTargetStyle: {},
          type: "sets",
          dragDisabled: !many,
        }}
        onconsider={({ detail }: CustomEvent<DndEvent<Row>>) =>
          (dragged = detail.info.trigger === TRIGGERS.DRAG_STOPPED ? null : detail.items)}
        onfinalize={dropped}
      >
        {#each rows as { id } (id)}
          {@const at = sets.findIndex((s) => s.id === id)}
          <li class="hover:bg-raised flex items-center rounded pl-1">
            {#if many}
              <span
                use:dragHandle
                aria-label="Move {setOf(id)?.document.name}: drag, or press Enter and use the arrows"
                title="Its place gives its attribute a number, the same in every file"
                class="text-soft hover:text-ink grid size-5 shrink-0 place-items-center rounded"
              >
                <GripVertical size={13} />
              </span>
            {/if}
            <label class="flex min-w-0 flex-1 items-center gap-2.5 px-2 py-1.5 text-sm">
              <input
                type={many ? "checkbox" : "radio"}
                name="set"
                class="accent-accent"
                checked={at >= 0}
                onchange={() => toggle(id)}
              />
              <span class="min-w-0 flex-1 truncate">{setOf(id)?.document.name}</span>
              {#if many && at >= 0}
                <span class="num text-soft">{named(id)}</span>
              {/if}
            </label>
          </li>
        {/each}
      </ul>
      {#if left.length}
        <p class="text-warn mt-1 text-sm" role="status">
          The blend reads {left.join(", ")}, which {left.length === 1 ? "is" : "are"} not ticked.
        </p>
      {/if}
    {/if}

    {#if many}
      <h3 class="text-soft mt-4 mb-1 text-sm">Where the weights go</h3>
      <Segmented
        label="Where the weights go"
        side="left"
        value={attribute}
        onchange={(v) => (attribute = v)}
        choices={[
          {
            value: "mask",
            name: `_MASK${Math.max(0, order.indexOf(sets[0]?.id ?? ""))}`,
            about: "A custom attribute: viewers that don't know it ignore it",
          },
          {
            value: "colour",
            name: "COLOR_0",
            about: "The vertex colour: most engines import it without set-up",
          },
        ]}
      />
      <p class="text-soft mt-2 text-sm">
        {#if attribute === "mask"}
          A custom attribute. Plain viewers ignore it, so the object keeps its look; your engine's importer
          has to be told its name.
        {:else}
          The vertex colour. Engines import it without being asked, but plain viewers multiply the base colour
          by it: the object looks tinted, and see-through where A is low if its material blends.
        {/if}
      </p>
    {/if}

    {#if map || writing?.bits}
      <h3 class="text-soft mt-4 mb-1 text-sm">Numbers</h3>
      <Segmented
        label="Numbers"
        side="left"
        value={depth}
        onchange={(v) => (bits = v)}
        choices={map ? DEPTHS.slice(0, 2) : DEPTHS}
      />
      {#if !map && file}
        <p class="num text-soft mt-2">
          {perSite} bytes a vertex · {((perSite * file.vertices) / 1e6).toFixed(2)} MB for {file.vertices.toLocaleString(
            "en",
          )} vertices
        </p>
      {/if}
    {/if}

    {#each sets as set (set.id)}
      <h3 class="text-soft mt-4 mb-1 text-sm">{set.document.name}</h3>
      <ul class="divide-line border-line divide-y border-y text-sm">
        {#each set.document.channels as channel, i (i)}
          {@const f = studio.statistics?.channels[set.id]?.[i]}
          {@const lost = writing !== undefined && i >= writing.channels}
          <li class="flex items-center gap-3 py-1.5 {lost ? 'text-warn' : ''}">
            <span class="num border-soft grid size-5 place-items-center rounded-full border"
              >{LETTERS[i]}</span
            >
            <span class="flex-1 truncate">{channel.name}</span>
            <span class="num text-soft"
              >{lost ? "left out" : f ? `${Math.round(f.coverage * 100)} % of the area` : ""}</span
            >
          </li>
        {/each}
      </ul>
    {/each}

    <button
      type="button"
      class="{MAIN} mt-6 w-full"
      disabled={busy || !outlook || !sets.length}
      onclick={save}
    >
      {busy ? "Writing …" : `Save ${studio.name}${ending}`}
    </button>
  {/if}
</Sheet>
