<!-- A sheet that slides over the right side. -->
<script lang="ts">
  import X from "@lucide/svelte/icons/x";
  import { Dialog } from "bits-ui";
  import type { Snippet } from "svelte";

  interface Props {
    title: string;
    about: string;
    open: boolean;
    children: Snippet;
  }
  let { title, about, open = $bindable(), children }: Props = $props();
</script>

<Dialog.Root bind:open>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 z-30 bg-black/30" />
    <Dialog.Content
      class="bg-panel border-line fixed inset-y-0 right-0 z-40 flex w-[26rem] flex-col border-l shadow-2xl"
    >
      <div class="border-line flex items-start gap-3 border-b px-5 py-4">
        <div class="min-w-0 flex-1">
          <Dialog.Title class="text-base font-semibold">{title}</Dialog.Title>
          <Dialog.Description class="text-soft text-sm">{about}</Dialog.Description>
        </div>
        <Dialog.Close
          aria-label="Close"
          class="text-soft hover:text-ink hover:bg-strong grid size-8 place-items-center rounded"
        >
          <X size={18} />
        </Dialog.Close>
      </div>
      <!-- What is too long is scrolled by keys, too, where nothing in it takes the focus. -->
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <div class="min-h-0 flex-1 overflow-y-auto px-5 py-4" role="group" aria-label={title} tabindex="0">
        {@render children()}
      </div>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
