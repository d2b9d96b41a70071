<!-- A label over its control, with a word of help below. -->
<script lang="ts">
  import type { Snippet } from "svelte";

  interface Props {
    /** What the control is for. */
    label: string;
    /** What to know about it. Default: nothing. */
    help?: string;
    /** How it stands in its surroundings. Default: as it falls. */
    class?: string;
    children: Snippet;
  }

  let { label, help, class: place = "", children }: Props = $props();
</script>

<label class={["block min-w-0 text-sm font-semibold", place]}>
  {label}
  <span class="mt-1.5 block font-normal">{@render children()}</span>
  {#if help}<span class="mt-1 block text-fine font-normal text-faded">{help}</span>{/if}
</label>
