<!-- Fills of the whole channel, shown before they are kept. -->
<script lang="ts">
  import { onDestroy, untrack } from "svelte";

  import type { Studio } from "../state/studio.svelte";
  import { LETTERS, type AnyFill } from "../state/types";
  import { MAIN, QUIET } from "../ui/button";
  import PickedParts from "./PickedParts.svelte";
  import FillControl from "./fills/FillControl.svelte";
  import { FILLS, type FillName, type Room } from "./fills/kinds";

  const { studio }: { studio: Studio } = $props();

  // The panel is made anew when the mesh is another one.
  const facts = untrack(() => studio.surface.facts);
  const low = facts["low"] as [number, number, number];
  const size = facts["size"] as [number, number, number];
  const room: Room = {
    bottom: low[1],
    height: size[1],
    diagonal: Math.hypot(...size),
    grain: Number(facts["spacing_median"] ?? 0),
  };
  const KINDS = Object.keys(FILLS) as FillName[];

  /** None until one is chosen: a finished channel is not shown as something else unasked. */
  let kind = $state<FillName | null>(null);
  let fills = $state(
    Object.fromEntries(KINDS.map((name) => [name, FILLS[name].begin(room)])) as Record<FillName, AnyFill>,
  );
  let axis = $state<"x" | "y" | "z">("y");
  let source = $state("");

  const sources = $derived(
    studio.ownSets.flatMap((s) =>
      s.document.channels.map((c, i) => ({
        value: `${s.id}/${i}`,
        name: `${s.document.name} · ${LETTERS[i]} ${c.name}`,
      })),
    ),
  );
  const sourceAddress = $derived.by(() => {
    const [channel_set, channel] = (source || sources[0]?.value || "").split("/");
    return { channel_set: channel_set ?? "", channel: Number(channel) };
  });

  function alongAxis(): [[number, number, number], [number, number, number]] {
    const i = { x: 0, y: 1, z: 2 }[axis];
    const from: [number, number, number] = [...low];
    const to: [number, number, number] = [...low];
    to[i] = low[i]! + size[i]!;
    return [from, to];
  }

  const wanted = $derived.by<AnyFill | null>(() => {
    if (!kind) return null;
    const fill = $state.snapshot(fills[kind]) as AnyFill;
    if (fill.kind !== "gradient") return fill;
    const [begin, end] = alongAxis();
    return { ...fill, begin, end };
  });

  /** Whether the lens in front would show what a fill changes; the Channel lens always does. */
  const seen = $derived(
    studio.lens === "channel" ||
      studio.lens === "set" ||
      (studio.lens === "blend" && studio.documents.readers(studio.activeChannel).some(({ shown }) => shown)),
  );
  const onParts = $derived(studio.parts.size > 0 && studio.level === 0);
  const more = $derived({
    ...(kind === "mix" ? { source: sourceAddress } : {}),
    ...(onParts ? { faces: { unit: "part" as const, picked: [...studio.parts.keys()], hard: false } } : {}),
  });

  // Shown as it would be, a moment after the last change.
  let showing = $state(true);
  let timer: ReturnType<typeof setTimeout> | undefined;
  $effect(() => {
    const fill = wanted;
    const also = more;
    const on = `${studio.set.id}/${studio.activeChannel}`;
    clearTimeout(timer);
    if (!showing || !fill) return;
    timer = setTimeout(() => {
      if (on && studio.live.connection === "ready" && !studio.painting.active && !studio.channel.locked) {
        if (!untrack(() => seen)) studio.lens = "channel";
        studio.painting.fill(fill, { ...also, preview: true });
      }
    }, 180);
  });
  onDestroy(() => {
    clearTimeout(timer);
    studio.painting.endPreview();
  });

  function apply(): void {
    if (wanted && studio.painting.fill(wanted, more)) showing = false;
  }
  function look(on: boolean): void {
    showing = on;
    if (!on) studio.painting.endPreview();
  }
  function swap(): void {
    studio.painting.endPreview();
    showing = false;
    studio.painting.swap(sourceAddress);
  }
</script>

<section class="px-4 py-3" aria-label="Fills">
  <header class="mb-1">
    <h2 class="font-semibold">Fill {studio.channel.name}</h2>
    <p class="text-soft text-sm">
      {kind
        ? "Shown as it would be; nothing changes until you keep it."
        : "Choose what to do to the whole channel. It is shown first, and kept when you say so."}
    </p>
  </header>
  <div class="grid grid-cols-3 gap-0.5" role="radiogroup" aria-label="Kind of fill">
    {#each KINDS as name (name)}
      <button
        type="button"
        role="radio"
        aria-checked={kind === name}
        title={FILLS[name].about}
        class="hover:text-ink h-7 truncate rounded-md px-1 text-sm {kind === name
          ? 'bg-strong text-ink'
          : 'text-soft bg-ash'}"
        onclick={() => {
          kind = name;
          showing = true;
        }}>{FILLS[name].name}</button
      >
    {/each}
  </div>
  {#if kind}
    <div class="mt-3 space-y-1">
      {#each FILLS[kind].controls(room) as control, i (`${kind}/${i}`)}
        <FillControl
          {studio}
          {control}
          fill={fills[kind] as unknown as Record<string, unknown>}
          bind:axis
          bind:source
          {sources}
          onswap={swap}
        />
      {/each}
    </div>
  {/if}
  {#if studio.level === 0}
    <div class="border-line mt-3 space-y-1 border-t pt-3">
      <PickedParts {studio} />
      {#if onParts}
        <p class="text-soft text-sm">They alone are filled; everything else stays as it is.</p>
      {/if}
    </div>
  {/if}
  <div class="mt-4 flex items-center gap-2">
    <button type="button" class="{MAIN} flex-1" disabled={!kind || studio.channel.locked} onclick={apply}
      >Keep it</button
    >
    <button type="button" class={QUIET} disabled={!kind} onclick={() => look(!showing)}
      >{showing && kind ? "Hide preview" : "Preview"}</button
    >
    <button type="button" class={QUIET} onclick={() => (studio.side = "blend")}>Done</button>
  </div>
  {#if studio.channel.locked}<p class="text-warn mt-2 text-sm">{studio.channel.name} is locked.</p>{/if}
</section>
