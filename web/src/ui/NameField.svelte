<!-- A name being typed in place: Enter and leaving keep it, Escape does not. -->
<script lang="ts">
  interface Props {
    label: string;
    value: string;
    ondone: (name: string | null) => void;
  }
  const { label, value, ondone }: Props = $props();
  let left = false;

  function done(name: string | null): void {
    if (left) return;
    left = true;
    ondone(name?.trim().slice(0, 60) || null);
  }

  /** After the click that opened it, or the menu that did, which take the focus along. */
  function taken(field: HTMLInputElement): void {
    setTimeout(() => {
      field.focus();
      field.select();
    }, 30);
  }
</script>

<input
  class="bg-ash border-line h-7 w-full rounded border px-1.5"
  aria-label={label}
  maxlength="60"
  {value}
  use:taken
  onclick={(e) => e.stopPropagation()}
  onkeydown={(e) => {
    e.stopPropagation();
    // Where the field goes with its name, the focus falls to another thing, which Enter would press.
    if (e.key === "Enter") {
      e.preventDefault();
      done(e.currentTarget.value);
    }
    if (e.key === "Escape") done(null);
  }}
  onkeyup={(e) => e.stopPropagation()}
  onblur={(e) => done(e.currentTarget.value)}
/>
