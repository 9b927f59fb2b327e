<!-- The blend as a drilled core of full height: every layer a slab as thick as the share that it wins. -->
<script lang="ts">
  import ChevronDown from "@lucide/svelte/icons/chevron-down";
  import ChevronRight from "@lucide/svelte/icons/chevron-right";
  import GripVertical from "@lucide/svelte/icons/grip-vertical";
  import { dragHandle, dragHandleZone, TRIGGERS, type DndEvent } from "svelte-dnd-action";

  import { kindOf } from "../state/ingredients";
  import { rowsOf, type Row } from "../state/layers";
  import type { Studio } from "../state/studio.svelte";
  import { swatchOf } from "../state/swatch";
  import type { Layer, LayerGroup } from "../state/types";

  const { studio }: { studio: Studio } = $props();

  // The topmost is drawn first; the document has the lowest first.
  const ordered = $derived(rowsOf(studio.documents.blend, studio.documents.folded));
  let dragged = $state<Row[] | null>(null);
  const rows = $derived(dragged ?? ordered);

  function share(id: string): number | null {
    const number = id === "ground" ? -1 : studio.documents.blend.layers.findIndex((l) => l.id === id);
    return studio.statistics?.shares[number] ?? null;
  }

  const percent = (value: number | null) => (value === null ? "…" : `${Math.round(value * 100)}`);
  /** Relief and tint change what is there, and win no share of it. */
  const hidesNothing = (layer: Layer) => !kindOf(layer.kind).hides;
  /** Slabs share the room: each a little, the rest by what it wins. */
  const grow = (id: string, visible: boolean) => (visible ? (share(id) ?? 0) * 100 : 0) + 2;

  const members = (group: LayerGroup) => studio.documents.blend.layers.filter((l) => l.group === group.id);
  /** What the layers of a folded group win together. */
  const shared = (group: LayerGroup): number =>
    members(group).reduce((sum, l) => sum + (hidesNothing(l) ? 0 : (share(l.id) ?? 0)), 0);

  function fold(group: LayerGroup): void {
    const { folded } = studio.documents;
    if (!folded.delete(group.id)) folded.add(group.id);
  }

  const room = (row: Row): number => {
    if ("layer" in row) return grow(row.id, studio.documents.shown(row.layer));
    return studio.documents.folded.has(row.group.id) ? shared(row.group) * 100 + 2 : 0;
  };

  /** Where rows lie while one is dragged; the keyboard ends with such a word, too. */
  const underWay = ({ detail }: CustomEvent<DndEvent<Row>>): Row[] | null =>
    detail.info.trigger === TRIGGERS.DRAG_STOPPED ? null : detail.items;

  function dropped(event: CustomEvent<DndEvent<Row>>): void {
    dragged = null;
    studio.documents.arrange(
      event.detail.items.map((row) => row.id),
      event.detail.info.id,
    );
  }

  function onKey(event: KeyboardEvent, id: string): void {
    if (!event.altKey || (event.key !== "ArrowUp" && event.key !== "ArrowDown")) return;
    event.preventDefault();
    event.stopPropagation();
    studio.documents.moveLayer(id, event.key === "ArrowUp");
  }
</script>

<div class="core flex min-h-0 flex-1 flex-col overflow-x-hidden overflow-y-auto rounded-md">
  <div
    class="flex shrink-0 flex-col"
    style:flex-basis="{rows.length * 1.75}rem"
    style:flex-grow={rows.reduce((sum, row) => sum + room(row), 0)}
    use:dragHandleZone={{ items: rows, flipDurationMs: 150, dropTargetStyle: {}, delayTouchStart: true }}
    onconsider={(e: CustomEvent<DndEvent<Row>>) => (dragged = underWay(e))}
    onfinalize={dropped}
    aria-label="Layers, topmost first"
  >
    {#each rows as row (row.id)}
      {#if "group" in row}
        {@const { group } = row}
        {@const folded = studio.documents.folded.has(group.id)}
        <div
          class="relative flex shrink-0 items-end bg-[#2d2b28] {folded ? 'slab min-h-7' : 'h-6'}"
          style:flex-grow={room(row)}
          style:background={folded ? swatchOf(studio, members(group).at(-1)!) : undefined}
          class:dim={!group.visible}
        >
          <button
            type="button"
            class="absolute inset-0 flex items-end gap-0.5 px-0.5 pb-0.5 text-left"
            aria-expanded={!folded}
            title="{folded ? 'Unfold' : 'Fold'} {group.name}: {members(group)
              .map((l) => l.name)
              .join(', ')}"
            onclick={() => fold(group)}
          >
            {#if folded}
              <ChevronRight size={13} class="z-10 mb-0.5 shrink-0 text-white" />
            {:else}
              <ChevronDown size={13} class="mb-0.5 shrink-0 text-white" />
            {/if}
            <span class="label min-w-0 flex-1 truncate {folded ? '' : 'pr-3'}">{group.name}</span>
            {#if folded}
              <span class="label num shrink-0">{group.visible ? percent(shared(group)) : "off"}</span>
            {/if}
          </button>
          <span
            use:dragHandle
            aria-label="Move {group.name}: drag, or press Enter and use the arrows"
            class="grip absolute top-0.5 right-0 grid size-5 place-items-center"
          >
            <GripVertical size={12} />
          </span>
        </div>
      {:else}
        {@const { id, layer } = row}
        {@const visible = studio.documents.shown(layer)}
        {@const chosen = studio.selection.openLayer === id}
        {@const fault = studio.documents.faultOf(id)}
        <div
          class="slab relative min-h-7 {chosen ? 'chosen' : ''} {layer.group ? 'member' : ''}"
          style:flex-grow={room(row)}
          style:background={swatchOf(studio, layer)}
          class:dim={!visible}
        >
          <button
            type="button"
            class="absolute inset-0 flex w-full items-end justify-between gap-1 px-1.5 pb-0.5 text-left"
            aria-pressed={chosen}
            title="Open {layer.name}, a {layer.kind}{fault
              ? `: ${fault.problem}`
              : ''} (Alt+arrows move it, V shows or hides it, Shift+V shows it alone)"
            onclick={() => (studio.selection.openLayer = id)}
            onkeydown={(e) => onKey(e, id)}
          >
            <span class="label truncate {fault ? 'text-warn' : ''}">{fault ? "! " : ""}{layer.name}</span>
            <span class="label num shrink-0"
              >{visible ? (hidesNothing(layer) ? "on" : percent(share(id))) : "off"}</span
            >
          </button>
          <span
            use:dragHandle
            aria-label="Move {layer.name}: drag, or press Enter and use the arrows"
            class="grip absolute top-0 right-0 grid size-5 place-items-center"
          >
            <GripVertical size={12} />
          </span>
        </div>
      {/if}
    {/each}
  </div>
  <div
    class="slab relative min-h-7 {studio.selection.openLayer === 'ground' ? 'chosen' : ''}"
    style:flex-grow={grow("ground", true)}
    style:background={swatchOf(studio, studio.documents.blend.ground)}
  >
    <button
      type="button"
      class="absolute inset-0 flex w-full items-end justify-between gap-1 px-1.5 pb-0.5 text-left"
      aria-pressed={studio.selection.openLayer === "ground"}
      title="Open {studio.documents.blend.ground.name}, the ground"
      onclick={() => (studio.selection.openLayer = "ground")}
    >
      <span class="label truncate">{studio.documents.blend.ground.name}</span>
      <span class="label num shrink-0">{percent(share("ground"))}</span>
    </button>
  </div>
</div>

<style>
  .slab {
    flex-shrink: 0;
    flex-basis: 1.75rem;
    border-top: 1px solid rgb(0 0 0 / 0.5);
  }
  /* One light over the whole core makes a column of the slabs, and lets names be read on any material. */
  .slab::before {
    content: "";
    position: absolute;
    inset: 0;
    background:
      linear-gradient(to bottom, transparent calc(100% - 1.6rem), rgb(0 0 0 / 0.72) calc(100% - 0.5rem)),
      linear-gradient(to right, rgb(0 0 0 / 0.5), transparent 26%, transparent 68%, rgb(0 0 0 / 0.5));
  }
  .slab.chosen::after {
    content: "";
    position: absolute;
    inset: 0;
    pointer-events: none;
    box-shadow: inset 0 0 0 2px var(--accent);
  }
  .dim {
    opacity: 0.5;
  }
  .slab.member {
    margin-left: 5px;
  }
  .label {
    position: relative;
    color: #fff;
    font-size: 0.75rem;
    line-height: 1rem;
    text-shadow: 0 0 3px #000;
  }
  .label.text-warn {
    color: #ffc857;
  }
  .grip {
    color: #fff;
    opacity: 0.75;
    cursor: grab;
  }
</style>
