<!-- What no stroke and no fill may change. -->
<script lang="ts">
  import type { Studio } from "../../state/studio.svelte";
  import { LETTERS } from "../../state/types";
  import Choice from "../../ui/Choice.svelte";
  import PickedParts from "../PickedParts.svelte";
  import Toggle from "../../ui/Toggle.svelte";

  const { studio }: { studio: Studio } = $props();

  const maskValue = $derived(
    studio.selection.protect.mask
      ? `${studio.selection.protect.mask.channel_set}/${studio.selection.protect.mask.channel}`
      : "none",
  );
  const maskChoices = $derived([
    { value: "none", name: "No mask" },
    ...studio.ownSets.flatMap((s) =>
      s.document.channels.map((c, i) => ({
        value: `${s.id}/${i}`,
        name: `${s.document.name} · ${LETTERS[i]} ${c.name}`,
      })),
    ),
  ]);
  const groups = $derived(studio.selection.protect.groups ?? []);
</script>

<div>
  <p class="text-soft mb-1 text-sm">Protect</p>
  <Choice
    label="Protecting mask"
    tip="Where this channel is high, nothing is changed"
    value={maskValue}
    choices={maskChoices}
    onchange={(v) => {
      const [channel_set, channel] = v.split("/");
      studio.selection.protect.mask =
        v === "none" ? null : { channel_set: channel_set!, channel: Number(channel) };
    }}
  />
  {#if studio.selection.protect.mask}
    <div class="mt-1">
      <Toggle
        label="The other way round"
        about="Only where the channel is high, things change"
        on={studio.selection.protect.inverted ?? false}
        onchange={(on) => (studio.selection.protect.inverted = on)}
      />
    </div>
  {/if}
  <div class="mt-1.5 space-y-1">
    <PickedParts {studio} />
    {#if studio.selection.parts.size}
      <Toggle
        label="Protect the picked parts"
        about="Nothing on them changes, by stroke or fill"
        on={studio.selection.partsProtected}
        onchange={(on) => (studio.selection.partsProtected = on)}
      />
    {/if}
  </div>
  {#if studio.groups.length > 1}
    <div class="mt-1.5 max-h-32 space-y-0.5 overflow-y-auto">
      {#each studio.groups as group (group.name)}
        <Toggle
          label={group.name}
          about="Protect {group.name}: nothing on it changes"
          on={groups.includes(group.name)}
          onchange={(on) =>
            (studio.selection.protect.groups = on
              ? [...groups, group.name]
              : groups.filter((name) => name !== group.name))}
        />
      {/each}
    </div>
  {/if}
</div>
