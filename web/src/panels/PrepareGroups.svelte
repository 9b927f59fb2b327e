<script lang="ts">
  import Eye from "@lucide/svelte/icons/eye";
  import EyeOff from "@lucide/svelte/icons/eye-off";
  import Focus from "@lucide/svelte/icons/focus";

  import type { Studio } from "../state/studio.svelte";
  import { MAIN, PLAIN } from "../ui/button";
  import IconButton from "../ui/IconButton.svelte";
  import Segmented from "../ui/Segmented.svelte";
  import Slider from "../ui/Slider.svelte";
  import { groupColour } from "../viewport/materials";
  import ChosenFaces from "./ChosenFaces.svelte";

  const { studio }: { studio: Studio } = $props();

  let by = $state<"part" | "crease" | "facing">("crease");
  let angle = $state(40);
  let name = $state("");
  let selected = $state<string[]>([]);
  let renaming = $state<string | null>(null);

  const names = $derived(studio.groups.map((g) => g.name));
  const taken = $derived(selected.filter((n) => names.includes(n)));
  const hard = $derived(
    taken.length > 0 && studio.groups.filter((g) => taken.includes(g.name)).every((g) => g.hard),
  );

  function group(): void {
    const grouping =
      by === "part"
        ? { by: "part" as const }
        : by === "crease"
          ? { by: "crease" as const, angle }
          : { by: "facing" as const, angle: Math.min(89, angle) };
    studio.selection.lens = "groups";
    void studio.preparing.changeGroups({ kind: "by", grouping });
  }
  function hide(target: string): void {
    const next = new Set(studio.selection.hidden);
    if (!next.delete(target)) next.add(target);
    studio.selection.hidden = next;
  }
  function isolate(target: string): void {
    const others = names.filter((n) => n !== target);
    const alone = others.every((n) => studio.selection.hidden.has(n)) && !studio.selection.hidden.has(target);
    studio.selection.hidden = alone ? new Set() : new Set(others);
  }
</script>

<ul class="-mx-2 max-h-64 overflow-y-auto">
  {#each studio.groups as group, i (group.name)}
    {@const on = taken.includes(group.name)}
    <li class="hover:bg-raised flex items-center gap-2 rounded px-2 py-0.5 {on ? 'bg-raised' : ''}">
      <input
        type="checkbox"
        class="accent-accent size-4"
        aria-label="Select {group.name}"
        checked={on}
        onchange={(e) =>
          (selected = e.currentTarget.checked
            ? [...taken, group.name]
            : taken.filter((n) => n !== group.name))}
      />
      <span class="size-3 shrink-0 rounded-sm" style:background="#{groupColour(i).getHexString()}"></span>
      {#if renaming === group.name}
        <!-- svelte-ignore a11y_autofocus -->
        <input
          class="bg-ash border-line h-6 min-w-0 flex-1 rounded border px-1 text-sm"
          aria-label="New name of {group.name}"
          value={group.name}
          maxlength="60"
          autofocus
          onkeydown={(e) => {
            e.stopPropagation();
            if (e.key === "Escape") renaming = null;
            if (e.key === "Enter") e.currentTarget.blur();
          }}
          onblur={(e) => {
            const wanted = e.currentTarget.value.trim();
            if (renaming === group.name && wanted && wanted !== group.name) {
              void studio.preparing.changeGroups({ kind: "rename", group: group.name, name: wanted });
            }
            renaming = null;
          }}
        />
      {:else}
        <button
          type="button"
          class="min-w-0 flex-1 truncate text-left text-sm"
          title="{group.name}: {group.triangles.toLocaleString('en')} triangles. Double click renames it."
          ondblclick={() => (renaming = group.name)}>{group.name}</button
        >
      {/if}
      {#if group.hard}<span class="text-accent text-xs" title="Its border is hard">hard</span>{/if}
      <span class="num text-soft">{group.triangles.toLocaleString("en")}</span>
      <IconButton
        small
        side="left"
        label={studio.selection.hidden.has(group.name) ? `Show ${group.name}` : `Hide ${group.name}`}
        onclick={() => hide(group.name)}
      >
        {#if studio.selection.hidden.has(group.name)}<EyeOff size={14} />{:else}<Eye size={14} />{/if}
      </IconButton>
      <IconButton small side="left" label="Only {group.name}" onclick={() => isolate(group.name)}
        ><Focus size={14} /></IconButton
      >
    </li>
  {/each}
</ul>
<div class="mt-2 grid grid-cols-2 gap-2">
  <button
    type="button"
    class={hard ? PLAIN : MAIN}
    disabled={taken.length === 0}
    title={hard
      ? "Join the vertices again"
      : "Split the vertices along the border: one side can be full, the other empty"}
    onclick={() => studio.preparing.changeGroups({ kind: "hard", groups: taken, on: !hard })}
    >{hard ? "Soft border" : "Hard border"}</button
  >
  <button
    type="button"
    class={PLAIN}
    disabled={taken.length < 2}
    onclick={() => {
      const target = taken[0]!;
      selected = [target];
      void studio.preparing.changeGroups({ kind: "merge", groups: taken, name: target });
    }}>Merge</button
  >
</div>
<p class="text-soft mt-1 text-xs">
  A hard border splits vertices, so that nothing fades across it. Hidden groups are protected.
</p>

<h3 class="text-soft mt-4 mb-1 text-sm">Group all faces anew</h3>
<Segmented
  label="Group by"
  side="left"
  value={by}
  onchange={(v) => (by = v)}
  choices={[
    { value: "crease", name: "Creases", about: "Smooth pieces, parted by sharp edges" },
    { value: "part", name: "Parts", about: "What hangs together" },
    { value: "facing", name: "Facing", about: "Up, down and sideways" },
  ]}
/>
{#if by !== "part"}
  <Slider
    label={by === "crease" ? "Sharper than" : "Within"}
    value={angle}
    min={5}
    max={by === "crease" ? 120 : 85}
    step={1}
    digits={0}
    unit="°"
    tip={by === "crease"
      ? "Angle between faces from which an edge parts them"
      : "Angle from straight up or down that counts as facing so"}
    onchange={(v) => (angle = v)}
  />
{/if}
<button type="button" class="{PLAIN} mt-1 w-full" onclick={group}>Group</button>

<h3 class="text-soft mt-4 mb-1 text-sm">A group of your own</h3>
<ChosenFaces {studio} />
<div class="mt-1.5 flex gap-2">
  <input
    class="bg-ash border-line h-8 min-w-0 flex-1 rounded border px-2 text-sm"
    aria-label="Name of the new group"
    placeholder="Name"
    maxlength="60"
    bind:value={name}
  />
</div>
<div class="mt-1.5 grid grid-cols-2 gap-2">
  <button
    type="button"
    class={PLAIN}
    disabled={studio.selection.chosen.size === 0}
    title="A group of the faces that are chosen"
    onclick={() => void studio.preparing.groupFaces("chosen", name)}>Of chosen faces</button
  >
  <button
    type="button"
    class={PLAIN}
    disabled={studio.selection.level > 0}
    title="A group of all faces on which {studio.selection.channel.name} holds any weight"
    onclick={() => void studio.preparing.groupFaces("painted", name)}>Of painted faces</button
  >
</div>
