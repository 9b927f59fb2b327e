<!-- Heights on their way in: seen from above with their size, before they are taken. -->
<script lang="ts">
  import { Dialog } from "bits-ui";

  import { lookAgain } from "../../state/intake";
  import { tellError } from "../../state/told";
  import type { LookedHeights, RawLayout, Taking } from "../../state/types";
  import { MAIN, PLAIN } from "../../ui/button";
  import { shownLength } from "../../ui/quantity";
  import Segmented from "../../ui/Segmented.svelte";
  import Toggle from "../../ui/Toggle.svelte";

  interface Props {
    looked: LookedHeights;
    busy: boolean;
    ontake: (looked: LookedHeights, taking: Taking) => void;
    onleave: () => void;
  }
  const { looked: first, busy, ontake, onleave }: Props = $props();

  // A card is made anew for every file, so what it begins with is what counts.
  let looked = $state.raw((() => first)());
  let taking = $state((() => ({ ...first.first }))());
  let main = $state<HTMLButtonElement>();
  let cropped = $state(false);

  const whole = $derived(looked.most !== null);
  const crop = $derived(taking.crop ?? { left: 0, top: 0, cols: looked.cols, rows: looked.rows });
  const cols = $derived(taking.resample?.cols ?? crop.cols);
  const rows = $derived(taking.resample?.rows ?? crop.rows);
  const width = $derived((crop.cols - 1) * taking.spacing!);
  const depth = $derived((crop.rows - 1) * taking.spacing!);
  const metres = (stored: number) =>
    taking.low! + ((taking.high! - taking.low!) * stored) / (looked.most ?? 1);
  const range = $derived(
    [metres(looked.least), metres(looked.greatest)].sort((a, b) => a - b) as [number, number],
  );
  const layout = $derived(
    looked.layout ? `&layout=${encodeURIComponent(JSON.stringify(looked.layout))}` : "",
  );

  // The picture follows when the hand rests.
  let picture = $state("");
  $effect(() => {
    const wanted = `/api/heights/${looked.file}/preview?name=${encodeURIComponent(looked.name)}&taking=${encodeURIComponent(JSON.stringify(taking))}${layout}`;
    const timer = setTimeout(() => (picture = wanted), picture ? 350 : 0);
    return () => clearTimeout(timer);
  });

  const SIZES = ["as it is", "257", "513", "1025", "2049", "4097"];
  function resample(value: string): void {
    if (value === "as it is") {
      taking.resample = null;
      return;
    }
    const longest = Number(value);
    const along = Math.max(crop.cols, crop.rows) - 1;
    const scaled = (count: number) => Math.max(2, Math.round(((count - 1) * (longest - 1)) / along) + 1);
    taking.resample = { cols: scaled(crop.cols), rows: scaled(crop.rows) };
  }

  async function readAs(change: Partial<RawLayout>): Promise<void> {
    try {
      looked = await lookAgain(looked, { ...looked.layout!, ...change });
      taking.crop = taking.resample = null;
    } catch (error) {
      tellError(error);
    }
  }

  const number = (event: Event) => Number((event.currentTarget as HTMLInputElement).value);
</script>

{#snippet field(label: string, value: number, tip: string, set: (value: number) => void, unit = "m")}
  <label class="flex items-center justify-between gap-2 text-sm" title={tip}>
    <span class="text-soft">{label}</span>
    <span class="flex items-center gap-1">
      <input
        class="bg-ash border-line num h-7 w-24 rounded border px-1.5 text-right"
        type="number"
        step="any"
        aria-label={label}
        {value}
        onchange={(e) => {
          const typed = number(e);
          if (Number.isFinite(typed)) set(typed);
        }}
      />
      <span class="num text-soft w-4">{unit}</span>
    </span>
  </label>
{/snippet}

<Dialog.Root open onOpenChange={(open: boolean) => !open && onleave()}>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 z-30 bg-black/40" />
    <Dialog.Content
      onOpenAutoFocus={(e) => {
        e.preventDefault();
        main?.focus();
      }}
      class="bg-panel border-line fixed top-1/2 left-1/2 z-40 max-h-[95vh] w-[44rem] max-w-[95vw] -translate-x-1/2
        -translate-y-1/2 overflow-y-auto rounded-xl border px-6 py-5 shadow-2xl"
    >
      <Dialog.Title class="truncate text-base font-semibold">{looked.name}</Dialog.Title>
      <Dialog.Description class="text-soft text-sm">
        {whole
          ? "Heights as whole numbers: the file does not say how many metres they are. This is a guess."
          : "Heights in metres. The file does not say how far apart they are."}
      </Dialog.Description>
      <div class="mt-4 grid gap-5 sm:grid-cols-[20rem_1fr]">
        <div>
          <img
            src={picture}
            alt="The ground from above"
            class="bg-ash block max-h-80 w-full rounded-md object-contain"
          />
          <p class="num mt-2 text-center" data-testid="terrain-size">
            {shownLength(width)} × {shownLength(depth)}
          </p>
          <p class="num text-soft text-center">
            {cols.toLocaleString("en")} × {rows.toLocaleString("en")} heights · {range[0].toFixed(1)} to {range[1].toFixed(
              1,
            )} m
          </p>
        </div>
        <div class="space-y-2">
          {@render field("Between heights", taking.spacing!, "Metres from one height to the next", (v) => {
            if (v > 0) taking.spacing = v;
          })}
          {#if whole}
            {@render field("Lowest number is", taking.low!, "What 0 in the file means", (v) => {
              if (v !== taking.high) taking.low = v;
            })}
            {@render field(
              "Highest number is",
              taking.high!,
              `What ${looked.most} in the file means`,
              (v) => {
                if (v !== taking.low) taking.high = v;
              },
            )}
          {:else}
            {@render field(
              "One is",
              taking.high! - taking.low!,
              "Vertical scale: metres that one in the file means",
              (v) => {
                if (v) taking.high = taking.low! + v;
              },
            )}
            {@render field("Zero lies at", taking.low!, "Moves all heights up or down", (v) => {
              taking.high = taking.high! + v - taking.low!;
              taking.low = v;
            })}
          {/if}
          {#if looked.layout}
            <div class="border-line border-t pt-2">
              {@render field(
                "Columns",
                looked.layout.cols,
                "Numbers in a row",
                (v) => void readAs({ cols: v }),
                "",
              )}
              {@render field(
                "Rows",
                looked.layout.rows,
                "Rows of numbers",
                (v) => void readAs({ rows: v }),
                "",
              )}
              <div class="mt-1">
                <Segmented
                  label="Byte order"
                  value={looked.layout.order ?? "little"}
                  onchange={(order) => void readAs({ order })}
                  choices={[
                    { value: "little", name: "Low byte first", about: "Little-endian" },
                    { value: "big", name: "High byte first", about: "Big-endian" },
                  ]}
                />
              </div>
            </div>
          {/if}
          <label class="flex items-center justify-between gap-2 text-sm">
            <span class="text-soft">Heights along the longer edge</span>
            <select
              class="bg-ash border-line h-7 rounded border px-1.5"
              aria-label="Heights along the longer edge"
              onchange={(e) => resample(e.currentTarget.value)}
            >
              {#each SIZES as size (size)}<option>{size}</option>{/each}
            </select>
          </label>
          {#if looked.holes}
            <Toggle
              label="Fill {looked.holes.toLocaleString('en')} holes"
              about="Smoothly, from what lies around them"
              on={taking.mend ?? false}
              onchange={(on) => (taking.mend = on)}
            />
          {/if}
          {#if looked.steps}
            <Toggle
              label="Soften the steps"
              about="No height moves by more than half a step"
              on={taking.soften ?? false}
              onchange={(on) => (taking.soften = on)}
            />
          {/if}
          <Toggle
            label="Only a part of it"
            about="Leave out what lies outside"
            on={cropped}
            onchange={(on) => {
              cropped = on;
              taking.crop = on ? { ...crop } : null;
              taking.resample = null;
            }}
          />
          {#if cropped && taking.crop}
            {@render field(
              "First column",
              crop.left,
              "",
              (v) => (taking.crop = { ...crop, left: Math.round(v) }),
              "",
            )}
            {@render field(
              "First row",
              crop.top,
              "",
              (v) => (taking.crop = { ...crop, top: Math.round(v) }),
              "",
            )}
            {@render field(
              "Columns kept",
              crop.cols,
              "",
              (v) => (taking.crop = { ...crop, cols: Math.round(v) }),
              "",
            )}
            {@render field(
              "Rows kept",
              crop.rows,
              "",
              (v) => (taking.crop = { ...crop, rows: Math.round(v) }),
              "",
            )}
          {/if}
          {#if looked.notes.length}
            <ul class="text-warn list-disc space-y-1 pl-4 text-sm">
              {#each looked.notes as note (note)}<li>{note}</li>{/each}
            </ul>
          {/if}
        </div>
      </div>
      <div class="mt-5 flex gap-2">
        <button
          bind:this={main}
          type="button"
          class="{MAIN} flex-1"
          disabled={busy || (looked.holes > 0 && !taking.mend)}
          onclick={() => ontake(looked, $state.snapshot(taking) as Taking)}
        >
          {busy ? "Taking it in …" : "Bring it in"}
        </button>
        <button type="button" class={PLAIN} onclick={onleave}>Leave it</button>
      </div>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
