<!-- How far a file on its way is, and a way to stop it. -->
<script lang="ts">
  import type { Upload } from "../state/upload.svelte";

  const { upload, what }: { upload: Upload; what: string } = $props();
  const share = $derived(Math.round(upload.sent * 100));
</script>

<div class="flex min-w-0 flex-1 items-center gap-3 text-sm">
  <div
    class="bg-strong h-1.5 min-w-16 flex-1 overflow-hidden rounded-full"
    role="progressbar"
    aria-label="Sending {what}"
    aria-valuenow={share}
    aria-valuemin={0}
    aria-valuemax={100}
  >
    <div class="bg-accent h-full {share === 100 ? 'animate-pulse' : ''}" style:width="{share}%"></div>
  </div>
  <span class="text-soft whitespace-nowrap">{share < 100 ? `Sending ${share} %` : `Reading ${what} …`}</span>
  <button type="button" class="text-accent underline" onclick={() => upload.stop()}>Stop</button>
</div>
