<!-- What can be set of a document, as it says so itself. -->
<script lang="ts">
  import type { Studio } from "../../state/studio.svelte";
  import type { Curve, Setting } from "../../state/types";
  import { PLAIN } from "../../ui/button";
  import Choice from "../../ui/Choice.svelte";
  import ColourField from "../../ui/ColourField.svelte";
  import CurveEditor from "../../ui/CurveEditor.svelte";
  import Segmented from "../../ui/Segmented.svelte";
  import Toggle from "../../ui/Toggle.svelte";
  import { changeAt, valueAt, type Fields } from "./document";
  import { PICKS } from "./picks";
  import NumberSetting from "./NumberSetting.svelte";
  import SettingRow from "./SettingRow.svelte";

  interface Props {
    studio: Studio;
    settings: readonly Setting[];
    document: Fields;
    /** What a curve is drawn over. */
    histogram?: number[] | undefined;
    /** changes: the fields that are others now. */
    onchange: (changes: Fields) => void;
  }
  const { studio, settings, document, histogram, onchange }: Props = $props();

  const there = $derived(
    settings.filter(({ key, only }) => {
      if (only && !only[1].includes(String(document[only[0]]))) return false;
      return !key?.includes("/") || valueAt(document, key) !== undefined;
    }),
  );
  const put = (key: string, value: unknown) => onchange(changeAt(document, key, value));

  const named = (choice: string) => choice[0]!.toUpperCase() + choice.slice(1);
  /** Longer choices go into a list. */
  const ROOM = 16;
  const short = ({ choices }: Setting) => choices!.join("").length <= ROOM && choices!.length <= 3;
  const nameOf = ({ choices, names }: Setting, choice: string) =>
    names?.[choices!.indexOf(choice)] ?? named(choice);

  /** Which of the choices that put several fields is in force. */
  function chosen({ puts }: Setting): string {
    const same = (fields: Fields) =>
      Object.entries(fields).every(([key, value]) => JSON.stringify(document[key]) === JSON.stringify(value));
    return Object.entries(puts ?? {}).find(([, fields]) => same(fields))?.[0] ?? "";
  }

  type Colour = [number, number, number];
  /** A light may be brighter than white: its hue is shown. */
  function shown(colour: Colour): Colour {
    const most = Math.max(...colour);
    return most > 1 ? (colour.map((v) => v / most) as Colour) : colour;
  }
</script>

{#each there as setting, i (`${i}/${setting.key}`)}
  {@const key = setting.key ?? ""}
  {@const value = valueAt(document, key)}
  {@const Pick = PICKS[setting.pick ?? ""]}
  {#if Pick}
    <Pick {studio} {setting} {document} {onchange} />
  {:else if setting.control === "words"}
    <p class="text-soft text-xs">{setting.about}</p>
  {:else if setting.control === "switch"}
    <Toggle
      label={setting.title!}
      about={setting.about!}
      on={value as boolean}
      onchange={(on) => put(key, on)}
    />
  {:else if setting.control === "part"}
    <div class="mt-1.5">
      <Toggle
        label={setting.title!}
        about={setting.about!}
        on={!!value}
        onchange={(on) => put(key, on ? setting.part : null)}
      />
    </div>
  {:else if setting.control === "colour"}
    <ColourField
      label={setting.title!}
      tip={setting.about!}
      value={shown(value as Colour)}
      onchange={(colour) => put(key, colour)}
    />
  {:else if setting.control === "curve"}
    <CurveEditor
      label={setting.title!}
      curve={value as Curve}
      {histogram}
      onchange={(curve) => put(key, curve)}
    />
  {:else if setting.control === "another"}
    <button type="button" class={PLAIN} onclick={() => put(key, (Number(value) + 1) % setting.high!)}
      >{setting.title}</button
    >
  {:else if setting.puts}
    <Segmented
      label={setting.title!}
      side="left"
      value={chosen(setting)}
      onchange={(choice) => onchange(setting.puts![choice] as Fields)}
      choices={setting.choices!.map((choice) => ({ value: choice, name: choice, about: setting.about! }))}
    />
  {:else if setting.names?.length}
    <Segmented
      label={setting.title!}
      side="left"
      value={String(value)}
      onchange={(v) => put(key, v)}
      choices={setting.choices!.map((choice) => ({
        value: choice,
        name: nameOf(setting, choice),
        about: setting.about!,
      }))}
    />
    <div class="h-1"></div>
  {:else if setting.choices?.length}
    <SettingRow {setting}>
      {#if short(setting)}
        <Segmented
          label={setting.title!}
          value={String(value)}
          onchange={(v) => put(key, v)}
          choices={setting.choices.map((choice) => ({
            value: choice,
            name: named(choice),
            about: setting.about!,
          }))}
        />
      {:else}
        <Choice
          label={setting.title!}
          tip={setting.about!}
          value={String(value)}
          choices={setting.choices.map((choice) => ({ value: choice, name: named(choice) }))}
          onchange={(v) => put(key, v)}
        />
      {/if}
    </SettingRow>
  {:else}
    <NumberSetting {studio} {setting} value={Number(value)} onnumber={(v) => put(key, v)} {onchange} />
  {/if}
{/each}
