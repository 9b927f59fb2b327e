<!-- A picture of what is shown, as large as it is wanted. -->
<script lang="ts">
  import { isProgrammed, rangeOf, type Lens } from "../state/lenses";
  import type { Studio } from "../state/studio.svelte";
  import { tell } from "../state/told";
  import type { LensView } from "../state/types";
  import { drawLegend } from "../viewport/legend";
  import { shownLength } from "../ui/quantity";
  import Segmented from "../ui/Segmented.svelte";
  import Sheet from "../ui/Sheet.svelte";
  import Toggle from "../ui/Toggle.svelte";

  const { studio, shown, program }: { studio: Studio; shown: Lens; program: LensView | null } = $props();

  const WIDTHS = ["1280", "1920", "2560", "4096"].map((value) => ({
    value,
    name: value,
    about: `${value} pixels wide`,
  }));
  let width = $state("1920");
  let sky = $state(true);
  let legend = $state(true);
  let done = $state<number | null>(null);
  let stopped = false;

  const ends = $derived.by((): [string, string] | null => {
    if (shown === "channel") return ["0", "1"];
    if (shown === "grain" || shown === "distance") {
      const [low, high] = rangeOf(studio, shown);
      return [shownLength(low), shownLength(high)];
    }
    if (!isProgrammed(shown) || !program) return null;
    const unit = program.unit === "°" ? "°" : program.unit ? ` ${program.unit}` : "";
    return [`${program.low}${unit}`, `${program.high}${unit}`];
  });

  async function save(): Promise<void> {
    stopped = false;
    done = 0;
    try {
      const canvas = await studio.eye.save(Number(width), sky, (share) => {
        done = share;
        return !stopped;
      });
      if (!canvas) {
        if (!stopped)
          tell({
            problem: "The picture changed while it was drawn.",
            remedy: "Hold still and save it again.",
          });
        return;
      }
      if (legend && ends) drawLegend(canvas, ends);
      const blob = await new Promise<Blob | null>((resolve) => canvas.toBlob(resolve, "image/png"));
      if (!blob) throw new Error("no picture");
      const link = document.createElement("a");
      link.href = URL.createObjectURL(blob);
      link.download = `${studio.name} ${shown}.png`;
      link.click();
      setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
      studio.selection.savingPicture = false;
    } catch {
      tell({ problem: "So large a picture cannot be drawn here.", remedy: "Choose a smaller one." });
    } finally {
      done = null;
    }
  }
</script>

<Sheet
  title="Save a picture"
  about="Of what the view shows now, as a PNG"
  bind:open={studio.selection.savingPicture}
>
  <div class="flex flex-col gap-3">
    <Segmented label="Width" choices={WIDTHS} value={width} side="top" onchange={(v) => (width = v)} />
    <Toggle
      label="With sky and ground"
      about="Else there is nothing behind the surface: the picture is clear there"
      on={sky}
      onchange={(on) => (sky = on)}
    />
    {#if ends}
      <Toggle
        label="With its legend"
        about="What its colours stand for, in the corner"
        on={legend}
        onchange={(on) => (legend = on)}
      />
    {/if}
    {#if done === null}
      <button
        type="button"
        class="bg-accent text-ash h-9 rounded-md px-4 font-semibold"
        onclick={() => void save()}>Save</button
      >
    {:else}
      <div class="flex items-center gap-3">
        <progress class="accent-accent h-2 flex-1" value={done} aria-label="Drawing"></progress>
        <button type="button" class="bg-strong rounded px-3 py-1.5" onclick={() => (stopped = true)}
          >Stop</button
        >
      </div>
    {/if}
  </div>
</Sheet>
