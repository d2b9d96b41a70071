<script lang="ts">
  import X from "@lucide/svelte/icons/x";
  import { Dialog } from "bits-ui";
  import type { Snippet } from "svelte";

  let { open = $bindable(), title, children }: { open: boolean; title: string; children: Snippet } = $props();
</script>

<Dialog.Root bind:open>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 z-30 bg-black/40" />
    <Dialog.Content
      class="fixed inset-y-0 left-0 z-40 w-[min(20rem,86vw)] overflow-y-auto bg-paper px-5 py-4 shadow-xl">
      <div class="mb-4 flex items-center justify-between">
        <Dialog.Title class="text-sm font-semibold">{title}</Dialog.Title>
        <Dialog.Close class="icon -mr-2" aria-label="Close"><X size={18} aria-hidden="true" /></Dialog.Close>
      </div>
      {@render children()}
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
