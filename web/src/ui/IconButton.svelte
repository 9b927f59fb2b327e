<script lang="ts">
  import type { Snippet } from "svelte";

  import Tip from "./Tip.svelte";

  interface Props {
    label: string;
    key?: string | undefined;
    pressed?: boolean;
    disabled?: boolean;
    small?: boolean;
    side?: "top" | "right" | "bottom" | "left";
    onclick: (event: MouseEvent) => void;
    children: Snippet;
  }
  const {
    label,
    key,
    pressed,
    disabled = false,
    small = false,
    side = "bottom",
    onclick,
    children,
  }: Props = $props();
</script>

<Tip text={label} {key} {side}>
  {#snippet children(props)}
    <button
      {...props}
      type="button"
      aria-label={label}
      aria-pressed={pressed}
      {disabled}
      {onclick}
      class="text-soft hover:text-ink hover:bg-strong grid shrink-0 place-items-center rounded disabled:opacity-40
        {small ? 'size-6' : 'size-8'} {pressed ? 'text-accent' : ''}"
    >
      {@render inner()}
    </button>
  {/snippet}
</Tip>
{#snippet inner()}{@render children()}{/snippet}
