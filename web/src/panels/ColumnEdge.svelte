<!-- The edge of a column: dragged to make it wider, double clicked or pressed to fold it away. -->
<script lang="ts">
  import { columns } from "../state/columns.svelte";

  const { side }: { side: "left" | "right" } = $props();
  let held = false;
  const width = (event: PointerEvent) => (side === "left" ? event.clientX : innerWidth - event.clientX);
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
<div
  class="hover:bg-accent/50 absolute inset-y-0 z-10 w-1.5 cursor-col-resize touch-none {side === 'left'
    ? 'left-0'
    : 'right-0'}"
  role="separator"
  tabindex="0"
  aria-orientation="vertical"
  aria-label="Width of the {side} column"
  aria-valuenow={columns[side]}
  title="Drag to make the column wider; double click folds it away and brings it back"
  onpointerdown={(e) => {
    held = true;
    e.currentTarget.setPointerCapture(e.pointerId);
  }}
  onpointermove={(e) => held && columns.drag(side, width(e))}
  onpointerup={() => (held = false)}
  onlostpointercapture={() => (held = false)}
  ondblclick={() => columns.fold(side)}
  onkeydown={(e) => {
    const by = { ArrowLeft: -16, ArrowRight: 16 }[e.key];
    if (e.key === "Enter") columns.fold(side);
    else if (by) columns.drag(side, columns[side] + (side === "left" ? by : -by));
    else return;
    e.preventDefault();
    e.stopPropagation();
  }}
></div>
