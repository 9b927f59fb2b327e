<!-- One term of a recipe: where it begins, how it is shaped, how it goes onto what is above. -->
<script lang="ts">
  import Eye from "@lucide/svelte/icons/eye";
  import EyeOff from "@lucide/svelte/icons/eye-off";
  import GripVertical from "@lucide/svelte/icons/grip-vertical";
  import ScanEye from "@lucide/svelte/icons/scan-eye";
  import Trash from "@lucide/svelte/icons/trash-2";
  import { dragHandle } from "svelte-dnd-action";

  import { ingredients, sourceOf } from "../../state/ingredients";
  import type { Lens } from "../../state/lenses";
  import type { Studio } from "../../state/studio.svelte";
  import { LETTERS, type Op, type Source, type Term } from "../../state/types";
  import CurveEditor from "../../ui/CurveEditor.svelte";
  import IconButton from "../../ui/IconButton.svelte";
  import { shownLength } from "../../ui/quantity";
  import Slider from "../../ui/Slider.svelte";
  import RampEditor from "./RampEditor.svelte";
  import SettingsOf from "../settings/SettingsOf.svelte";

  interface Props {
    studio: Studio;
    term: Term;
    open: boolean;
    /** It is of the recipe that the Term lens follows. */
    main: boolean;
    onopen: () => void;
    onchange: (change: Partial<Term>) => void;
    onremove: () => void;
  }
  const { studio, term, open, main, onopen, onchange: edit, onremove }: Props = $props();

  const OPS: { value: Op; name: string }[] = [
    { value: "set", name: "set" },
    { value: "multiply", name: "multiply" },
    { value: "add", name: "add" },
    { value: "subtract", name: "subtract" },
    { value: "max", name: "larger" },
    { value: "min", name: "smaller" },
    { value: "screen", name: "screen" },
  ];
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
      case "picture":
        return studio.documents.stencils.find((s) => s.id === source.picture)?.name ?? "missing";
      case "material":
        return studio.documents.material(source.material)?.name ?? "missing";
      default:
        if (unit === "m") return `${shownLength(term.low)} to ${shownLength(term.high)}`;
        if (unit === "°") return `${Math.round(term.low)}° to ${Math.round(term.high)}°`;
        return `${Number(term.low.toPrecision(3))} to ${Number(term.high.toPrecision(3))}${unit && ` ${unit}`}`;
    }
  }

  function title(term: Term): string {
    const { source } = term;
    return source.kind === "channel" ? `Channel ${LETTERS[source.channel]}` : sourceOf(source.kind).title;
  }

  /** The lens to go back to. */
  let before: Lens = "blend";
  function alone(): void {
    if (studio.selection.lens === "term") studio.selection.lens = before;
    else {
      before = studio.selection.lens;
      studio.selection.lens = "term";
    }
  }

  const toggle =
    "hover:text-ink aria-pressed:bg-strong aria-pressed:text-ink text-soft bg-ash h-7 rounded-md px-1.5 text-sm";
  const STRAIGHT: { points: [number, number][] } = { points: [[0, 0], [1, 1]] }; // prettier-ignore
</script>

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
      class="flex min-w-0 flex-1 items-baseline gap-2 overflow-hidden text-left"
      aria-expanded={open}
      title="{sourceOf(term.source.kind).about}. The Term lens shows it alone."
      onclick={onopen}
    >
      <span class="max-w-full shrink-0 truncate text-sm font-medium {open ? 'text-accent' : ''}"
        >{title(term)}</span
      >
      <span class="num text-soft min-w-0 truncate">{summary(term)}</span>
    </button>
    <select
      class="num bg-ash text-soft hover:text-ink [field-sizing:content] h-6 max-w-[4.4rem] shrink-0 appearance-none rounded px-1.5 text-right"
      aria-label="How {title(term)} goes onto what is above"
      title="How it goes onto what the terms above made"
      value={term.op}
      onchange={(e) => edit({ op: e.currentTarget.value as Op })}
    >
      {#each OPS as op (op.value)}<option value={op.value}>{op.name}</option>{/each}
    </select>
    <IconButton
      small
      side="left"
      label={term.on ? `Switch ${title(term)} off` : `Switch ${title(term)} on`}
      onclick={() => edit({ on: !term.on })}
    >
      {#if term.on}<Eye size={14} />{:else}<EyeOff size={14} />{/if}
    </IconButton>
  </div>
  {#if open}
    <div class="pt-1 pb-1">
      {#if term.source.kind !== "constant"}
        <RampEditor {studio} {term} label="Ramp of {title(term)}" onchange={edit} />
      {/if}
      <div class="mt-1 flex flex-wrap gap-1">
        <button
          type="button"
          class={toggle}
          aria-pressed={!!term.curve}
          title="Shape what comes out of the ramp by a curve"
          onclick={() => edit({ curve: term.curve ? null : STRAIGHT })}>Curve</button
        >
        <button
          type="button"
          class={toggle}
          aria-pressed={term.invert}
          title="One minus it"
          onclick={() => edit({ invert: !term.invert })}>Invert</button
        >
        <button
          type="button"
          class={toggle}
          aria-pressed={!!term.uneven}
          title="Break its strength by noise"
          onclick={() => edit({ uneven: term.uneven ? null : (ingredients().uneven as never) })}
          >Uneven</button
        >
        {#if sourceOf(term.source.kind).placed}
          <button
            type="button"
            class={toggle}
            aria-pressed={!!term.warp}
            title="Displace it by noise: straight borders become worn ones"
            onclick={() => edit({ warp: term.warp ? null : (ingredients().warp as never) })}>Warp</button
          >
        {/if}
        <span class="ml-auto flex">
          {#if main}
            <IconButton
              small
              label="Alone, by the Term lens"
              side="left"
              pressed={studio.selection.lens === "term"}
              onclick={alone}
            >
              <ScanEye size={14} />
            </IconButton>
          {/if}
          <IconButton small label="Remove {title(term)}" side="left" onclick={onremove}>
            <Trash size={14} />
          </IconButton>
        </span>
      </div>
      {#if term.curve}
        <div class="mt-1">
          <CurveEditor
            label="Curve of {title(term)}"
            curve={term.curve}
            onchange={(curve) => edit({ curve })}
          />
        </div>
      {/if}
      <div class="mt-1">
        <SettingsOf
          {studio}
          settings={sourceOf(term.source.kind).settings}
          document={term.source as unknown as Record<string, unknown>}
          onchange={(changes) => edit({ source: { ...term.source, ...changes } as Source })}
        />
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
            onchange={(amount) => edit({ uneven: { ...uneven, amount } })}
          />
          <Slider
            label="Uneven by"
            value={uneven.metres}
            min={0.005}
            max={50}
            logarithmic
            length
            tip="Size of the noise that breaks it"
            onchange={(metres) => edit({ uneven: { ...uneven, metres } })}
          />
          <Slider
            label="Uneven seed"
            value={uneven.seed}
            min={0}
            max={99}
            step={1}
            digits={0}
            tip="Another number, another pattern"
            onchange={(seed) => edit({ uneven: { ...uneven, seed: Math.round(seed) } })}
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
            onchange={(by) => edit({ warp: { ...warp, by } })}
          />
          <Slider
            label="Warp size"
            value={warp.metres}
            min={0.005}
            max={50}
            logarithmic
            length
            tip="Size of the noise that displaces it"
            onchange={(metres) => edit({ warp: { ...warp, metres } })}
          />
          <Slider
            label="Warp seed"
            value={warp.seed}
            min={0}
            max={99}
            step={1}
            digits={0}
            tip="Another number, another displacement"
            onchange={(seed) => edit({ warp: { ...warp, seed: Math.round(seed) } })}
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
          onchange={(amount) => edit({ amount })}
        />
      </div>
    </div>
  {/if}
</div>
