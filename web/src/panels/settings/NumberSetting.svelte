<!-- A number by a slider; a bearing by a compass, too. -->
<script lang="ts">
  import { bearingOf } from "../../state/bearing";
  import type { Studio } from "../../state/studio.svelte";
  import { tellError } from "../../state/told";
  import type { Setting } from "../../state/types";
  import { QUIET } from "../../ui/button";
  import Compass from "../../ui/Compass.svelte";
  import Slider from "../../ui/Slider.svelte";
  import type { Fields } from "./document";

  interface Props {
    studio: Studio;
    setting: Setting;
    value: number;
    onnumber: (value: number) => void;
    onchange: (changes: Fields) => void;
  }
  const { studio, setting, value, onnumber, onchange }: Props = $props();

  const low = $derived(setting.low!);
  const high = $derived(
    setting.key === "spread" ? (studio.surveys.fitting?.spread ?? setting.high!) : setting.high!,
  );
  const step = $derived(
    setting.step || (setting.whole || high > 100 ? 1 : setting.unit === "m" ? (high - low) / 400 : 0.01),
  );

  async function byKeyLight(): Promise<void> {
    try {
      const { azimuth, tilt } = await bearingOf(studio.eye.keyLight());
      onchange({ azimuth, tilt });
    } catch (error) {
      tellError(error);
    }
  }
</script>

<Slider
  label={setting.title!}
  {value}
  min={low}
  max={high}
  {step}
  digits={setting.whole || setting.unit !== "" ? 0 : 2}
  shown={setting.unit === "%" ? 100 : 1}
  unit={setting.unit!}
  length={setting.unit === "m"}
  logarithmic={setting.logarithmic!}
  tip={setting.about!}
  onchange={(v) => onnumber(setting.whole ? Math.round(v) : v)}
/>
{#if setting.compass}
  <div class="flex items-center justify-between gap-2">
    <Compass bearing={value} turned={studio.turned} onchange={onnumber} />
    {#if setting.pick === "key light"}
      <button
        type="button"
        class={QUIET}
        title="Take the direction that the key light shines from now; move it with K held"
        onclick={() => void byKeyLight()}>From the key light</button
      >
    {/if}
  </div>
{/if}
