<!-- While it is held: how much paint covers the undercoat of the chosen channel, place by place. -->
<script lang="ts">
  import type { Lens } from "../state/lenses";
  import type { Studio } from "../state/studio.svelte";
  import { QUIET } from "../ui/button";

  const { studio }: { studio: Studio } = $props();

  /** The lens to go back to, while it is shown. */
  let before = $state<Lens | null>(null);

  function show(): void {
    if (before !== null) return;
    before = studio.lens;
    studio.lens = "channel";
    studio.live.send({ type: "look_paint", on: { ...studio.addressOfBase } });
  }
  function hide(): void {
    if (before === null) return;
    studio.lens = before;
    before = null;
    studio.live.send({ type: "end_preview" });
  }
  $effect(() => hide);
</script>

<button
  type="button"
  class={QUIET}
  aria-pressed={before !== null}
  title="Hold it: light is where paint covers the undercoat"
  onpointerdown={(event) => {
    event.currentTarget.setPointerCapture(event.pointerId);
    show();
  }}
  onpointerup={hide}
  onpointercancel={hide}
  onblur={hide}
  onkeydown={(event) => {
    if (event.key === " " || event.key === "Enter") show();
  }}
  onkeyup={hide}>Hold to see where</button
>
