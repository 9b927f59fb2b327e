<!-- A curve to draw: points to drag, click the line for a new one, double click or Delete removes one. -->
<script lang="ts">
  import { curveProfile } from "../state/profiles.svelte";
  import type { Curve, Profile } from "../state/types";
  import { typedQuantity } from "./quantity";

  interface Props {
    label: string;
    curve: Curve;
    /** Shares of the values along x, drawn behind. */
    histogram?: number[] | undefined;
    onchange: (curve: Curve) => void;
  }
  const { label, curve, histogram, onchange }: Props = $props();

  let svg = $state<SVGSVGElement>();
  let held = $state<number | null>(null);
  /** The point whose numbers are shown: the one last touched. */
  let chosen = $state(0);
  const at = $derived(
    (curve.points[Math.min(chosen, curve.points.length - 1)] ?? [0, 0]) as [number, number],
  );

  function typed(event: Event, axis: 0 | 1): void {
    const field = event.currentTarget as HTMLInputElement;
    const number = typedQuantity(field.value, 1);
    const index = Math.min(chosen, curve.points.length - 1);
    if (!Number.isNaN(number)) {
      const kept = Math.min(1, Math.max(0, number));
      move(index, axis === 0 ? kept : at[0], axis === 1 ? kept : at[1]);
    }
    field.value = at[axis].toFixed(3);
  }

  const W = 200;
  const H = 90;
  const GAP = 0.01;
  const most = $derived(Math.max(0.02, ...(histogram ?? []).slice(1)));
  // While the server draws a new one, the last stays.
  let last: Profile | null = null;
  const profile = $derived.by(() => (last = curveProfile($state.snapshot(curve) as Curve) ?? last));
  const path = $derived(
    (profile?.heights ?? []).map((y, i, all) => `${(i / (all.length - 1)) * W},${H - y * H}`).join(" L"),
  );

  function placeOf(event: PointerEvent | MouseEvent): [number, number] {
    const box = svg!.getBoundingClientRect();
    const clamp = (v: number) => Math.min(1, Math.max(0, v));
    return [clamp((event.clientX - box.left) / box.width), clamp(1 - (event.clientY - box.top) / box.height)];
  }

  function move(index: number, x: number, y: number): void {
    const points = [...curve.points] as [number, number][];
    const before = points[index - 1]?.[0] ?? -GAP;
    const after = points[index + 1]?.[0] ?? 1 + GAP;
    points[index] = [Math.min(after - GAP, Math.max(before + GAP, x)), y];
    onchange({ points });
  }

  function add(event: MouseEvent): void {
    if (curve.points.length >= 16) return;
    const [x, y] = placeOf(event);
    if (curve.points.some(([px]) => Math.abs(px - x) < 2 * GAP)) return;
    const points = ([...curve.points, [x, y]] as [number, number][]).sort((a, b) => a[0] - b[0]);
    onchange({ points });
  }

  function remove(index: number): void {
    if (curve.points.length > 2) onchange({ points: curve.points.filter((_, i) => i !== index) });
  }

  function nudge(event: KeyboardEvent, index: number): void {
    const by: Record<string, [number, number]> = {
      ArrowLeft: [-0.02, 0],
      ArrowRight: [0.02, 0],
      ArrowUp: [0, 0.02],
      ArrowDown: [0, -0.02],
    };
    const step = by[event.key];
    if (event.key === "Delete" || event.key === "Backspace") remove(index);
    else if (step) {
      const [x, y] = curve.points[index]!;
      move(index, x + step[0], Math.min(1, Math.max(0, y + step[1])));
    } else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<svg
  bind:this={svg}
  viewBox="0 0 {W} {H}"
  class="bg-ash h-24 w-full touch-none overflow-visible rounded"
  role="group"
  aria-label={label}
  onpointermove={(e) => held !== null && move(held, ...placeOf(e))}
  onpointerup={() => (held = null)}
  onpointerleave={() => (held = null)}
>
  {#each histogram ?? [] as share, i (i)}
    {@const height = Math.min(1, share / most) * H}
    <rect
      x={(i / histogram!.length) * W}
      y={H - height}
      width={W / histogram!.length - 0.6}
      {height}
      class="fill-soft/35"
    />
  {/each}
  <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
  <path
    d={path && `M${path}`}
    class="stroke-accent cursor-copy fill-none"
    stroke-width="2"
    vector-effect="non-scaling-stroke"
    onclick={add}
  />
  {#each curve.points as [x, y], i (i)}
    <circle
      cx={x * W}
      cy={H - y * H}
      r="5"
      class="fill-ink stroke-ash cursor-grab"
      role="slider"
      tabindex="0"
      aria-label="{label}, point {i + 1}"
      aria-valuenow={Math.round(y * 100)}
      aria-valuetext="{x.toFixed(2)} to {y.toFixed(2)}"
      onpointerdown={(e) => {
        held = chosen = i;
        e.stopPropagation();
      }}
      onfocus={() => (chosen = i)}
      ondblclick={() => remove(i)}
      onkeydown={(e) => nudge(e, i)}
    />
  {/each}
</svg>
<div class="text-soft mt-1 flex items-center justify-end gap-2 text-xs">
  <span class="mr-auto">Point {Math.min(chosen, curve.points.length - 1) + 1} of {curve.points.length}</span>
  {#each [0, 1] as const as axis (axis)}
    <label class="flex items-center gap-1">
      {axis === 0 ? "at" : "is"}
      <input
        class="bg-ash border-line num h-6 w-14 rounded border px-1 text-right"
        aria-label="{label}, {axis === 0 ? 'place' : 'height'} of the point"
        inputmode="decimal"
        value={at[axis].toFixed(3)}
        onchange={(e) => typed(e, axis)}
        onfocus={(e) => e.currentTarget.select()}
        onkeydown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      />
    </label>
  {/each}
</div>
