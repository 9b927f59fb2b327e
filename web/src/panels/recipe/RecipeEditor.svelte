<!-- A recipe: terms in order, one of them open. The same for a layer's mask and for an undercoat. -->
<script lang="ts">
  import Eye from "@lucide/svelte/icons/eye";
  import EyeOff from "@lucide/svelte/icons/eye-off";
  import GripVertical from "@lucide/svelte/icons/grip-vertical";
  import Plus from "@lucide/svelte/icons/plus";
  import Trash from "@lucide/svelte/icons/trash-2";
  import { Popover } from "bits-ui";
  import { dragHandle, dragHandleZone, type DndEvent } from "svelte-dnd-action";

  import { freshTerm, ingredients, sourceOf } from "../../state/ingredients";
  import { copied } from "../../state/copied.svelte";
  import type { Studio } from "../../state/studio.svelte";
  import { LETTERS, type Op, type Recipe, type Source, type Term } from "../../state/types";
  import CurveEditor from "../../ui/CurveEditor.svelte";
  import IconButton from "../../ui/IconButton.svelte";
  import { shownLength } from "../../ui/quantity";
  import Slider from "../../ui/Slider.svelte";
  import RampEditor from "./RampEditor.svelte";
  import SourceSettings from "./SourceSettings.svelte";

  interface Props {
    studio: Studio;
    recipe: Recipe;
    /** It is the one that the Term lens follows: the mask of the open layer, or the undercoat. */
    main?: boolean;
    onchange: (recipe: Recipe) => void;
  }
  const { studio, recipe, main = false, onchange }: Props = $props();

  const MOST = 24;
  const OPS: { value: Op; name: string }[] = [
    { value: "set", name: "set" },
    { value: "multiply", name: "multiply" },
    { value: "add", name: "add" },
    { value: "subtract", name: "subtract" },
    { value: "max", name: "larger" },
    { value: "min", name: "smaller" },
    { value: "screen", name: "screen" },
  ];
  let adding = $state(false);
  let own = $state(0);
  const openTerm = $derived(main ? studio.openTerm : own);
  function openAt(number: number): void {
    if (main) studio.openTerm = number;
    else own = number;
  }
  interface Row {
    id: number;
    term: Term;
  }
  let dragged = $state<Row[] | null>(null);
  const rows = $derived(dragged ?? recipe.terms.map((term, id) => ({ id, term })));

  const withTerms = (terms: Term[]) => onchange({ ...recipe, terms });
  const edit = (number: number, change: Partial<Term>) =>
    withTerms(recipe.terms.map((term, i) => (i === number ? { ...term, ...change } : term)));

  function add(kind: string): void {
    const first = sourceOf(kind).first as unknown as Source;
    let source: Source = first;
    if (first.kind === "channel") source = { ...first, ...studio.addressOfBase };
    if (first.kind === "material") source = { ...first, ...materialAtHand() };
    const term = freshTerm(source, recipe.terms.length ? "multiply" : "set");
    withTerms([...recipe.terms, fitted(term)]);
    openAt(recipe.terms.length - 1);
    adding = false;
  }

  /** The open layer's own material and mapping, which it costs nothing to read again. */
  function materialAtHand() {
    const layer = studio.documents.blend.layers.find((l) => l.id === studio.openLayer);
    const { ground } = studio.documents.blend;
    const of = layer && "material" in layer ? layer : ground;
    return {
      material: of.material ?? studio.documents.materials[0]!.id,
      mapping: $state.snapshot(of.mapping),
    };
  }

  /** A ramp over height begins as wide as the surface is high. */
  function fitted(term: Term): Term {
    if (term.source.kind !== "height") return term;
    const [low, size] = [studio.surface.facts["low"], studio.surface.facts["size"]] as [number[], number[]];
    return { ...term, low: low[1]!, high: low[1]! + size[1]! };
  }

  function summary(term: Term): string {
    const { source } = term;
    const { unit } = sourceOf(source.kind);
    switch (source.kind) {
      case "channel": {
        const set = studio.sets.find((s) => s.id === source.channel_set);
        return set?.document.channels[source.channel]?.name ?? "missing";
      }
      case "constant":
        return source.value.toFixed(2);
      case "noise":
        return shownLength(source.metres);
      case "material":
        return studio.documents.material(source.material)?.name ?? "missing";
      default:
        return unit === "m"
          ? `${shownLength(term.low)} to ${shownLength(term.high)}`
          : `${Math.round(term.low)}° to ${Math.round(term.high)}°`;
    }
  }

  function title(term: Term): string {
    const { source } = term;
    return source.kind === "channel" ? `Channel ${LETTERS[source.channel]}` : sourceOf(source.kind).title;
  }

  function dropped(event: CustomEvent<DndEvent<Row>>): void {
    const ids = event.detail.items.map((row) => row.id);
    dragged = null;
    openAt(ids.indexOf(openTerm));
    withTerms(ids.map((id) => recipe.terms[id]!));
  }

  const toggle =
    "hover:text-ink aria-pressed:bg-strong aria-pressed:text-ink text-soft bg-ash h-7 rounded-md px-2 text-sm";
  const STRAIGHT: { points: [number, number][] } = { points: [[0, 0], [1, 1]] }; // prettier-ignore
</script>

<div
  class="space-y-1"
  use:dragHandleZone={{ items: rows, flipDurationMs: 120, dropTargetStyle: {}, type: "terms" }}
  onconsider={(e: CustomEvent<DndEvent<Row>>) => (dragged = e.detail.items)}
  onfinalize={dropped}
  aria-label="Terms, in order"
>
  {#each rows as { id, term } (id)}
    {@const open = openTerm === id}
    <div class="bg-raised/60 rounded-md px-2 py-1 {term.on ? '' : 'opacity-60'}">
      <div class="flex items-center gap-1">
        <span
          use:dragHandle
          aria-label="Move {title(term)}: drag, or press Enter and use the arrows"
          class="text-soft hover:text-ink -ml-1 grid size-5 shrink-0 place-items-center rounded"
        >
          <GripVertical size={13} />
        </span>
        <button
          type="button"
          class="flex min-w-0 flex-1 items-baseline gap-2 text-left"
          aria-expanded={open}
          title="{sourceOf(term.source.kind).about}. The Term lens shows it alone."
          onclick={() => openAt(open ? -1 : id)}
        >
          <span class="shrink-0 text-sm font-medium {open ? 'text-accent' : ''}">{title(term)}</span>
          <span class="num text-soft truncate">{summary(term)}</span>
        </button>
        <select
          class="num bg-ash text-soft hover:text-ink h-6 shrink-0 rounded px-1"
          aria-label="How {title(term)} goes onto what is above"
          title="How it goes onto what the terms above made"
          value={term.op}
          onchange={(e) => edit(id, { op: e.currentTarget.value as Op })}
        >
          {#each OPS as op (op.value)}<option value={op.value}>{op.name}</option>{/each}
        </select>
        <IconButton
          small
          side="left"
          label={term.on ? `Switch ${title(term)} off` : `Switch ${title(term)} on`}
          onclick={() => edit(id, { on: !term.on })}
        >
          {#if term.on}<Eye size={14} />{:else}<EyeOff size={14} />{/if}
        </IconButton>
      </div>
      {#if open}
        <div class="pt-1 pb-1">
          {#if term.source.kind !== "constant"}
            <RampEditor
              {studio}
              {term}
              label="Ramp of {title(term)}"
              onchange={(change) => edit(id, change)}
            />
          {/if}
          <div class="mt-1 flex flex-wrap gap-1">
            <button
              type="button"
              class={toggle}
              aria-pressed={!!term.curve}
              title="Shape what comes out of the ramp by a curve"
              onclick={() => edit(id, { curve: term.curve ? null : STRAIGHT })}>Curve</button
            >
            <button
              type="button"
              class={toggle}
              aria-pressed={term.invert}
              title="One minus it"
              onclick={() => edit(id, { invert: !term.invert })}>Invert</button
            >
            <button
              type="button"
              class={toggle}
              aria-pressed={!!term.uneven}
              title="Break its strength by noise"
              onclick={() => edit(id, { uneven: term.uneven ? null : (ingredients().uneven as never) })}
              >Uneven</button
            >
            {#if sourceOf(term.source.kind).placed}
              <button
                type="button"
                class={toggle}
                aria-pressed={!!term.warp}
                title="Displace it by noise: straight borders become worn ones"
                onclick={() => edit(id, { warp: term.warp ? null : (ingredients().warp as never) })}
                >Warp</button
              >
            {/if}
            <span class="ml-auto flex">
              <IconButton
                small
                label="Remove {title(term)}"
                side="left"
                onclick={() => withTerms(recipe.terms.filter((_, i) => i !== id))}
              >
                <Trash size={14} />
              </IconButton>
            </span>
          </div>
          {#if term.curve}
            <div class="mt-1">
              <CurveEditor
                label="Curve of {title(term)}"
                curve={term.curve}
                onchange={(curve) => edit(id, { curve })}
              />
            </div>
          {/if}
          <div class="mt-1">
            <SourceSettings {studio} source={term.source} onchange={(source) => edit(id, { source })} />
            {#if term.uneven}
              {@const uneven = term.uneven}
              <Slider
                label="Uneven"
                value={uneven.amount}
                min={0}
                max={1}
                shown={100}
                digits={0}
                unit="%"
                tip="How much of its strength the noise may take"
                onchange={(amount) => edit(id, { uneven: { ...uneven, amount } })}
              />
              <Slider
                label="Uneven by"
                value={uneven.metres}
                min={0.005}
                max={50}
                logarithmic
                length
                tip="Size of the noise that breaks it"
                onchange={(metres) => edit(id, { uneven: { ...uneven, metres } })}
              />
            {/if}
            {#if term.warp}
              {@const warp = term.warp}
              <Slider
                label="Warp by"
                value={warp.by}
                min={0.001}
                max={10}
                logarithmic
                length
                tip="How far it is displaced at most"
                onchange={(by) => edit(id, { warp: { ...warp, by } })}
              />
              <Slider
                label="Warp size"
                value={warp.metres}
                min={0.005}
                max={50}
                logarithmic
                length
                tip="Size of the noise that displaces it"
                onchange={(metres) => edit(id, { warp: { ...warp, metres } })}
              />
            {/if}
            <Slider
              label="How much"
              value={term.amount}
              min={0}
              max={1}
              shown={100}
              digits={0}
              unit="%"
              tip="How much of what it does is done"
              onchange={(amount) => edit(id, { amount })}
            />
          </div>
        </div>
      {/if}
    </div>
  {/each}
</div>

<div class="mt-1.5 flex items-center justify-between gap-1 text-sm">
  <Popover.Root bind:open={adding}>
    <Popover.Trigger
      class="text-soft hover:text-ink hover:bg-raised flex h-7 items-center gap-1 rounded-md px-1.5 whitespace-nowrap disabled:opacity-45"
      disabled={recipe.terms.length >= MOST}
      title="Something more that decides where it lies"
    >
      <Plus size={14} /> Add a term
    </Popover.Trigger>
    <Popover.Portal>
      <Popover.Content
        role="dialog"
        aria-label="Add a term"
        side="left"
        align="start"
        class="bg-raised border-line z-50 w-72 rounded-md border p-1 text-sm shadow-xl"
      >
        {#each ingredients().sources as source (source.kind)}
          <button
            type="button"
            class="hover:bg-strong block w-full rounded px-2 py-1.5 text-left"
            onclick={() => add(source.kind)}
          >
            {source.title}<span class="text-soft block text-xs">{source.about}</span>
          </button>
        {/each}
      </Popover.Content>
    </Popover.Portal>
  </Popover.Root>
  <span class="flex">
    <button
      type="button"
      class="text-soft hover:text-ink hover:bg-raised h-7 rounded-md px-2"
      title="Copy all terms, for another layer or an undercoat"
      disabled={recipe.terms.length === 0}
      onclick={() => (copied.recipe = $state.snapshot(recipe) as Recipe)}>Copy</button
    >
    <button
      type="button"
      class="text-soft hover:text-ink hover:bg-raised h-7 rounded-md px-2 disabled:opacity-45"
      title="Add the copied terms below these"
      disabled={!copied.recipe}
      onclick={() => copied.recipe && withTerms([...recipe.terms, ...copied.recipe.terms].slice(0, MOST))}
      >Paste</button
    >
  </span>
</div>
