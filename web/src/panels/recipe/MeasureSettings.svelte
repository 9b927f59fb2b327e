<!-- Settings of a measure, as it says itself what can be set of it. -->
<script lang="ts">
  import { bearingOf } from "../../state/bearing";
  import { sourceOf } from "../../state/ingredients";
  import type { Studio } from "../../state/studio.svelte";
  import { tellError } from "../../state/told";
  import type { ChannelAddress, ChannelOf, Setting, Source } from "../../state/types";
  import { PLAIN, QUIET } from "../../ui/button";
  import Choice from "../../ui/Choice.svelte";
  import Compass from "../../ui/Compass.svelte";
  import Segmented from "../../ui/Segmented.svelte";
  import Slider from "../../ui/Slider.svelte";
  import Tip from "../../ui/Tip.svelte";
  import ChosenFaces from "../ChosenFaces.svelte";

  interface Props {
    studio: Studio;
    source: Source;
    onchange: (source: Source) => void;
  }
  const { studio, source, onchange }: Props = $props();

  const values = $derived(source as unknown as Record<string, unknown>);
  const put = (changes: Record<string, unknown>) => onchange({ ...source, ...changes } as unknown as Source);
  const settings = $derived(
    sourceOf(source.kind).settings.filter(({ only }) => !only || only[1].includes(String(values[only[0]]))),
  );

  const named = (choice: string) => choice[0]!.toUpperCase() + choice.slice(1);
  /** Longer choices go into a list. */
  const ROOM = 16;
  const short = ({ choices }: Setting) => choices!.join("").length <= ROOM && choices!.length <= 3;

  const lenders = $derived(studio.surveys.fitting?.lenders ?? []);
  const keyOf = (channel: ChannelOf | null | undefined) =>
    channel ? `${channel.surface ?? ""}/${channel.channel_set}/${channel.channel}` : "";
  const ownKey = (channel: ChannelAddress | null | undefined) =>
    channel ? `${channel.channel_set}/${channel.channel}` : "";

  const NEAREST = "nearest";
  const standing = $derived.by(() => {
    const { neighbours, others } = studio.around;
    const surfaces = [...new Set(neighbours.map((n) => n.surface))];
    return surfaces.map((value) => ({ value, name: others[value] ?? "…" }));
  });

  type Place = [number, number, number];
  const places = (key: string) => (values[key] ?? []) as Place[];
  function pick(key: string): void {
    if (studio.line) {
      studio.line = null;
      return;
    }
    studio.line = { places: [], changed: (line) => line.length >= 2 && put({ [key]: line }) };
  }
  // A line is picked for this term and no other.
  $effect(() => () => (studio.line = null));

  async function groupChosen(key: string): Promise<void> {
    const name = await studio.preparing.groupFaces("chosen");
    if (name !== null) put({ [key]: name });
  }

  async function byKeyLight(): Promise<void> {
    try {
      const { azimuth, tilt } = await bearingOf(studio.keyLight());
      put({ azimuth, tilt });
    } catch (error) {
      tellError(error);
    }
  }
</script>

{#snippet labelled(setting: Setting)}
  <Tip text={setting.about} side="right">
    {#snippet children(props)}<span {...props} tabindex="-1" class="text-soft cursor-help text-sm"
        >{setting.title}</span
      >{/snippet}
  </Tip>
{/snippet}

{#each settings as setting (setting.key)}
  {@const value = values[setting.key]}
  {#if setting.choices?.length || ["group", "channel", "lender", "places", "neighbour"].includes(setting.pick ?? "")}
    <div class="grid grid-cols-[minmax(3.5rem,auto)_1fr] items-center gap-x-2 py-[0.1875rem]">
      {@render labelled(setting)}
      {#if setting.pick === "group"}
        <Choice
          label={setting.title}
          tip={setting.about}
          value={String(value)}
          empty="Choose a group"
          choices={studio.groups.map(({ name }) => ({ value: name, name }))}
          onchange={(group) => put({ [setting.key]: group })}
        />
        <div class="col-span-2 mt-1">
          <ChosenFaces {studio} />
          {#if studio.chosen.size}
            <button
              type="button"
              class="{PLAIN} mt-1 w-full"
              title="Make a group of the faces that are chosen, and take it"
              onclick={() => void groupChosen(setting.key)}>A group of them</button
            >
          {/if}
        </div>
      {:else if setting.pick === "channel"}
        <Choice
          label={setting.title}
          tip={setting.about}
          value={ownKey(value as ChannelAddress | null)}
          empty="Choose a channel"
          choices={studio.channelChoices.filter((c) => c.value !== ownKey(studio.addressOfBase))}
          onchange={(v) => {
            const [channel_set, channel] = v.split("/");
            put({ [setting.key]: { channel_set, channel: Number(channel) } });
          }}
        />
      {:else if setting.pick === "lender"}
        {#if lenders.length}
          <Choice
            label={setting.title}
            tip={setting.about}
            value={keyOf(value as ChannelOf | null)}
            empty="Choose a channel"
            choices={lenders.map(({ channel, name }) => ({ value: keyOf(channel), name }))}
            onchange={(v) => {
              const found = lenders.find(({ channel }) => keyOf(channel) === v);
              if (found) put({ [setting.key]: found.channel });
            }}
          />
        {:else}
          <span class="text-soft text-sm">No other surface or level is in this project.</span>
        {/if}
      {:else if setting.pick === "neighbour"}
        <Choice
          label={setting.title}
          tip={setting.about}
          value={value ? String(value) : NEAREST}
          empty="Stands around no more"
          choices={[{ value: NEAREST, name: "The nearest" }, ...standing]}
          onchange={(v) => put({ [setting.key]: v === NEAREST ? null : v })}
        />
      {:else if setting.pick === "places"}
        <div class="flex items-center justify-end gap-2">
          <span class="text-soft text-sm">
            {studio.line
              ? `${studio.line.places.length} picked; Enter ends`
              : places(setting.key).length
                ? `${places(setting.key).length} places`
                : "none yet"}
          </span>
          <button
            type="button"
            class={studio.line ? PLAIN : QUIET}
            aria-pressed={studio.line !== null}
            title="Click places on the surface, one after another; Backspace takes the last away, Enter ends"
            onclick={() => pick(setting.key)}>{studio.line ? "Done" : "Pick"}</button
          >
        </div>
      {:else if short(setting)}
        <Segmented
          label={setting.title}
          value={String(value)}
          onchange={(v) => put({ [setting.key]: v })}
          choices={setting.choices!.map((choice) => ({
            value: choice,
            name: named(choice),
            about: setting.about,
          }))}
        />
      {:else}
        <Choice
          label={setting.title}
          tip={setting.about}
          value={String(value)}
          choices={setting.choices!.map((choice) => ({ value: choice, name: named(choice) }))}
          onchange={(v) => put({ [setting.key]: v })}
        />
      {/if}
    </div>
  {:else}
    {@const high =
      setting.key === "spread" ? (studio.surveys.fitting?.spread ?? setting.high!) : setting.high!}
    <Slider
      label={setting.title}
      value={Number(value)}
      min={setting.low!}
      max={high}
      step={setting.whole || high > 100 ? 1 : setting.unit === "m" ? (high - setting.low!) / 400 : 0.01}
      digits={setting.whole || setting.unit !== "" ? 0 : 2}
      shown={setting.unit === "%" ? 100 : 1}
      unit={setting.unit!}
      length={setting.unit === "m"}
      logarithmic={setting.logarithmic!}
      tip={setting.about}
      onchange={(v) => put({ [setting.key]: setting.whole ? Math.round(v) : v })}
    />
    {#if setting.compass}
      <div class="flex items-center justify-between gap-2">
        <Compass
          bearing={Number(value)}
          turned={studio.turned}
          onchange={(bearing) => put({ [setting.key]: bearing })}
        />
        {#if setting.pick === "key light"}
          <button
            type="button"
            class={QUIET}
            title="Take the direction that the key light shines from now; move it with K held"
            onclick={() => void byKeyLight()}>From the key light</button
          >
        {/if}
      </div>
    {/if}
  {/if}
{/each}
