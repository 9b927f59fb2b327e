<!-- The line between two pictures, to be dragged. -->
<script lang="ts">
  import Columns from "@lucide/svelte/icons/columns-2";

  const { at, onmove }: { at: number; onmove: (at: number) => void } = $props();

  let handle = $state<HTMLDivElement>();
  let held = $state(false);

  const inside = (share: number) => Math.min(0.97, Math.max(0.03, share));

  function move(event: PointerEvent): void {
    if (!held) return;
    const box = handle!.parentElement!.getBoundingClientRect();
    onmove(inside((event.clientX - box.left) / box.width));
  }

  function nudge(event: KeyboardEvent): void {
    const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    onmove(inside(at + by));
  }
</script>

<div
  bind:this={handle}
  class="text-ash absolute top-1/2 grid size-8 -translate-x-1/2 cursor-ew-resize touch-none place-items-center
    rounded-full bg-white shadow-lg"
  style:left="{at * 100}%"
  role="slider"
  tabindex="0"
  aria-label="Divider of the wipe"
  aria-valuemin="0"
  aria-valuemax="100"
  aria-valuenow={Math.round(at * 100)}
  onpointerdown={(e) => {
    held = true;
    e.currentTarget.setPointerCapture(e.pointerId);
  }}
  onpointermove={move}
  onpointerup={() => (held = false)}
  onkeydown={nudge}
>
  <Columns size={15} />
</div>
