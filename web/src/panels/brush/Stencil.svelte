<!-- An image that thins the brush. -->
<script lang="ts">
  import { bringPicture } from "../../state/pictures";
  import type { Studio } from "../../state/studio.svelte";
  import type { Brush } from "../../state/types";
  import { PLAIN } from "../../ui/button";
  import Choice from "../../ui/Choice.svelte";
  import Segmented from "../../ui/Segmented.svelte";
  import Slider from "../../ui/Slider.svelte";
  import Toggle from "../../ui/Toggle.svelte";

  const { studio }: { studio: Studio } = $props();
  const brush = $derived(studio.brush.settings);
  const set: Studio["brush"]["set"] = (name, value) => studio.brush.set(name, value);

  type Stencil = NonNullable<Brush["stencil"]>;
  const PLAIN_STENCIL: Omit<Required<Stencil>, "image"> = {
    place: "tip",
    rotation: 0,
    follow: false,
    scale: 1,
    jitter: 0,
    metres: 10,
    view: null,
  };

  const setStencil = (change: Partial<Stencil>) =>
    brush.stencil && set("stencil", { ...brush.stencil, ...change });
  async function bring(): Promise<void> {
    const image = await bringPicture(studio);
    if (image) set("stencil", { ...PLAIN_STENCIL, image });
  }
</script>

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
    <button type="button" class={PLAIN} title="Bring a PNG or JPEG of your own" onclick={bring}>Add</button>
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
          { value: "ground", name: "On the ground", about: "Laid from above, repeated, by metres" },
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
      {#if stencil.place === "ground"}
        <Slider
          label="Width"
          value={stencil.metres ?? 10}
          min={0.01}
          max={2000}
          logarithmic
          length
          tip="Of the picture, laid on the ground"
          onchange={(v) => setStencil({ metres: v })}
        />
      {:else}
        <Slider
          label="Scale"
          value={stencil.scale ?? 1}
          min={0.05}
          max={4}
          logarithmic
          tip="Its width: of the brush's, or of the view's height"
          onchange={(v) => setStencil({ scale: v })}
        />
      {/if}
      {#if stencil.place === "tip"}
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
