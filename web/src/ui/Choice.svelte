<!-- One of a list, as a drop-down. -->
<script lang="ts">
  import ChevronDown from "@lucide/svelte/icons/chevron-down";
  import { Select } from "bits-ui";

  interface Props {
    label: string;
    tip: string;
    value: string;
    choices: { value: string; name: string; picture?: string }[];
    /** What stands there while nothing is chosen. */
    empty?: string;
    onchange: (value: string) => void;
  }
  const { label, tip, value, choices, empty = "Choose", onchange }: Props = $props();
  const chosen = $derived(choices.find((c) => c.value === value));
</script>

<Select.Root type="single" {value} onValueChange={(v: string) => v && onchange(v)}>
  <Select.Trigger
    aria-label={label}
    title={tip}
    class="bg-raised hover:bg-strong flex h-8 w-full min-w-0 items-center gap-2 rounded-md px-2 text-sm"
  >
    {#if chosen?.picture}<img src={chosen.picture} alt="" class="size-5 rounded-sm object-cover" />{/if}
    <span class="truncate">{chosen?.name ?? empty}</span>
    <ChevronDown size={14} class="text-soft ml-auto shrink-0" />
  </Select.Trigger>
  <Select.Portal>
    <Select.Content
      sideOffset={4}
      class="bg-raised border-line z-50 max-h-80 min-w-(--bits-select-anchor-width) overflow-auto rounded-md border p-1
        shadow-xl"
    >
      {#each choices as choice (choice.value)}
        <Select.Item
          value={choice.value}
          label={choice.name}
          class="data-highlighted:bg-strong data-[selected]:text-accent flex items-center gap-2 rounded px-2 py-1.5 text-sm"
        >
          {#if choice.picture}<img src={choice.picture} alt="" class="size-7 rounded-sm object-cover" />{/if}
          {choice.name}
        </Select.Item>
      {/each}
    </Select.Content>
  </Select.Portal>
</Select.Root>
