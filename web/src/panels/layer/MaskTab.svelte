<!-- Where a layer lies: its recipe. -->
<script lang="ts">
  import { everywhereMask, ofChannel } from "../../state/ingredients";
  import { onlyChannel } from "../../state/layers";
  import type { Studio } from "../../state/studio.svelte";
  import type { Layer } from "../../state/types";
  import Choice from "../../ui/Choice.svelte";
  import RecipeEditor from "../recipe/RecipeEditor.svelte";

  const { studio, layer }: { studio: Studio; layer: Layer } = $props();

  const channels = $derived(studio.selection.channelChoices);
  const only = $derived(onlyChannel(layer.mask));
  const count = $derived(layer.mask.terms.length);
  const everywhere = $derived.by(() => {
    const [term, more] = layer.mask.terms;
    return !more && term?.on === true && term.source.kind === "constant" && term.source.value === 1;
  });
  const value = $derived(everywhere ? "everywhere" : only ? `${only.channel_set}/${only.channel}` : "recipe");
  const edit = (change: Partial<Layer>) => studio.documents.editLayer(layer.id, change);

  /** The recipe of the channel that is all of the mask, to be taken back into it. */
  const kept = $derived.by(() => {
    const set = only && studio.sets.find((s) => s.id === only.channel_set);
    const undercoat = set?.document.channels[only!.channel]?.undercoat;
    return undercoat?.kind === "measured" ? undercoat.recipe : null;
  });

  function keep(value: string): void {
    const [channel_set, channel] = value.split("/");
    const on = { channel_set: channel_set!, channel: Number(channel) };
    studio.send({ type: "measure", on, recipe: null, layer: layer.id });
  }
</script>

<div class="mb-2 flex items-center gap-2">
  <span class="text-soft shrink-0 text-sm">Mask</span>
  <div class="min-w-0 flex-1">
    <Choice
      label="Mask"
      tip="A channel whose weights decide where this layer lies, or a recipe of several terms"
      {value}
      choices={[
        ...(only || everywhere
          ? []
          : [{ value: "recipe", name: count ? `A recipe of ${count}` : "Nowhere: no term yet" }]),
        { value: "everywhere", name: "Everywhere" },
        ...channels,
      ]}
      onchange={(v) => {
        if (v === "everywhere") return edit({ mask: everywhereMask() });
        const [channel_set, channel] = v.split("/");
        if (channel_set && channel) edit({ mask: ofChannel({ channel_set, channel: Number(channel) }) });
      }}
    />
  </div>
</div>
<RecipeEditor {studio} main recipe={layer.mask} onchange={(mask) => edit({ mask })} />
{#if !only && count}
  <div class="mt-1">
    <Choice
      label="Keep this mask in a channel"
      tip="Worked out once for every site, under the channel's paint: no samples at run time, and it can be painted over"
      value=""
      empty="Keep this mask in a channel …"
      choices={channels}
      onchange={keep}
    />
  </div>
{:else if kept}
  <button
    type="button"
    class="text-accent mt-1 text-left text-sm underline"
    title="The recipe that the channel's undercoat is made by, worked out at every pixel again; paint over it stays in the channel"
    onclick={() => edit({ mask: kept })}>Take its recipe back into the mask</button
  >
{/if}
