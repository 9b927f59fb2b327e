<!-- A tooltip with what a control does and its key. The child gets the props to spread. -->
<script lang="ts">
  import { Tooltip } from "bits-ui";
  import type { Snippet } from "svelte";

  interface Props {
    text: string;
    key?: string | undefined;
    side?: "top" | "right" | "bottom" | "left";
    children: Snippet<[Record<string, unknown>]>;
  }
  const { text, key, side = "bottom", children }: Props = $props();
</script>

<Tooltip.Root>
  <Tooltip.Trigger>
    {#snippet child({ props })}{@render children(props)}{/snippet}
  </Tooltip.Trigger>
  <Tooltip.Portal>
    <Tooltip.Content
      {side}
      sideOffset={6}
      collisionPadding={8}
      class="bg-ink text-ash z-50 max-w-64 rounded px-2 py-1 text-xs shadow-lg"
    >
      {text}
      {#if key}<kbd class="num border-ash/30 ml-1.5 rounded border px-1">{key}</kbd>{/if}
    </Tooltip.Content>
  </Tooltip.Portal>
</Tooltip.Root>
