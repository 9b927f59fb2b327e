<!-- The Studio: what lies on the surface, the picture, what it becomes. -->
<script lang="ts">
  import { onMount, untrack } from "svelte";

  import HistoryIcon from "@lucide/svelte/icons/history";
  import CircleHelp from "@lucide/svelte/icons/circle-help";
  import Moon from "@lucide/svelte/icons/moon";
  import Redo from "@lucide/svelte/icons/redo-2";
  import Sun from "@lucide/svelte/icons/sun";
  import Undo from "@lucide/svelte/icons/undo-2";

  import ColumnEdge from "../panels/ColumnEdge.svelte";
  import BottomLine from "../panels/BottomLine.svelte";
  import BrushPanel from "../panels/BrushPanel.svelte";
  import ChannelsPanel from "../panels/ChannelsPanel.svelte";
  import ExportSheet from "../panels/ExportSheet.svelte";
  import FillsPanel from "../panels/FillsPanel.svelte";
  import HelpSheet from "../panels/HelpSheet.svelte";
  import HistoryPanel from "../panels/HistoryPanel.svelte";
  import ImportNotes from "../panels/ImportNotes.svelte";
  import LayersPanel from "../panels/LayersPanel.svelte";
  import PreparePanel from "../panels/PreparePanel.svelte";
  import UndercoatPanel from "../panels/UndercoatPanel.svelte";
  import ViewportPane from "../panels/ViewportPane.svelte";
  import { columns } from "../state/columns.svelte";
  import { actOnKey } from "../state/keys";
  import { route } from "../state/route.svelte";
  import type { Side } from "../state/selection.svelte";
  import type { Studio } from "../state/studio.svelte";
  import { theme } from "../state/theme.svelte";
  import { MAIN } from "../ui/button";
  import { ALL_LENSES, lensFits } from "../state/lenses";
  import IconButton from "../ui/IconButton.svelte";
  import Segmented from "../ui/Segmented.svelte";
  import Tip from "../ui/Tip.svelte";
  import Mark from "./Mark.svelte";

  const { studio }: { studio: Studio } = $props();

  /**
   * How many parts of the page are there. They come after the picture of shape and light, each in a turn
   * of its own: made all at once they kept picture, socket and pointer waiting for a second on two cores.
   */
  let there = $state(0);
  const PARTS = 4;
  /** Milliseconds after which they do not wait for a picture any more. */
  const PATIENCE = 1500;
  let turn: ReturnType<typeof setTimeout>;
  function bringParts(): void {
    clearTimeout(turn);
    if (there++ < PARTS) turn = setTimeout(bringParts);
  }
  onMount(() => {
    turn = setTimeout(bringParts, PATIENCE);
    return () => clearTimeout(turn);
  });

  let exporting = $state(false);
  let helping = $state(false);

  /** The work in its order; each stage says what the right side holds. */
  const STAGES: { value: Side; name: string; about: string; key?: string }[] = [
    { value: "prepare", name: "Prepare", about: "Judge and change the mesh", key: "P" },
    { value: "undercoat", name: "Undercoat", about: "What lies under the paint of a channel", key: "U" },
    { value: "fills", name: "Fill", about: "Acts on a whole channel at once", key: "F" },
    { value: "blend", name: "Blend", about: "What it becomes" },
  ];
  const about = $derived(
    STAGES.find((s) => s.value === studio.selection.side)?.about ?? "Steps and snapshots",
  );

  $effect(() => {
    void studio.documents.compiled;
    studio.followSolo();
  });

  // What was looked through is looked through again when the page is loaded anew.
  untrack(() => {
    const kept = sessionStorage.getItem(`ash.lens.${studio.surface.id}`);
    const back = ALL_LENSES.find(({ value }) => value === kept);
    if (back && lensFits(studio, back.value)) studio.selection.lens = back.value;
  });
  $effect(() => sessionStorage.setItem(`ash.lens.${studio.surface.id}`, studio.selection.lens));

  const home = $derived(`/project/${studio.surface.project}`);
</script>

<svelte:window
  onkeydown={(event) => {
    if (exporting || helping) return;
    if (event.key === "?") helping = true;
    else actOnKey(event, studio);
  }}
/>

<div
  class="grid h-full grid-rows-[2.5rem_minmax(0,1fr)_2.25rem]"
  style:grid-template-columns="{columns.left}px minmax(0, 1fr) {columns.right}px"
>
  <header class="bg-panel border-line col-span-3 flex items-center gap-2 border-b pr-3 pl-4">
    <Tip text="To the project">
      {#snippet children(props)}
        <a
          {...props}
          href={home}
          class="flex items-center gap-2.5 font-semibold"
          onclick={(e) => {
            e.preventDefault();
            route.go(home);
          }}
        >
          <Mark /> <span class="whitespace-nowrap max-[1050px]:sr-only">Ash Blend</span>
        </a>
      {/snippet}
    </Tip>
    <span class="text-soft max-[1050px]:hidden">/</span>
    <h1 class="max-w-56 min-w-16 truncate font-medium">{studio.name}</h1>
    <nav class="ml-2 flex items-center gap-1 min-[1050px]:ml-5" aria-label="The work in its order">
      <Segmented
        label="Right side"
        side="bottom"
        value={studio.selection.side}
        onchange={(v) => (studio.selection.side = v)}
        path
        choices={STAGES}
      />
      <span class="text-soft text-sm max-[1050px]:hidden" aria-hidden="true">›</span>
      <button
        type="button"
        class="{MAIN} ml-2"
        title="Take the painted mesh out"
        onclick={() => (exporting = true)}>Export</button
      >
    </nav>
    <div class="ml-auto flex shrink-0 items-center gap-1">
      {#if studio.preparing.job && studio.selection.side !== "prepare"}
        <button
          type="button"
          class="text-accent mr-2 text-sm underline"
          onclick={() => (studio.selection.side = "prepare")}
        >
          {studio.preparing.job.state === "done"
            ? "Ready to keep"
            : `${studio.preparing.job.title} ${Math.round(studio.preparing.job.progress * 100)} %`}
        </button>
      {/if}
      <IconButton
        label={studio.undone !== null ? `Undo: ${studio.undone}` : "Nothing to undo"}
        key="Ctrl+Z"
        disabled={studio.undone === null}
        onclick={() => studio.undo()}><Undo size={17} /></IconButton
      >
      <IconButton
        label={studio.history.redo ? `Redo: ${studio.history.redo}` : "Nothing to redo"}
        key="Ctrl+Shift+Z"
        disabled={studio.history.redo === null}
        onclick={() => studio.redo()}><Redo size={17} /></IconButton
      >
      <IconButton
        label="History"
        key="H"
        pressed={studio.selection.side === "history"}
        onclick={() => (studio.selection.side = studio.selection.side === "history" ? "blend" : "history")}
        ><HistoryIcon size={17} /></IconButton
      >
      <span class="bg-line mx-1 h-5 w-px"></span>
      <IconButton
        label={theme.name === "dark" ? "Light interface" : "Dark interface"}
        onclick={() => theme.flip()}
      >
        {#if theme.name === "dark"}<Sun size={17} />{:else}<Moon size={17} />{/if}
      </IconButton>
      <IconButton label="Keys and gestures" key="?" onclick={() => (helping = true)}
        ><CircleHelp size={17} /></IconButton
      >
    </div>
  </header>

  <aside
    class="bg-panel border-line relative min-h-0 overflow-y-auto border-r"
    aria-label="What lies on the surface"
  >
    {#if there >= 1}<ChannelsPanel {studio} />{/if}
    {#if there >= 2}<BrushPanel {studio} />{/if}
  </aside>

  <main class="relative min-h-0 min-w-0">
    <ViewportPane {studio} onfirst={() => there || bringParts()} />
    <ColumnEdge side="left" />
    <ColumnEdge side="right" />
    <ImportNotes {studio} />
  </main>

  <aside class="bg-panel border-line min-h-0 overflow-y-auto border-l" aria-label={about}>
    {#if there < 3}
      <!-- The left side first: what it holds is wanted at once. -->
    {:else if studio.selection.side === "prepare"}
      <PreparePanel {studio} />
    {:else if studio.selection.side === "undercoat"}
      <UndercoatPanel {studio} />
    {:else if studio.selection.side === "fills"}
      {#key studio.surface}<FillsPanel {studio} />{/key}
    {:else if studio.selection.side === "history"}
      <HistoryPanel {studio} />
    {:else}
      <LayersPanel {studio} />
    {/if}
  </aside>

  {#if there >= 1}<BottomLine {studio} />{/if}
</div>
{#if there >= PARTS}
  <ExportSheet {studio} bind:open={exporting} />
  <HelpSheet bind:open={helping} />
{/if}
