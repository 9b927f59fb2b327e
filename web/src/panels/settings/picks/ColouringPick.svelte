<!-- What a tint colours by: one colour, a gradient along a recipe, or a channel set as colours. -->
<script lang="ts">
  import { ingredients, ofChannel } from "../../../state/ingredients";
  import type { TintLayer } from "../../../state/types";
  import Choice from "../../../ui/Choice.svelte";
  import ColourField from "../../../ui/ColourField.svelte";
  import Segmented from "../../../ui/Segmented.svelte";
  import RecipeEditor from "../../recipe/RecipeEditor.svelte";
  import type { PickProps } from "../picks";

  type Colour = [number, number, number];
  const { studio, document, onchange: edit }: PickProps = $props();
  const layer = $derived(document as unknown as TintLayer);
  const colouring = $derived(layer.colouring);

  /** A new one of another kind; what it is made from is what is being painted. */
  function made(kind: string): unknown {
    const first = ingredients().colourings[kind] as Record<string, unknown>;
    const own = {
      along: ofChannel(studio.selection.addressOfBase),
      channel_set: studio.selection.baseSet.id,
    };
    return Object.fromEntries(Object.entries({ ...first, ...own }).filter(([key]) => key in first));
  }
</script>

<Segmented
  label="Colours by"
  side="left"
  value={colouring.kind}
  onchange={(kind) => edit({ colouring: made(kind) })}
  choices={[
    { value: "colour", name: "Colour", about: "One colour" },
    { value: "gradient", name: "Gradient", about: "Colours along a recipe" },
    { value: "channels", name: "Set", about: "R, G and B of a channel set, as vertex colours" },
  ]}
/>
<div class="h-1.5"></div>
<Segmented
  label="How it goes on"
  side="left"
  value={layer.how}
  onchange={(how) => edit({ how })}
  choices={[
    { value: "multiply", name: "Multiply", about: "Darkens what is there by the colour" },
    { value: "replace", name: "Replace", about: "Takes the place of what is there" },
  ]}
/>
<div class="h-1"></div>
{#if colouring.kind === "colour"}
  <ColourField
    label="Colour"
    tip="What it colours with"
    value={colouring.colour as Colour}
    onchange={(colour) => edit({ colouring: { ...colouring, colour } })}
  />
{:else if colouring.kind === "channels"}
  <Choice
    label="Channel set as colours"
    tip="Its R, G and B are the colour"
    value={colouring.channel_set}
    choices={studio.ownSets.map((s) => ({ value: s.id, name: s.document.name }))}
    onchange={(channel_set) => edit({ colouring: { ...colouring, channel_set } })}
  />
{:else}
  {#each colouring.stops as stop, i (i)}
    <ColourField
      label="At {Math.round(stop[0] * 100)} %"
      tip="Colour of the gradient there"
      value={stop.slice(1) as Colour}
      onchange={(colour) =>
        edit({
          colouring: {
            ...colouring,
            stops: colouring.stops.map((s, k) => (k === i ? [s[0], ...colour] : s)),
          },
        })}
    />
  {/each}
  <p class="text-soft mt-2 mb-1 text-sm">Along</p>
  <RecipeEditor
    {studio}
    recipe={colouring.along}
    onchange={(along) => edit({ colouring: { ...colouring, along } })}
  />
{/if}
