<!-- The channels of a set: who they are, how much they hold, who reads them. -->
<script lang="ts">
  import Lock from "@lucide/svelte/icons/lock";
  import LockOpen from "@lucide/svelte/icons/lock-open";
  import Ellipsis from "@lucide/svelte/icons/ellipsis";
  import { DropdownMenu } from "bits-ui";

  import type { Studio } from "../state/studio.svelte";
  import { LETTERS } from "../state/types";
  import Choice from "../ui/Choice.svelte";
  import IconButton from "../ui/IconButton.svelte";

  const { studio }: { studio: Studio } = $props();

  let renaming = $state<number | null>(null);

  const facts = (channel: number) => studio.statistics?.channels[studio.set.id]?.[channel];

  /** Shares of the area by weight, the empty end left out of the scale so that the rest can be seen. */
  function bars(histogram: number[]): number[] {
    const most = Math.max(0.02, ...histogram.slice(1));
    return histogram.map((share) => Math.min(1, share / most));
  }

  /** What the row says of the layers that read the channel; nothing when the one has its name. */
  function reading(channel: number): string {
    const layers = studio.readers(channel);
    if (layers.length === 0) return " · no layer reads it";
    if (layers.every((l) => !l.visible)) return " · its layer is hidden";
    const names = layers.map((l) => l.name).join(", ");
    return names === studio.set.document.channels[channel]?.name ? " of the area" : ` · ${names}`;
  }

  function rename(channel: number, name: string): void {
    renaming = null;
    if (name.trim()) studio.editChannel(channel, { name: name.trim().slice(0, 60) });
  }
</script>

<section class="border-line border-b px-4 pt-3 pb-2" aria-label="Channels">
  <header class="mb-1 flex h-8 items-center justify-between gap-3">
    <h2 class="font-semibold">Channels</h2>
    {#if studio.sets.length > 1}
      <div class="w-36">
        <Choice
          label="Channel set"
          value={String(studio.activeSet)}
          choices={studio.sets.map((s, i) => ({ value: String(i), name: s.document.name }))}
          onchange={(v) => {
            studio.activeSet = Number(v);
            studio.activeChannel = Math.min(studio.activeChannel, studio.set.document.channels.length - 1);
          }}
        />
      </div>
    {:else}
      <span class="num text-soft truncate">{studio.set.document.name}</span>
    {/if}
  </header>
  <ul class="-mx-4" role="listbox" aria-label="Channel to paint on">
    {#each studio.set.document.channels as channel, i (i)}
      {@const f = facts(i)}
      {@const unread = studio.readers(i).every((l) => !l.visible)}
      {@const chosen = studio.activeChannel === i}
      <li
        class="group relative flex items-center gap-1 py-1.5 pr-2 pl-4 {chosen
          ? 'bg-raised before:bg-accent before:absolute before:inset-y-0 before:left-0 before:w-[3px]'
          : ''}"
      >
        <button
          type="button"
          role="option"
          aria-selected={chosen}
          class="flex min-w-0 flex-1 items-center gap-2.5 text-left"
          title="Choose channel {LETTERS[i]} (key {i + 1}); double click renames it"
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
              <!-- svelte-ignore a11y_autofocus -->
              <input
                class="bg-ash border-line h-6 w-full rounded border px-1"
                aria-label="Name of channel {LETTERS[i]}"
                value={channel.name}
                autofocus
                onclick={(e) => e.stopPropagation()}
                onkeydown={(e) => {
                  e.stopPropagation();
                  if (e.key === "Enter") rename(i, e.currentTarget.value);
                  if (e.key === "Escape") renaming = null;
                }}
                onblur={(e) => renaming === i && rename(i, e.currentTarget.value)}
              />
            {/if}
            <span class="num block {unread && (f?.coverage ?? 0) > 0 ? 'text-warn' : 'text-soft'}">
              {f ? `${Math.round(f.coverage * 100)} %` : "…"}{reading(i)}
            </span>
          </span>
          <span class="flex h-5 w-11 shrink-0 items-end gap-px" aria-hidden="true">
            {#if f}
              {#each bars(f.histogram) as height, b (b)}
                <span
                  class="min-h-px flex-1 {chosen ? 'bg-accent' : 'bg-soft/70'}"
                  style:height="{Math.max(4, height * 100)}%"
                ></span>
              {/each}
            {/if}
          </span>
        </button>
        <span
          class="flex flex-col {chosen || channel.locked
            ? ''
            : 'opacity-0 group-focus-within:opacity-100 group-hover:opacity-100'}"
        >
          <IconButton
            small
            side="right"
            label={channel.locked ? `Unlock ${channel.name}` : `Lock ${channel.name} against painting`}
            key={chosen ? "L" : undefined}
            pressed={channel.locked}
            onclick={() => studio.editChannel(i, { locked: !channel.locked })}
          >
            {#if channel.locked}<Lock size={14} />{:else}<LockOpen size={14} />{/if}
          </IconButton>
          <DropdownMenu.Root>
            <DropdownMenu.Trigger
              class="text-soft hover:text-ink hover:bg-strong grid size-6 place-items-center rounded"
              aria-label="More for {channel.name}"
            >
              <Ellipsis size={15} />
            </DropdownMenu.Trigger>
            <DropdownMenu.Portal>
              <DropdownMenu.Content
                align="end"
                sideOffset={4}
                class="bg-raised border-line z-50 min-w-60 rounded-md border p-1 text-sm shadow-xl"
              >
                {#each [{ name: `Fill with the target (${studio.brush.settings.target.toFixed(2)})`, key: "Shift+F", act: () => studio.fill("fill") }, { name: "Invert", key: "Shift+I", act: () => studio.fill("invert") }, { name: "Lift all paint off", key: "", act: () => studio.fill("lift") }] as item (item.name)}
                  <DropdownMenu.Item
                    disabled={channel.locked}
                    class="data-highlighted:bg-strong flex cursor-pointer items-center justify-between gap-4 rounded px-2 py-1.5 data-disabled:opacity-45"
                    onSelect={() => {
                      studio.chooseChannel(i);
                      item.act();
                    }}
                  >
                    {item.name}<kbd class="num text-soft">{item.key}</kbd>
                  </DropdownMenu.Item>
                {/each}
                <DropdownMenu.Item
                  class="data-highlighted:bg-strong cursor-pointer rounded px-2 py-1.5"
                  onSelect={() => setTimeout(() => (renaming = i), 50)}
                >
                  Rename
                </DropdownMenu.Item>
                <div class="border-line mt-1 flex items-center gap-2 border-t px-2 pt-2 pb-1">
                  <span class="text-soft flex-1">Undercoat</span>
                  <input
                    type="number"
                    min="0"
                    max="1"
                    step="0.05"
                    aria-label="Undercoat of {channel.name}"
                    class="bg-ash border-line num h-7 w-20 rounded border px-1 text-right"
                    value={channel.undercoat.value}
                    onkeydown={(e) => e.stopPropagation()}
                    onchange={(e) => {
                      const value = Math.min(1, Math.max(0, e.currentTarget.valueAsNumber || 0));
                      studio.editChannel(i, { undercoat: { kind: "constant", value } });
                    }}
                  />
                </div>
                <p class="text-soft max-w-60 px-2 pb-1 text-xs">
                  What the channel holds where there is no paint.
                </p>
              </DropdownMenu.Content>
            </DropdownMenu.Portal>
          </DropdownMenu.Root>
        </span>
      </li>
    {/each}
  </ul>
</section>
