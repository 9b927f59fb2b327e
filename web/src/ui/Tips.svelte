<!-- The page's one tooltip. -->
<script lang="ts">
  import { Tooltip } from "bits-ui";

  import { tips } from "./tip";
</script>

<Tooltip.Root tether={tips}>
  {#snippet children({ payload: said })}
    <Tooltip.Portal>
      <Tooltip.Content
        side={said?.side ?? "bottom"}
        sideOffset={6}
        collisionPadding={8}
        class="bg-ink text-ash z-50 max-w-64 rounded px-2 py-1 text-xs shadow-lg"
      >
        {said?.text}
        {#if said?.key}<kbd class="num border-ash/30 ml-1.5 rounded border px-1">{said.key}</kbd>{/if}
      </Tooltip.Content>
    </Tooltip.Portal>
  {/snippet}
</Tooltip.Root>
