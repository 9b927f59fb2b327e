<!-- What a hand needs now and then: pen, stencil, noise, symmetry, steadiness, protection. -->
<script lang="ts">
  import { post } from "../state/server";
  import type { Studio } from "../state/studio.svelte";
  import { tellError } from "../state/told";
  import { LETTERS, type Brush } from "../state/types";
  import { PLAIN } from "../ui/button";
  import Choice from "../ui/Choice.svelte";
  import CurveEditor from "../ui/CurveEditor.svelte";
  import Segmented from "../ui/Segmented.svelte";
  import Slider from "../ui/Slider.svelte";
  import Toggle from "../ui/Toggle.svelte";

  const { studio }: { studio: Studio } = $props();
  const brush = $derived(studio.brush.settings);
  const set: Studio["brush"]["set"] = (name, value) => studio.brush.set(name, value);

  type Stencil = NonNullable<Brush["stencil"]>;
  type Symmetry = NonNullable<Brush["symmetry"]>;
  const PLAIN_STENCIL: Omit<Required<Stencil>, "image"> = {
    place: "tip",
    rotation: 0,
    follow: false,
    scale: 1,
    jitter: 0,
    view: null,
  };
  const STRAIGHT: { points: [number, number][] } = { points: [[0, 0], [1, 1]] }; // prettier-ignore

  const symmetry = $derived<Symmetry>(
    brush.symmetry ?? { mirror: [], turns: 1, axis: "y", origin: [0, 0, 0] },
  );
  function setSymmetry(change: Partial<Symmetry>): void {
    const next = { ...symmetry, ...change };
    set("symmetry", (next.mirror?.length ?? 0) === 0 && (next.turns ?? 1) === 1 ? null : next);
  }
  function flipMirror(axis: "x" | "y" | "z"): void {
    const now = symmetry.mirror ?? [];
    setSymmetry({ mirror: now.includes(axis) ? now.filter((a) => a !== axis) : [...now, axis] });
  }
  const middle = $derived.by<[number, number, number]>(() => {
    const low = studio.surface.facts["low"] as [number, number, number];
    const size = studio.surface.facts["size"] as [number, number, number];
    return [0, 1, 2].map((i) => low[i]! + size[i]! / 2) as [number, number, number];
  });

  const setStencil = (change: Partial<Stencil>) =>
    brush.stencil && set("stencil", { ...brush.stencil, ...change });
  let file = $state<HTMLInputElement>();
  async function upload(): Promise<void> {
    const chosen = file?.files?.[0];
    if (!chosen) return;
    const form = new FormData();
    form.append("name", chosen.name.replace(/\.[^.]*$/, "").slice(0, 60) || "Stencil");
    form.append("file", chosen);
    try {
      const made = await post<{ id: string }>(`/api/projects/${studio.surface.project}/stencils`, form);
      await studio.documents.reloadMaterials();
      set("stencil", { ...PLAIN_STENCIL, image: made.id });
    } catch (error) {
      tellError(error);
    }
  }

  const DRIVES = [
    { value: "strength" as const, name: "Strength", about: "Strength" },
    { value: "radius" as const, name: "Radius", about: "Radius" },
    { value: "nothing" as const, name: "Nothing", about: "It is ignored" },
  ];

  const maskValue = $derived(
    studio.protect.mask ? `${studio.protect.mask.channel_set}/${studio.protect.mask.channel}` : "none",
  );
  const maskChoices = $derived([
    { value: "none", name: "No mask" },
    ...studio.ownSets.flatMap((s) =>
      s.document.channels.map((c, i) => ({
        value: `${s.id}/${i}`,
        name: `${s.document.name} · ${LETTERS[i]} ${c.name}`,
      })),
    ),
  ]);
  const groups = $derived(studio.protect.groups ?? []);
</script>

<div class="mt-2 space-y-3">
  <div>
    {#if brush.coat === "many"}
      <Slider
        label="Flow"
        value={brush.flow}
        min={0.01}
        max={1}
        shown={100}
        digits={0}
        unit="%"
        tip="How much each dab adds"
        onchange={(v) => set("flow", v)}
      />
    {/if}
    <Slider
      label="Spacing"
      value={brush.spacing}
      min={0.02}
      max={2}
      shown={100}
      digits={0}
      unit="%"
      tip="Distance between dabs along the stroke, in radii"
      onchange={(v) => set("spacing", v)}
    />
    <Slider
      label="Steady"
      value={studio.brush.steady}
      min={0}
      max={1}
      shown={100}
      digits={0}
      unit="%"
      tip="The brush follows on a rope this long: calm lines from a shaky hand"
      onchange={(v) => studio.brush.setSteady(v)}
    />
    <Slider
      label="Facing limit"
      value={brush.facing_limit}
      min={0}
      max={180}
      step={1}
      digits={0}
      unit="°"
      tip="Sites turned away from the brush by more than this are left alone; 180 takes all"
      onchange={(v) => set("facing_limit", v)}
    />
  </div>

  <div>
    <p class="text-soft mb-1 text-sm">Pen pressure drives</p>
    <Segmented
      label="Pen pressure drives"
      value={brush.pressure_drives}
      onchange={(v) => set("pressure_drives", v)}
      choices={DRIVES}
    />
    {#if brush.pressure_drives !== "nothing"}
      <div class="mt-1">
        <CurveEditor
          label="Response to pressure"
          curve={brush.pressure_curve ?? STRAIGHT}
          onchange={(curve) => set("pressure_curve", curve)}
        />
      </div>
    {/if}
    <p class="text-soft mt-2 mb-1 text-sm">Pen tilt drives</p>
    <Segmented
      label="Pen tilt drives"
      value={brush.tilt_drives}
      onchange={(v) => set("tilt_drives", v)}
      choices={DRIVES}
    />
    {#if brush.tilt_drives !== "nothing"}
      <div class="mt-1">
        <CurveEditor
          label="Response to tilt"
          curve={brush.tilt_curve ?? STRAIGHT}
          onchange={(curve) => set("tilt_curve", curve)}
        />
      </div>
    {/if}
  </div>

  <div>
    <p class="text-soft mb-1 text-sm">Stencil</p>
    <div class="flex gap-1">
      <div class="min-w-0 flex-1">
        <Choice
          label="Stencil"
          tip="An image that thins the brush: light paints, dark does not"
          value={brush.stencil?.image ?? "none"}
          choices={[
            { value: "none", name: "None" },
            ...studio.documents.stencils.map((s) => ({
              value: s.id,
              name: s.name,
              picture: `/api/stencils/${s.id}/image`,
            })),
          ]}
          onchange={(v) =>
            set("stencil", v === "none" ? null : { ...PLAIN_STENCIL, ...(brush.stencil ?? {}), image: v })}
        />
      </div>
      <button
        type="button"
        class={PLAIN}
        title="Bring a PNG or JPEG of your own"
        onclick={() => file?.click()}>Add</button
      >
      <input
        bind:this={file}
        type="file"
        accept=".png,.jpg,.jpeg"
        class="hidden"
        aria-label="Stencil picture"
        onchange={upload}
      />
    </div>
    {#if brush.stencil}
      {@const stencil = brush.stencil}
      <div class="mt-1">
        <Segmented
          label="Where the stencil lies"
          value={stencil.place ?? "tip"}
          onchange={(v) => setStencil({ place: v })}
          choices={[
            { value: "tip", name: "On the tip", about: "Stamped once with every dab" },
            { value: "view", name: "From the view", about: "Projected from your eye, repeated" },
          ]}
        />
        <Slider
          label="Rotation"
          value={stencil.rotation ?? 0}
          min={-180}
          max={180}
          step={1}
          digits={0}
          unit="°"
          tip="Turns the stencil"
          onchange={(v) => setStencil({ rotation: v })}
        />
        <Slider
          label="Scale"
          value={stencil.scale ?? 1}
          min={0.05}
          max={4}
          logarithmic
          tip="Its width: of the brush's, or of the view's height"
          onchange={(v) => setStencil({ scale: v })}
        />
        {#if stencil.place !== "view"}
          <Slider
            label="Jitter"
            value={stencil.jitter ?? 0}
            min={0}
            max={1}
            shown={100}
            digits={0}
            unit="%"
            tip="How far turn and place vary from dab to dab"
            onchange={(v) => setStencil({ jitter: v })}
          />
          <Toggle
            label="Follow the stroke"
            about="The stencil's up points along the stroke"
            on={stencil.follow ?? false}
            onchange={(on) => setStencil({ follow: on })}
          />
        {/if}
      </div>
    {/if}
  </div>

  <div>
    <Slider
      label="Noise"
      value={brush.noise?.amount ?? 0}
      min={0}
      max={1}
      shown={100}
      digits={0}
      unit="%"
      tip="Breaks the brush up by noise that lies on the surface"
      onchange={(v) => set("noise", { metres: 0.2, seed: 0, ...(brush.noise ?? {}), amount: v })}
    />
    {#if (brush.noise?.amount ?? 0) > 0}
      <Slider
        label="Noise size"
        value={brush.noise?.metres ?? 0.2}
        min={0.005}
        max={5}
        logarithmic
        unit="m"
        tip="Size of the noise's features"
        onchange={(v) => set("noise", { seed: 0, amount: 0.5, ...(brush.noise ?? {}), metres: v })}
      />
    {/if}
  </div>

  <div>
    <p class="text-soft mb-1 text-sm">Mirror across</p>
    <div class="flex gap-1">
      {#each ["x", "y", "z"] as const as axis (axis)}
        <button
          type="button"
          class="h-7 flex-1 rounded-md text-sm {symmetry.mirror?.includes(axis)
            ? 'bg-strong text-ink'
            : 'bg-ash text-soft hover:text-ink'}"
          aria-pressed={symmetry.mirror?.includes(axis) ?? false}
          title="Every dab is repeated on the other side of the {axis.toUpperCase()} plane"
          onclick={() => flipMirror(axis)}>{axis.toUpperCase()}</button
        >
      {/each}
    </div>
    <Slider
      label="Radial copies"
      value={symmetry.turns ?? 1}
      min={1}
      max={16}
      step={1}
      digits={0}
      tip="Repeats every dab round the {symmetry.axis?.toUpperCase()} axis"
      onchange={(v) => setSymmetry({ turns: Math.round(v) })}
    />
    {#if brush.symmetry}
      <div class="mt-1 flex items-center gap-2">
        <div class="flex-1">
          <Segmented
            label="Axis of the copies"
            value={symmetry.axis ?? "y"}
            onchange={(v) => setSymmetry({ axis: v })}
            choices={(["x", "y", "z"] as const).map((axis) => ({
              value: axis,
              name: axis.toUpperCase(),
              about: `Round the ${axis.toUpperCase()} axis`,
            }))}
          />
        </div>
        <button
          type="button"
          class={PLAIN}
          title="Planes and axis go through the middle of the surface, or through the world's origin"
          onclick={() => setSymmetry({ origin: symmetry.origin?.some((v) => v !== 0) ? [0, 0, 0] : middle })}
          >{symmetry.origin?.some((v) => v !== 0) ? "Middle" : "Origin"}</button
        >
      </div>
    {/if}
  </div>

  <div>
    <p class="text-soft mb-1 text-sm">Protect</p>
    <Choice
      label="Protecting mask"
      tip="Where this channel is high, nothing is changed"
      value={maskValue}
      choices={maskChoices}
      onchange={(v) => {
        const [channel_set, channel] = v.split("/");
        studio.protect.mask = v === "none" ? null : { channel_set: channel_set!, channel: Number(channel) };
      }}
    />
    {#if studio.protect.mask}
      <div class="mt-1">
        <Toggle
          label="The other way round"
          about="Only where the channel is high, things change"
          on={studio.protect.inverted ?? false}
          onchange={(on) => (studio.protect.inverted = on)}
        />
      </div>
    {/if}
    {#if studio.groups.length > 1}
      <div class="mt-1.5 max-h-32 space-y-0.5 overflow-y-auto">
        {#each studio.groups as group (group.name)}
          <Toggle
            label={group.name}
            about="Protect {group.name}: nothing on it changes"
            on={groups.includes(group.name)}
            onchange={(on) =>
              (studio.protect.groups = on
                ? [...groups, group.name]
                : groups.filter((name) => name !== group.name))}
          />
        {/each}
      </div>
    {/if}
  </div>
</div>
