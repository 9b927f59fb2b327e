<!-- What the picture shows, and the scale of its values: the lens in front, and what lies beside it. -->
<script lang="ts">
  import { ALL_LENSES, isProgrammed, rangeOf, type Lens } from "../state/lenses";
  import { heightsIn } from "../state/sites";
  import type { LensView } from "../state/types";
  import type { Studio } from "../state/studio.svelte";
  import { LETTERS } from "../state/types";
  import Legend from "./Legend.svelte";

  const { studio, shown, program }: { studio: Studio; shown: Lens; program: LensView | null } = $props();

  const names: Record<Lens, string> = {
    ...(Object.fromEntries(ALL_LENSES.map((l) => [l.value, l.name])) as Record<Lens, string>),
    distance: "Distance to the old surface",
  };
  function labelOf(lens: Lens): string {
    if (lens === "set") return `Set · ${studio.selection.set.document.name}`;
    if (lens === "channel")
      return `Channel ${LETTERS[studio.selection.activeChannel]} · ${studio.selection.channel.name}`;
    if (lens === "mask" || lens === "share" || lens === "weight") {
      return `${names[lens]} · ${layerName ?? "no layer is open"}`;
    }
    return names[lens];
  }
  const layerName = $derived(
    studio.documents.blend.layers.find((l) => l.id === studio.selection.openLayer)?.name,
  );
  const compareLabel = $derived.by(() => {
    const compare = studio.selection.compare;
    if (!compare) return "";
    if (compare.kind === "snapshot") return compare.snapshot?.name ?? "";
    if (compare.kind === "level") return `Level ${compare.level}`;
    return labelOf(compare.lens);
  });
  type Scaled = "channel" | "grain" | "distance";
  const isScaled = (lens: Lens | null): lens is Scaled =>
    lens === "channel" || lens === "grain" || lens === "distance";
  const ground = $derived(heightsIn(studio.selection.set, studio.surface));
  const besideLens = $derived(
    studio.selection.compare?.kind === "lens" ? studio.selection.compare.lens : null,
  );
</script>

{#snippet scale(lens: Lens | null)}
  {#if lens === "channel" && ground}
    <Legend kind="program" range={[ground.painted_low, ground.painted_high]} unit="m" />
  {:else if isScaled(lens)}
    <Legend kind={lens} range={rangeOf(studio, lens)} />
  {/if}
{/snippet}

{#if studio.selection.compare}
  {@const at = studio.selection.compare.sideBySide ? 0.5 : studio.selection.compare.at}
  <div
    class="pointer-events-none absolute top-3 flex items-center gap-2"
    style:left="calc({at * 100}% + 12px)"
  >
    <span class="bg-ash/85 rounded-md px-2.5 py-1 text-sm whitespace-nowrap">{compareLabel}</span>
    {#if besideLens !== shown}{@render scale(besideLens)}{/if}
  </div>
{/if}

<div class="pointer-events-none absolute top-3 left-3 flex items-center gap-2">
  <span class="bg-ash/85 rounded-md px-2.5 py-1 text-sm whitespace-nowrap">
    {studio.preparing.planShown ? "Plan · " : ""}{labelOf(shown)}{studio.selection.level
      ? ` · level ${studio.selection.level}`
      : ""}{studio.painting.previewing ? " · preview" : ""}
  </span>
  {#if isProgrammed(shown) && program}
    <Legend kind="program" range={[program.low, program.high]} unit={program.unit} band={program.band} />
  {/if}
  {@render scale(shown)}
  {#if studio.lighting.told && studio.lighting.light}
    {@const { azimuth, tilt } = studio.lighting.light}
    <span class="bg-ash/85 num rounded-md px-2.5 py-1.5 whitespace-nowrap" role="status" data-testid="light">
      Key light from {Math.round(azimuth)}°, {Math.round(tilt)}° up
    </span>
  {/if}
</div>
