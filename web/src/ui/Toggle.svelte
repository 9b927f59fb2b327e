<!-- One thing that is on or off. -->
<script lang="ts">
  interface Props {
    label: string;
    about: string;
    on: boolean;
    onchange: (on: boolean) => void;
  }
  const { label, about, on, onchange }: Props = $props();
</script>

<label class="flex cursor-pointer items-start gap-2 text-sm" title={about}>
  <input
    type="checkbox"
    class="accent-accent mt-0.5 size-4 shrink-0"
    checked={on}
    onchange={(e) => onchange(e.currentTarget.checked)}
  />
  <span>{label}</span>
</label>
