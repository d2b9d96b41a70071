<!-- A sheet at the left side, where there is little room. -->
<script lang="ts">
  import { say } from "../words";
  import Dialog from "../ui/Dialog.svelte";
  import type { Snippet } from "svelte";

  interface Props {
    /** Whether it is shown. */
    open: boolean;
    /** Its title. */
    title: string;
    /** What it holds. */
    children: Snippet;
  }

  let { open = $bindable(), title, children }: Props = $props();
</script>

<Dialog bind:open {title} place="left" width="20rem" cross={say.general.close}>
  <div class="mt-4">{@render children()}</div>
</Dialog>
