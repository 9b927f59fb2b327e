<!-- A mesh whose file does not say how large it is or how it stands: seen beside a person, before it is taken. -->
<script lang="ts">
  import { Dialog } from "bits-ui";

  import SizeFigure from "../../panels/SizeFigure.svelte";
  import type { Looked, Placing } from "../../state/types";
  import { MAIN, PLAIN } from "../../ui/button";
  import { shownSize } from "../../ui/quantity";
  import Segmented from "../../ui/Segmented.svelte";

  interface Props {
    looked: Looked;
    busy: boolean;
    ontake: (placing: Placing) => void;
    onleave: () => void;
  }
  const { looked, busy, ontake, onleave }: Props = $props();

  const UNITS = [
    { value: "0.001", name: "mm", about: "Millimetres" },
    { value: "0.01", name: "cm", about: "Centimetres" },
    { value: "0.0254", name: "inch", about: "Inches" },
    { value: "0.3048", name: "foot", about: "Feet" },
    { value: "1", name: "m", about: "Metres" },
    { value: "1000", name: "km", about: "Kilometres" },
  ];
  const AXES = (["x", "y", "z"] as const).map((axis) => ({
    value: axis,
    name: axis.toUpperCase(),
    about: `The file's ${axis.toUpperCase()} points up`,
  }));

  // A card is made anew for every mesh, so the guess it begins with is the one that counts.
  const guess = (() => looked.guess)();
  let unit = $state(String(guess.metres_per_unit));
  let main = $state<HTMLButtonElement>();
  let up = $state(guess.up ?? "y");
  const size = $derived(looked.standing[up]!.map((s) => s * Number(unit)) as [number, number, number]);
</script>

<Dialog.Root open onOpenChange={(open: boolean) => !open && onleave()}>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 z-30 bg-black/40" />
    <Dialog.Content
      onOpenAutoFocus={(e) => {
        // Enter takes the guess.
        e.preventDefault();
        main?.focus();
      }}
      class="bg-panel border-line fixed top-1/2 left-1/2 z-40 max-h-[95vh] w-[26rem] max-w-[95vw] -translate-x-1/2
        -translate-y-1/2 overflow-y-auto rounded-xl border px-6 py-5 shadow-2xl"
    >
      <Dialog.Title class="truncate text-base font-semibold">{looked.name}</Dialog.Title>
      <Dialog.Description class="text-soft text-sm">
        {looked.certain
          ? "A GLB is in metres, and this one is an odd size. Does it look right?"
          : "This kind of file does not say what unit it is in, nor what is up. This is a guess."}
      </Dialog.Description>
      <div class="mt-4"><SizeFigure {size} /></div>
      <p class="num mt-2 text-center" data-testid="import-size">{shownSize(size)}</p>
      <p class="text-soft num text-center">
        {looked.vertices.toLocaleString("en")} vertices · {looked.triangles.toLocaleString("en")} triangles
      </p>
      <h3 class="text-soft mt-4 mb-1 text-sm">One unit of the file is one</h3>
      <Segmented label="Unit" side="top" value={unit} onchange={(v) => (unit = v)} choices={UNITS} />
      <h3 class="text-soft mt-4 mb-1 text-sm">Up is</h3>
      <Segmented label="Up axis" side="top" value={up} onchange={(v) => (up = v)} choices={AXES} />
      {#if looked.notes.length}
        <ul class="text-soft mt-4 list-disc space-y-1 pl-4 text-sm">
          {#each looked.notes as note (note)}<li>{note}</li>{/each}
        </ul>
      {/if}
      <div class="mt-5 flex gap-2">
        <button
          bind:this={main}
          type="button"
          class="{MAIN} flex-1"
          disabled={busy}
          onclick={() => ontake({ metres_per_unit: Number(unit), up })}
        >
          {busy ? "Taking it in …" : "Bring it in"}
        </button>
        <button type="button" class={PLAIN} onclick={onleave}>Leave it</button>
      </div>
      <p class="text-soft mt-3 text-sm">Both can be changed later, under Prepare.</p>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
