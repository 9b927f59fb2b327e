<!-- What a control does and its key, told by the page's one tooltip. The child gets the props to spread. -->
<script lang="ts">
  import { Tooltip } from "bits-ui";
  import type { Snippet } from "svelte";

  import { tips, type Side } from "./tip";

  interface Props {
    text: string;
    key?: string | undefined;
    side?: Side;
    children: Snippet<[Record<string, unknown>]>;
  }
  const { text, key, side = "bottom", children }: Props = $props();
</script>

<Tooltip.Trigger tether={tips} payload={{ text, key, side }}>
  {#snippet child({ props })}{@render children(props)}{/snippet}
</Tooltip.Trigger>
