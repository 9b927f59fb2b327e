<!-- The channels of a set: who they are, how much they hold, who reads them. -->
<script lang="ts">
  import Lock from "@lucide/svelte/icons/lock";
  import LockOpen from "@lucide/svelte/icons/lock-open";
  import Ellipsis from "@lucide/svelte/icons/ellipsis";
  import { Popover } from "bits-ui";

  import { keyFor } from "../state/keys";
  import { heightsIn, liesOn, terrainOf } from "../state/sites";
  import type { Studio } from "../state/studio.svelte";
  import { LETTERS, type AnyFill } from "../state/types";
  import Choice from "../ui/Choice.svelte";
  import IconButton from "../ui/IconButton.svelte";
  import { shownLength } from "../ui/quantity";
  import NameField from "../ui/NameField.svelte";
  import SetMenu from "./SetMenu.svelte";

  const { studio }: { studio: Studio } = $props();

  let renaming = $state<number | null>(null);
  let more = $state<number | null>(null);

  const changes: { name: string; about: string; fill: () => AnyFill }[] = [
    {
      name: "Fill with the target",
      about: "Fill the channel with the target",
      fill: () => ({ kind: "even", weight: studio.brush.settings.target }),
    },
    { name: "Invert", about: "Invert the channel", fill: () => ({ kind: "invert" }) },
    { name: "Lift all paint off", about: "Lift all paint off", fill: () => ({ kind: "lift" }) },
  ];

  const ofMesh = $derived(studio.surface.facts as Record<string, number>);
  const facts = (channel: number) => studio.statistics?.channels[studio.selection.set.id]?.[channel];

  /** Share of the sites that hold paint of their own, on a level that is carried down to. */
  const own = $derived(studio.selection.level > 0 ? (facts(studio.selection.activeChannel)?.own ?? 0) : 0);

  /** Shares of the area by weight, the empty end left out of the scale so that the rest can be seen. */
  function bars(histogram: number[]): number[] {
    const most = Math.max(0.02, ...histogram.slice(1));
    return histogram.map((share) => Math.min(1, share / most));
  }

  /** What a channel holds and which layers read it: in short for the row, in full for its title. */
  function telling(channel: number): { short: string; full: string; warn: boolean } {
    const f = facts(channel);
    if (heights) {
      const moved = f ? `${percent(f.own, 1)} of it moved by hand` : "";
      return {
        short: f ? `${percent(f.own)} moved` : "…",
        full: `the ground’s heights${moved && ", "}${moved}`,
        warn: false,
      };
    }
    const { short, full, seen } = reading(channel);
    const much = f ? `${percent(f.coverage, 1)} of the area, ${percent(f.touched, 1)} touched, ` : "";
    return {
      short: `${f ? percent(f.coverage) : "…"}${f?.stale ? " stale" : short}`,
      full: much + full,
      warn: !!f?.stale || (!seen && (f?.coverage ?? 0) > 0),
    };
  }
  const heights = $derived(heightsIn(studio.selection.set, studio.surface));
  const percent = (share: number, digits = 0) => `${(share * 100).toFixed(digits)} %`;

  function reading(channel: number): { short: string; full: string; seen: boolean } {
    const readers = studio.documents.readers(channel);
    if (readers.length === 0) return { short: " unread", full: "no layer reads it", seen: false };
    if (!readers.some(({ shown }) => shown))
      return { short: " hidden", full: "the layer that reads it is hidden", seen: false };
    const names = readers.map(({ name }) => name).join(", ");
    const same = names === studio.selection.set.document.channels[channel]?.name;
    return { short: same ? "" : ` · ${names}`, full: `read by ${names}`, seen: true };
  }

  function rename(channel: number, name: string | null): void {
    renaming = null;
    if (name) studio.documents.editChannel(channel, { name });
  }
</script>

<section class="border-line @container border-b px-3 pt-2 pb-1.5" aria-label="Channels">
  <header class="mb-1 flex h-8 items-center justify-between gap-3">
    <h2 class="font-semibold">Channels</h2>
    <div class="flex min-w-0 items-center gap-1">
      {#if studio.ownSets.length > 1}
        <div class="w-32 min-w-0">
          <Choice
            label="Channel set"
            tip="Which set of channels is shown and painted on"
            value={String(studio.selection.activeSet)}
            choices={studio.ownSets.map((s, i) => ({ value: String(i), name: s.document.name }))}
            onchange={(v) => studio.selection.chooseSet(Number(v))}
          />
        </div>
      {:else}
        <span class="num text-soft truncate">{studio.selection.set.document.name}</span>
      {/if}
      <SetMenu {studio} />
    </div>
  </header>
  <p class="num text-soft -mt-1 mb-1 truncate" title="Places that hold a value, and how far apart they are">
    {#if terrainOf(studio.surface)}
      {liesOn(studio.selection.set, studio.surface)}
    {:else}
      {#if studio.selection.level > 0}
        {studio.levels[studio.selection.level - 1]?.vertices.toLocaleString("en")} sites on level {studio
          .selection.level}
      {:else}
        {ofMesh["vertices"]?.toLocaleString("en")} sites · {shownLength(ofMesh["spacing_median"] ?? 0)} apart
      {/if}
    {/if}
  </p>
  {#if studio.selection.level > 0 || studio.selection.set.sites.kind === "texels"}
    <p class="text-soft mb-1 flex items-center justify-between gap-2 text-sm">
      {#if studio.selection.set.sites.kind === "texels"}
        {liesOn(studio.selection.set, studio.surface)}
      {:else}
        Level {studio.selection.level}: carried down{own > 0.0005 ? "" : ", nothing painted here"}
      {/if}
      {#if studio.selection.level > 0 && own > 0.0005}
        <button
          type="button"
          class="text-accent underline"
          title="Lift this level's own paint off the channel; what is carried down shows again"
          onclick={() => studio.painting.fill({ kind: "lift" })}
          >{Math.max(1, Math.round(own * 100))} % own: back</button
        >
      {/if}
    </p>
  {/if}
  <ul class="-mx-3" aria-label="Channel to paint on">
    {#each studio.selection.set.document.channels as channel, i (i)}
      {@const f = facts(i)}
      {@const told = telling(i)}
      {@const chosen = studio.selection.activeChannel === i}
      <li
        class="group relative flex items-center gap-1 py-1 pr-2 pl-3 {chosen
          ? 'bg-raised before:bg-accent before:absolute before:inset-y-0 before:left-0 before:w-[3px]'
          : ''}"
      >
        <!-- While its name is typed there is a field inside, which a button may not hold. -->
        <svelte:element
          this={renaming === i ? "div" : "button"}
          {...renaming === i ? {} : { type: "button", "aria-pressed": chosen }}
          role={renaming === i ? "group" : "button"}
          class="flex min-w-0 flex-1 items-center gap-2.5 text-left"
          title="{channel.name}: {told.full}. Key {i + 1}; double click renames it."
          onclick={() => studio.chooseChannel(i)}
          ondblclick={() => (renaming = i)}
        >
          <span
            class="num grid size-6 shrink-0 place-items-center rounded-full border {chosen
              ? 'border-accent text-accent'
              : 'border-soft text-soft'}">{LETTERS[i]}</span
          >
          <span class="min-w-0 flex-1">
            {#if renaming !== i}<span class="block truncate">{channel.name}</span>{/if}
            {#if renaming === i}
              <NameField
                label="Name of channel {LETTERS[i]}"
                value={channel.name}
                ondone={(name) => rename(i, name)}
              />
            {/if}
            <span class="num block truncate text-xs {told.warn ? 'text-warn' : 'text-soft'}">
              {told.short}
            </span>
          </span>
          <!-- Where it is narrow the name and the number need the room. -->
          <span class="hidden h-5 w-10 shrink-0 items-end gap-px @[12rem]:flex" aria-hidden="true">
            {#if f}
              {#each bars(f.histogram) as height, b (b)}
                <span
                  class="min-h-px flex-1 {chosen ? 'bg-accent' : 'bg-soft/70'}"
                  style:height="{Math.max(4, height * 100)}%"
                ></span>
              {/each}
            {/if}
          </span>
        </svelte:element>
        <span
          class="-ml-1 flex {chosen || channel.locked || more === i
            ? ''
            : 'opacity-0 group-focus-within:opacity-100 group-hover:opacity-100'}"
        >
          <IconButton
            small
            side="right"
            label={channel.locked ? `Unlock ${channel.name}` : `Lock ${channel.name} against painting`}
            key={chosen ? "L" : undefined}
            pressed={channel.locked}
            onclick={() => studio.documents.editChannel(i, { locked: !channel.locked })}
          >
            {#if channel.locked}<Lock size={14} />{:else}<LockOpen size={14} />{/if}
          </IconButton>
          <Popover.Root bind:open={() => more === i, (open) => (more = open ? i : null)}>
            <Popover.Trigger
              class="text-soft hover:text-ink hover:bg-strong grid size-6 place-items-center rounded"
              aria-label="More for {channel.name}"
              title="Fill, invert, lift, rename, undercoat"
            >
              <Ellipsis size={15} />
            </Popover.Trigger>
            <Popover.Portal>
              <Popover.Content
                role="dialog"
                aria-label="More for {channel.name}"
                side="right"
                align="start"
                sideOffset={6}
                class="bg-raised border-line z-50 w-64 rounded-md border p-1 text-sm shadow-xl"
              >
                {#each changes as change (change.about)}
                  <button
                    type="button"
                    disabled={channel.locked}
                    class="hover:bg-strong flex w-full items-center justify-between gap-4 rounded px-2 py-1.5 text-left
                    disabled:opacity-45"
                    onclick={() => {
                      more = null;
                      studio.chooseChannel(i);
                      studio.painting.fill(change.fill());
                    }}
                  >
                    {change.about.startsWith("Fill")
                      ? `${change.name} (${studio.brush.settings.target.toFixed(2)})`
                      : change.name}
                    <kbd class="num text-soft">{keyFor(change.about) ?? ""}</kbd>
                  </button>
                {/each}
                <button
                  type="button"
                  class="hover:bg-strong w-full rounded px-2 py-1.5 text-left"
                  onclick={() => {
                    more = null;
                    renaming = i;
                  }}
                >
                  Rename
                </button>
                {#if channel.undercoat.kind === "constant"}
                  <label class="border-line mt-1 flex items-center gap-2 border-t px-2 pt-2 pb-1">
                    <span class="text-soft flex-1">Undercoat</span>
                    <input
                      type="number"
                      min="0"
                      max="1"
                      step="0.05"
                      aria-label="Undercoat of {channel.name}"
                      class="bg-ash border-line num h-7 w-20 rounded border px-1 text-right"
                      value={channel.undercoat.value}
                      onchange={(e) => {
                        const value = Math.min(1, Math.max(0, e.currentTarget.valueAsNumber || 0));
                        studio.documents.editChannel(i, { undercoat: { kind: "constant", value } });
                      }}
                    />
                  </label>
                {:else}
                  <p class="border-line mt-1 border-t px-2 pt-2 pb-1">
                    Undercoat: {channel.undercoat.kind === "carried" ? "what level 0 holds" : "measured"}
                  </p>
                {/if}
                <p class="text-soft px-2 pb-1 text-xs">What the channel holds where there is no paint.</p>
              </Popover.Content>
            </Popover.Portal>
          </Popover.Root>
        </span>
      </li>
    {/each}
  </ul>
</section>
