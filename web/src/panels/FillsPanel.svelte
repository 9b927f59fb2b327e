<!-- Fills of the whole channel, shown before they are kept. -->
<script lang="ts">
  import { onDestroy, onMount, untrack } from "svelte";

  import { answer, server } from "../state/server";
  import type { Studio } from "../state/studio.svelte";
  import { tellError } from "../state/told";
  import type { AnyFill, ChannelAddress, FillView } from "../state/types";
  import { MAIN, PLAIN, QUIET } from "../ui/button";
  import PickedParts from "./PickedParts.svelte";
  import type { Fields } from "./settings/document";
  import SettingsOf from "./settings/SettingsOf.svelte";

  const { studio }: { studio: Studio } = $props();

  // As they fit the surface: the panel is made anew when the mesh is another one.
  let kinds = $state.raw<FillView[]>([]);
  onMount(() => {
    const params = { path: { ident: studio.surface.id } };
    answer<FillView[]>(server.GET("/api/surfaces/{ident}/fills", { params })).then(
      (found) => (kinds = found),
      tellError,
    );
  });

  /** None until one is chosen: a finished channel is not shown as something else unasked. */
  let kind = $state.raw<FillView | null>(null);
  /** What has been set of each. */
  let set = $state.raw<Record<string, Fields>>({});
  const fields = $derived<Fields>(kind ? { ...kind.first, ...set[kind.kind] } : {});

  /** Of a fill that mixes another channel in. */
  const mixes = $derived(kind?.settings.some(({ pick }) => pick === "another channel") ?? false);
  const source = $derived.by<ChannelAddress>(() => {
    if (fields["source"]) return fields["source"] as ChannelAddress;
    const [channel_set, channel] = (studio.selection.channelChoices[0]?.value ?? "").split("/");
    return { channel_set: channel_set ?? "", channel: Number(channel) };
  });

  const wanted = $derived.by<AnyFill | null>(() => {
    if (!kind) return null;
    return Object.fromEntries(
      Object.entries(fields).filter(([key]) => key !== "source"),
    ) as unknown as AnyFill;
  });
  const histogram = $derived(
    studio.statistics?.channels[studio.selection.set.id]?.[studio.selection.activeChannel]?.histogram ??
      undefined,
  );

  /** Whether the lens in front would show what a fill changes; the Channel lens always does. */
  const seen = $derived(
    studio.selection.lens === "channel" ||
      studio.selection.lens === "set" ||
      (studio.selection.lens === "blend" &&
        studio.documents.readers(studio.selection.activeChannel).some(({ shown }) => shown)),
  );
  const onParts = $derived(studio.selection.parts.size > 0 && studio.selection.level === 0);
  const more = $derived({
    ...(mixes ? { source } : {}),
    ...(onParts
      ? { faces: { unit: "part" as const, picked: [...studio.selection.parts.keys()], hard: false } }
      : {}),
  });

  // Shown as it would be, a moment after the last change.
  let showing = $state(true);
  let timer: ReturnType<typeof setTimeout> | undefined;
  $effect(() => {
    const fill = wanted;
    const also = more;
    const on = `${studio.selection.set.id}/${studio.selection.activeChannel}`;
    clearTimeout(timer);
    if (!showing || !fill) return;
    timer = setTimeout(() => {
      if (
        on &&
        studio.live.connection === "ready" &&
        !studio.painting.active &&
        !studio.selection.channel.locked
      ) {
        if (!untrack(() => seen)) studio.selection.lens = "channel";
        studio.painting.fill(fill, { ...also, preview: true });
      }
    }, 180);
  });
  onDestroy(() => {
    clearTimeout(timer);
    studio.painting.endPreview();
  });

  function apply(): void {
    if (wanted && studio.painting.fill(wanted, more)) showing = false;
  }
  function look(on: boolean): void {
    showing = on;
    if (!on) studio.painting.endPreview();
  }
  function swap(): void {
    studio.painting.endPreview();
    showing = false;
    studio.painting.swap(source);
  }
</script>

<section class="px-4 py-3" aria-label="Fills">
  <header class="mb-1">
    <h2 class="font-semibold">Fill {studio.selection.channel.name}</h2>
    <p class="text-soft text-sm">
      {kind
        ? "Shown as it would be; nothing changes until you keep it."
        : "Choose what to do to the whole channel. It is shown first, and kept when you say so."}
    </p>
  </header>
  <div class="grid grid-cols-3 gap-0.5" role="radiogroup" aria-label="Kind of fill">
    {#each kinds as fill (fill.kind)}
      <button
        type="button"
        role="radio"
        aria-checked={kind === fill}
        title={fill.about}
        class="hover:text-ink h-7 truncate rounded-md px-1 text-sm {kind === fill
          ? 'bg-strong text-ink'
          : 'text-soft bg-ash'}"
        onclick={() => {
          kind = fill;
          showing = true;
        }}>{fill.title}</button
      >
    {/each}
  </div>
  {#if kind}
    {@const { kind: name, settings } = kind}
    <div class="mt-3 space-y-1">
      <SettingsOf
        {studio}
        {settings}
        document={fields}
        {histogram}
        onchange={(changes) => (set = { ...set, [name]: { ...set[name], ...changes } })}
      />
      {#if mixes}
        <button type="button" class="{PLAIN} mt-1" title="Exchange the two channels" onclick={swap}
          >Swap the two</button
        >
      {/if}
    </div>
  {/if}
  {#if studio.selection.level === 0}
    <div class="border-line mt-3 space-y-1 border-t pt-3">
      <PickedParts {studio} />
      {#if onParts}
        <p class="text-soft text-sm">They alone are filled; everything else stays as it is.</p>
      {/if}
    </div>
  {/if}
  <div class="mt-4 flex items-center gap-2">
    <button
      type="button"
      class="{MAIN} flex-1"
      disabled={!kind || studio.selection.channel.locked}
      onclick={apply}>Keep it</button
    >
    <button type="button" class={QUIET} disabled={!kind} onclick={() => look(!showing)}
      >{showing && kind ? "Hide preview" : "Preview"}</button
    >
    <button type="button" class={QUIET} onclick={() => (studio.selection.side = "blend")}>Done</button>
  </div>
  {#if studio.selection.channel.locked}<p class="text-warn mt-2 text-sm">
      {studio.selection.channel.name} is locked.
    </p>{/if}
</section>
