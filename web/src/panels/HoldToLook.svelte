<!-- While it is held: the chosen channel as something else than it is. -->
<script lang="ts">
  import type { Lens } from "../state/lenses";
  import type { Studio } from "../state/studio.svelte";
  import type { FromWindow } from "../state/types";
  import { QUIET } from "../ui/button";

  interface Props {
    studio: Studio;
    name: string;
    title: string;
    /** What to ask for. */
    look: () => FromWindow;
    class?: string;
  }
  const { studio, name, title, look, class: looks = QUIET }: Props = $props();

  /** The lens to go back to, while it is shown. */
  let before = $state<Lens | null>(null);

  function show(): void {
    if (before !== null) return;
    before = studio.selection.lens;
    studio.selection.lens = "channel";
    studio.live.send(look());
  }
  function hide(): void {
    if (before === null) return;
    studio.selection.lens = before;
    before = null;
    studio.live.send({ type: "end_preview" });
  }
  $effect(() => hide);
</script>

<button
  type="button"
  class={looks}
  aria-pressed={before !== null}
  {title}
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
  onkeyup={hide}>{name}</button
>
