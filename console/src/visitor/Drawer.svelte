<script lang="ts">
  import { say } from "../words";
  import Dialog from "../ui/Dialog.svelte";
  import type { Snippet } from "svelte";

  let { open = $bindable(), title, children }: { open: boolean; title: string; children: Snippet } = $props();
</script>

<Dialog bind:open {title} place="left" width="20rem" cross={say.general.close}>
  <div class="mt-4">{@render children()}</div>
</Dialog>
