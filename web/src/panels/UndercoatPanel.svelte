<!-- What lies under the paint of the chosen channel: one weight, or what a recipe makes of the surface. -->
<script lang="ts">
  import { untrack } from "svelte";

  import type { Studio } from "../state/studio.svelte";
  import { shownByValues, undercoatRecipe } from "../state/lensProgram.svelte";
  import { LETTERS, type Recipe } from "../state/types";
  import { MAIN, PLAIN, QUIET } from "../ui/button";
  import PictureCard from "../ui/PictureCard.svelte";
  import Slider from "../ui/Slider.svelte";
  import HoldToLook from "./HoldToLook.svelte";
  import RecipeEditor from "./recipe/RecipeEditor.svelte";

  const { studio }: { studio: Studio } = $props();

  const channel = $derived(studio.selection.channel);
  const undercoat = $derived(channel.undercoat);
  /** What is being edited is seen at once where its measures are there, and run when the hand rests. */
  const recipe = $derived(undercoatRecipe(studio) ?? { terms: [] });
  const { draft } = $derived(studio.surveys);

  $effect(() => {
    void [studio.selection.activeChannel, studio.selection.activeSet];
    return () => untrack(() => draft.leave());
  });
  // By what it says: a channel that is renamed or locked brings the same undercoat again.
  const said = $derived(JSON.stringify(undercoat));
  $effect(() => {
    void said;
    untrack(() => draft.arrived());
  });

  /** Mask and Term lens of what is measured: shown by values, and again after steps that bring others. */
  const bare = $derived(shownByValues(studio, studio.selection.lens));
  const isBare = $derived(bare !== null);
  $effect(() => {
    void [studio.steps, studio.surveys.ended];
    if (bare) studio.surveys.look({ ...studio.selection.addressOfBase }, bare, true);
  });
  $effect(() => {
    void [studio.selection.activeChannel, studio.selection.activeSet];
    if (!isBare) return;
    return () => {
      studio.surveys.enough();
      if (studio.live.connection === "ready") studio.live.send({ type: "end_preview" });
    };
  });

  function edit(next: Recipe): void {
    studio.surveys.edit({ ...studio.selection.addressOfBase }, next, isBare);
  }

  function stop(): void {
    draft.drop();
    void studio.surveys.stop(studio.selection.addressOfBase);
  }

  const job = $derived(studio.surveys.of(studio.selection.addressOfBase));
  const ready = $derived(studio.surveys.fitting?.ready ?? []);

  const stale = $derived(studio.surveys.stale);
  function runStale(): void {
    for (const { on } of stale) studio.surveys.run(on, null);
  }

  const own = $derived(
    studio.statistics?.channels[studio.selection.set.id]?.[studio.selection.activeChannel]?.own ?? 0,
  );
</script>

<svelte:window
  onpointerdowncapture={() => (draft.held = true)}
  onpointerupcapture={() => (draft.held = false)}
  onpointercancelcapture={() => (draft.held = false)}
/>

<section class="px-4 pt-3 pb-4" aria-label="Undercoat">
  <header class="mb-2 flex items-center gap-2">
    <span class="num border-accent text-accent grid size-6 place-items-center rounded-full border"
      >{LETTERS[studio.selection.activeChannel]}</span
    >
    <h2 class="truncate font-semibold">{channel.name}</h2>
    <span class="text-soft text-sm">what lies under the paint</span>
  </header>
  {#if undercoat.kind === "carried"}
    <p class="text-soft text-sm">On this level it is what level 0 holds here. Show level 0 to change it.</p>
  {:else if undercoat.kind === "file"}
    <p class="text-soft text-sm">
      Under painted heights lies the ground as it came in. Erase paint to see it again; undercoats that
      measure the ground can be run again on what is painted.
    </p>
  {:else}
    {#if recipe.terms.length === 0}
      <p class="text-soft mb-2 text-sm">
        The same everywhere. Add a term, and the shape of the surface decides instead; what is painted stays
        on top, and the undercoat can be changed at any time.
      </p>
      {#if undercoat.kind === "constant"}
        <Slider
          label="Weight"
          value={undercoat.value}
          min={0}
          max={1}
          tip="What the channel holds where there is no paint"
          onchange={(value) =>
            studio.documents.editChannel(studio.selection.activeChannel, {
              undercoat: { kind: "constant", value },
            })}
        />
      {/if}
    {/if}
    {#if recipe.terms.length === 0 && ready.length}
      <h3 class="text-soft mt-3 mb-1 text-xs">Begin with</h3>
      <div class="mb-2 grid grid-cols-3 gap-1">
        {#each ready as { name, about, picture, recipe } (name)}
          <PictureCard title={name} {about} {picture} onclick={() => edit(recipe as unknown as Recipe)} />
        {/each}
      </div>
    {/if}
    <RecipeEditor {studio} main measures {recipe} onchange={edit} />
    {#if job}
      <div class="bg-raised mt-3 rounded-md px-3 py-2 text-sm" role="status">
        <div class="flex items-center gap-2">
          <span class="min-w-0 flex-1 truncate">{job.title}</span>
          {#if job.state === "waiting"}
            <button
              type="button"
              class={QUIET}
              title="Before everything else that waits, on this surface and on others"
              onclick={() => void studio.surveys.hurry(studio.selection.addressOfBase)}>Do it next</button
            >
          {:else}
            <span class="num text-soft">{Math.round(job.progress * 100)} %</span>
          {/if}
          <button type="button" class={PLAIN} title="Leave the channel as it was" onclick={stop}>Stop</button>
        </div>
        <progress class="accent-accent mt-1 h-1 w-full" value={job.progress} max="1" aria-label={job.title}
        ></progress>
        <p class="text-soft mt-1 text-xs">
          {job.state === "waiting"
            ? "It waits for other measures to be done. You can paint meanwhile."
            : "Shown roughly until it is done. You can paint meanwhile."}
        </p>
      </div>
    {/if}
    {#if stale.length}
      <div class="border-warn mt-3 rounded-md border px-3 py-2 text-sm" role="status">
        <p>
          {stale.map(({ name }) => name).join(", ")}: what {stale.length === 1 ? "it is" : "they are"} made from
          has changed since.
        </p>
        <button type="button" class="text-accent mt-1 underline" onclick={runStale}
          >Run what is stale again; the paint stays</button
        >
      </div>
    {/if}
    {#if undercoat.kind === "measured"}
      <div class="mt-3 flex gap-2">
        <button
          type="button"
          class={MAIN}
          title="Work it out again by what the surface and other channels are now; the paint stays"
          onclick={() => studio.surveys.run({ ...studio.selection.addressOfBase }, null)}>Run again</button
        >
        <button
          type="button"
          class={PLAIN}
          title="The same everywhere again; the paint stays"
          onclick={() =>
            studio.documents.editChannel(studio.selection.activeChannel, {
              undercoat: { kind: "constant", value: 0 },
            })}>Make it even</button
        >
      </div>
    {/if}
    <p class="text-soft mt-3 text-sm">
      Paint covers {own > 0 && own < 0.005 ? "under 1" : Math.round(own * 100)} % of it.
    </p>
    {#if own > 0}
      <div class="mt-1 -ml-1.5 flex flex-wrap gap-1">
        <HoldToLook
          {studio}
          name="Hold to see where"
          title="Hold it: light is where paint covers the undercoat"
          look={() => ({ type: "look_paint", on: { ...studio.selection.addressOfBase } })}
        />
        <button
          type="button"
          class={QUIET}
          disabled={channel.locked}
          title="Take all paint off this channel; what lies under it is seen again"
          onclick={() => studio.painting.fill({ kind: "lift" })}>Lift it all</button
        >
      </div>
    {/if}
  {/if}
</section>
