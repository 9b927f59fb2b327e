<!-- A group whose border it is, or open edges. -->
<script lang="ts">
  import Choice from "../../../ui/Choice.svelte";
  import type { PickProps } from "../picks";

  const { studio, setting, document, onchange }: PickProps = $props();
  const key = $derived(setting.key!);
</script>

<Choice
  label={setting.title!}
  tip={setting.about!}
  value={(document[key] as string | null) ?? ""}
  choices={[{ value: "", name: "Open edges" }, ...studio.groups.map(({ name }) => ({ value: name, name }))]}
  onchange={(v) => onchange({ [key]: v || null })}
/>
