<!-- What the surface is looked at under: sky, key light, the eye, and lights that are kept. -->
<script lang="ts">
  import ChevronDown from "@lucide/svelte/icons/chevron-down";
  import X from "@lucide/svelte/icons/x";
  import { Popover } from "bits-ui";

  import type { Studio } from "../state/studio.svelte";
  import NameField from "../ui/NameField.svelte";
  import Segmented from "../ui/Segmented.svelte";
  import Slider from "../ui/Slider.svelte";
  import Toggle from "../ui/Toggle.svelte";

  const { studio }: { studio: Studio } = $props();
  const lighting = $derived(studio.lighting);
  const light = $derived(lighting.light);
  const sky = $derived(lighting.skies.find((s) => s.kind === light?.sky));
  let naming = $state(false);

  const TONES = [
    { value: "neutral" as const, name: "Neutral", about: "Bright light is rolled off, colours stay" },
    {
      value: "plain" as const,
      name: "Plain",
      about: "Values as they are, cut off where they are too bright",
    },
  ];
</script>

{#if light}
  <Popover.Root>
    <Popover.Trigger
      class="bg-ash/85 text-soft hover:text-ink flex h-6 items-center gap-1 rounded-md px-2 text-xs"
      aria-label="Light"
      title="Sky, key light and exposure"
    >
      {sky?.title ?? "Light"}
      <ChevronDown size={12} />
    </Popover.Trigger>
    <Popover.Portal>
      <Popover.Content
        role="dialog"
        aria-label="Light"
        side="bottom"
        align="end"
        sideOffset={6}
        class="bg-raised border-line z-50 max-h-[calc(100vh-7rem)] w-72 overflow-y-auto rounded-md border p-3 text-sm shadow-xl"
      >
        <div class="mb-2 grid grid-cols-2 gap-1" role="group" aria-label="Sky">
          {#each lighting.skies as choice (choice.kind)}
            <button
              type="button"
              class="bg-ash hover:bg-strong aria-pressed:bg-strong aria-pressed:text-accent rounded px-2 py-1.5 text-left"
              title={choice.about}
              aria-pressed={choice.kind === light.sky}
              onclick={() => lighting.chooseSky(choice)}>{choice.title}</button
            >
          {/each}
        </div>
        <Slider
          label="From"
          tip="Degrees clockwise from north, the far edge of the first view"
          value={light.azimuth}
          min={0}
          max={359}
          step={1}
          unit="°"
          digits={0}
          onchange={(v) => lighting.turn(v, light.tilt)}
        />
        <Slider
          label="Height"
          tip="Degrees above the horizon"
          value={light.tilt}
          min={-12}
          max={90}
          step={1}
          unit="°"
          digits={0}
          onchange={(v) => lighting.turn(light.azimuth, v)}
        />
        <Slider
          label="Strength"
          tip="Stops more of the key light than this sky has by itself"
          value={light.strength}
          min={-6}
          max={4}
          step={0.1}
          digits={1}
          onchange={(strength) => lighting.set({ strength })}
        />
        <Slider
          label="Warmth"
          tip="Of the key light: below zero it is bluer"
          value={light.warmth}
          min={-1}
          max={1}
          step={0.01}
          shown={100}
          unit="%"
          digits={0}
          onchange={(warmth) => lighting.set({ warmth })}
        />
        <Slider
          label="Size"
          tip="Degrees that the key light measures: the larger, the softer its shadows. The sun measures 0.5°"
          value={light.angle}
          min={0.1}
          max={40}
          logarithmic
          unit="°"
          digits={1}
          onchange={(angle) => lighting.set({ angle })}
        />
        <Slider
          label="Haze"
          tip="Dust in the air: whiter toward the horizon, softer and redder light from a low sun"
          value={light.haze}
          min={0.1}
          max={8}
          logarithmic
          digits={1}
          onchange={(haze) => lighting.set({ haze })}
        />
        <div class="mt-1.5 flex gap-4">
          <Toggle
            label="Goes with the view"
            about="The key light keeps its place beside you while you turn"
            on={light.follows}
            onchange={(follows) => lighting.set({ follows })}
          />
          <Toggle
            label="Shadows"
            about="What stands in the key light throws a shadow"
            on={light.shadows}
            onchange={(shadows) => lighting.set({ shadows })}
          />
        </div>

        <h3 class="text-soft border-line mt-3 mb-1 border-t pt-2 font-semibold">Eye</h3>
        <Slider
          label="Exposure"
          tip="Stops more than metered. Metering goes by the light that falls in, so it holds still while you paint"
          value={light.exposure}
          min={-6}
          max={6}
          step={0.1}
          digits={1}
          onchange={(exposure) => lighting.set({ exposure })}
        />
        <Slider
          label="White"
          tip="How much of the light's own colour is taken for white"
          value={light.white}
          min={0}
          max={1}
          step={0.01}
          shown={100}
          unit="%"
          digits={0}
          onchange={(white) => lighting.set({ white })}
        />
        <Slider
          label="View"
          tip="Field of view from top to bottom: wide near by, narrow from far away"
          value={light.view}
          min={12}
          max={90}
          step={1}
          unit="°"
          digits={0}
          onchange={(view) => lighting.set({ view })}
        />
        <Segmented
          label="Tone"
          choices={TONES}
          value={light.tone}
          side="top"
          onchange={(tone) => lighting.set({ tone })}
        />

        <h3 class="text-soft border-line mt-3 mb-1 border-t pt-2 font-semibold">Kept lights</h3>
        {#if lighting.kept.length}
          <ul>
            {#each lighting.kept as kept, i (kept.id)}
              <li class="group flex items-center">
                <button
                  type="button"
                  class="hover:bg-strong aria-pressed:text-accent min-w-0 flex-1 truncate rounded px-2 py-1 text-left"
                  aria-pressed={lighting.at === i}
                  onclick={() => lighting.use(kept)}>{kept.name}</button
                >
                <button
                  type="button"
                  class="text-soft hover:text-ink p-1"
                  aria-label="Let {kept.name} go"
                  title="Let it go"
                  onclick={() => void lighting.remove(kept)}><X size={14} /></button
                >
              </li>
            {/each}
          </ul>
        {:else}
          <p class="text-soft text-xs">The whole project can use what is kept here; Q goes through them.</p>
        {/if}
        {#if naming}
          <NameField
            label="Name of this light"
            value={sky?.title ?? "Light"}
            ondone={(name) => {
              naming = false;
              if (name) void lighting.keep(name);
            }}
          />
        {:else}
          <button
            type="button"
            class="bg-strong hover:text-accent mt-1.5 w-full rounded px-2 py-1.5"
            onclick={() => (naming = true)}>Keep this light …</button
          >
        {/if}
      </Popover.Content>
    </Popover.Portal>
  </Popover.Root>
{/if}
