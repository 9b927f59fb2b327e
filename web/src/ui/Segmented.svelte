<!-- A few choices side by side, one of them taken. -->
<script lang="ts" generics="T extends string">
  import { ToggleGroup } from "bits-ui";

  import Tip from "./Tip.svelte";

  interface Choice {
    value: T;
    name: string;
    about: string;
    key?: string;
  }
  interface Props {
    label: string;
    choices: Choice[];
    value: T;
    side?: "top" | "right" | "bottom" | "left";
    /** Many short choices in a narrow place. */
    tight?: boolean;
    /** They follow one another. */
    path?: boolean;
    onchange: (value: T) => void;
  }
  const { label, choices, value, side = "right", tight = false, path = false, onchange }: Props = $props();
</script>

<ToggleGroup.Root
  type="single"
  bind:value={
    () => value,
    // A click on the choice that is taken would take none.
    (v: string) => v && onchange(v as T)
  }
  aria-label={label}
  class="bg-ash flex rounded-lg p-0.5 {tight ? 'flex-nowrap' : 'flex-wrap'}"
>
  {#each choices as choice, i (choice.value)}
    {#if path && i > 0}<span class="text-soft mx-0.5 self-center text-sm" aria-hidden="true">›</span>{/if}
    <Tip text={choice.about} key={choice.key} {side}>
      {#snippet children(props)}
        <ToggleGroup.Item
          {...props}
          value={choice.value}
          class="text-soft hover:text-ink data-[state=on]:bg-strong data-[state=on]:text-ink h-7 rounded-md text-sm
            whitespace-nowrap {path ? 'flex-none' : 'flex-1'} {tight
            ? 'px-1 max-[1050px]:text-xs min-[1050px]:px-1.5'
            : 'px-2.5'}"
        >
          {choice.name}
        </ToggleGroup.Item>
      {/snippet}
    </Tip>
  {/each}
</ToggleGroup.Root>
