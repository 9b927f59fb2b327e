<script lang="ts">
  import { untrack } from "svelte";

  import type { Studio } from "../state/studio.svelte";
  import { LETTERS } from "../state/types";
  import { MAIN, PLAIN } from "../ui/button";
  import Choice from "../ui/Choice.svelte";
  import Segmented from "../ui/Segmented.svelte";
  import Slider from "../ui/Slider.svelte";
  import Toggle from "../ui/Toggle.svelte";
  import ChosenFaces from "./ChosenFaces.svelte";

  const { studio }: { studio: Studio } = $props();

  // Where the sliders begin; a remedy asked for beside the brush brings its own spacing.
  const [facts, asked] = untrack(() => [studio.surface.facts, studio.preparing.wantedSpacing]);
  const median = Number(facts["spacing_median"] ?? 0.1);
  const size = facts["size"] as [number, number, number];
  const low = facts["low"] as [number, number, number];

  let how = $state<"everywhere" | "area" | "mask">(asked ? "area" : "everywhere");
  let by = $state<"levels" | "spacing">("spacing");
  let levels = $state(1);
  // What halves: between half of a square's diagonal and its side, so that every edge is split once.
  let spacing = $state(asked ?? 0.7 * Number(facts["spacing_coarse"] ?? median));
  let area = $state<"painted" | "chosen" | "group">("painted");
  let group = $state("");
  let mask = $state<"picture" | "channel" | "height">("height");
  let source = $state("");
  let tolerance = $state(0.1);
  let finest = $state(median / 8);
  let paint = $state(true);
  let from = $state(low[1]);
  let to = $state(low[1] + size[1] / 2);
  let soft = $state(median / 2);
  let rough = $state(size[1] / 10);
  let file = $state<HTMLInputElement>();

  const maps = $derived(
    studio.ownSets
      .filter((s) => s.sites.kind === "texels")
      .flatMap((s) =>
        s.document.channels.map((c, i) => ({
          value: `${s.id}/${i}`,
          name: `${s.document.name} · ${LETTERS[i]} ${c.name}`,
        })),
      ),
  );
  const busy = $derived(
    studio.preparing.job?.state === "running" || studio.preparing.job?.state === "waiting",
  );
  const target = $derived(
    studio.selection.baseSet.sites.kind === "vertices" && paint
      ? { channel_set: studio.selection.baseSet.id, channel: studio.selection.activeChannel }
      : null,
  );

  function work(): void {
    studio.preparing.wantedSpacing = null;
    if (how === "mask") return workToMask();
    if (how === "everywhere") {
      void studio.preparing.plan(
        by === "levels" ? { kind: "levels", levels } : { kind: "spacing", spacing, inside: null },
      );
      return;
    }
    const inside = {
      groups: area === "group" ? [group || studio.groups[0]!.name] : [],
      picked: area === "chosen" ? [...studio.selection.chosen] : [],
      unit: "face" as const,
      painted: area === "painted" ? studio.selection.address : null,
    };
    void studio.preparing.plan({ kind: "spacing", spacing, inside });
  }

  function workToMask(): void {
    if (mask === "picture") {
      file?.click();
    } else if (mask === "channel") {
      const [channel_set, channel] = (source || maps[0]!.value).split("/");
      void studio.preparing.plan({
        kind: "channel",
        wanted: { channel_set: channel_set!, channel: Number(channel) },
        tolerance,
        finest,
        paint_on: target,
      });
    } else {
      void studio.preparing.plan({
        kind: "height",
        wanted: {
          kind: "height",
          weight: 1,
          low: from,
          high: to,
          soft,
          rough,
          rough_metres: Math.max(...size) / 8,
        },
        tolerance,
        finest,
        paint_on: target,
      });
    }
  }

  function picture(): void {
    const chosen = file?.files?.[0];
    if (!chosen) return;
    const query = new URLSearchParams({ tolerance: String(tolerance), finest: String(finest) });
    if (target) {
      query.set("paint_set", target.channel_set);
      query.set("paint_channel", String(target.channel));
    }
    void studio.preparing.planPicture(chosen, `?${query}`);
    file!.value = "";
  }
</script>

<Segmented
  label="Where to refine"
  side="left"
  value={how}
  onchange={(v) => (how = v)}
  choices={[
    { value: "everywhere", name: "Everywhere", about: "The whole mesh" },
    {
      value: "area",
      name: "An area",
      about: "Painted, chosen or grouped faces; neighbours follow where they must",
    },
    { value: "mask", name: "To a mask", about: "Only where the mesh is too coarse to hold a wanted mask" },
  ]}
/>
<div class="mt-2 space-y-1.5">
  {#if how === "everywhere"}
    <Segmented
      label="By"
      side="left"
      value={by}
      onchange={(v) => (by = v)}
      choices={[
        { value: "spacing", name: "To an edge", about: "Split edges that are longer, until none is" },
        { value: "levels", name: "By levels", about: "Every triangle into four, once or more often" },
      ]}
    />
    {#if by === "levels"}
      <Slider
        label="Levels"
        value={levels}
        min={1}
        max={4}
        step={1}
        digits={0}
        tip="Each level makes four triangles of one"
        onchange={(v) => (levels = Math.round(v))}
      />
    {/if}
  {/if}
  {#if how === "area"}
    <Segmented
      label="Which area"
      side="left"
      value={area}
      onchange={(v) => (area = v)}
      choices={[
        {
          value: "painted",
          name: "Painted",
          about: `Where ${studio.selection.channel.name} holds any weight`,
        },
        { value: "chosen", name: "Chosen", about: "Faces that you outline or click" },
        { value: "group", name: "A group", about: "A group of faces" },
      ]}
    />
    {#if area === "painted"}
      <p class="text-soft text-sm">
        Where {studio.selection.channel.name} is painted. Dab roughly over the place first; undo takes the dab back.
      </p>
    {:else if area === "chosen"}
      <ChosenFaces {studio} />
    {:else}
      <Choice
        label="Group"
        tip="Group to refine"
        value={group || (studio.groups[0]?.name ?? "")}
        choices={studio.groups.map((g) => ({ value: g.name, name: g.name }))}
        onchange={(v) => (group = v)}
      />
    {/if}
  {/if}
  {#if (how === "everywhere" && by === "spacing") || how === "area"}
    <Slider
      label="Longest edge"
      value={spacing}
      min={median / 40}
      max={median * 4}
      logarithmic
      length
      tip="No edge stays longer: most end up between this and half of it. As it is set, about every edge is halved"
      onchange={(v) => (spacing = v)}
    />
  {/if}
  {#if how === "mask"}
    <Segmented
      label="Wanted mask"
      side="left"
      value={mask}
      onchange={(v) => (mask = v)}
      choices={[
        { value: "height", name: "Heights", about: "A band of heights, worked out at full density" },
        { value: "channel", name: "Map channel", about: "A channel of a set on a map" },
        { value: "picture", name: "Picture", about: "A PNG or JPEG over the first UV set" },
      ]}
    />
    {#if mask === "height"}
      <Slider
        label="From"
        length
        value={from}
        min={low[1] - size[1] / 4}
        max={low[1] + size[1]}
        tip="Lower end"
        onchange={(v) => (from = v)}
      />
      <Slider
        label="To"
        length
        value={to}
        min={low[1]}
        max={low[1] + 1.25 * size[1]}
        tip="Upper end"
        onchange={(v) => (to = v)}
      />
      <Slider
        label="Soft"
        length
        value={soft}
        min={0}
        max={Math.max(size[1] / 2, 0.05)}
        tip="Width of each edge"
        onchange={(v) => (soft = v)}
      />
      <Slider
        label="Rough"
        length
        value={rough}
        min={0}
        max={Math.max(size[1] / 2, 0.05)}
        tip="How far noise moves the edges"
        onchange={(v) => (rough = v)}
      />
    {:else if mask === "channel"}
      {#if maps.length}
        <Choice
          label="Map channel"
          tip="The channel that the mesh is to hold"
          value={source || maps[0]!.value}
          choices={maps}
          onchange={(v) => (source = v)}
        />
      {:else}
        <p class="text-soft text-sm">There is no set on a map yet. Add one beside the channel set's name.</p>
      {/if}
    {/if}
    <Slider
      label="Error allowed"
      value={tolerance}
      min={0.01}
      max={0.5}
      tip="How far the mask held at vertices may be off"
      onchange={(v) => (tolerance = v)}
    />
    <Slider
      label="Not finer than"
      value={finest}
      min={median / 64}
      max={median}
      logarithmic
      length
      tip="Edges shorter than this are not split"
      onchange={(v) => (finest = v)}
    />
    <Toggle
      label="Put the mask into {studio.selection.channel.name}"
      about="Paint the wanted mask onto the refined vertices"
      on={paint}
      onchange={(on) => (paint = on)}
    />
  {/if}
</div>
<button
  type="button"
  class="{how === 'mask' && mask === 'picture' ? PLAIN : MAIN} mt-3 w-full"
  disabled={busy ||
    (how === "mask" && mask === "channel" && !maps.length) ||
    (how === "area" && area === "chosen" && studio.selection.chosen.size === 0)}
  onclick={work}
>
  {how === "mask" && mask === "picture" ? "Choose the picture …" : "Count first"}
</button>
<p class="text-soft mt-1 text-xs">Nothing changes until you have seen the count and kept it.</p>
<input
  bind:this={file}
  type="file"
  accept=".png,.jpg,.jpeg"
  class="hidden"
  aria-label="Mask picture"
  onchange={picture}
/>
