<!-- How far something is. -->
<script lang="ts">
  import type { ClassValue } from "svelte/elements";

  interface Props {
    /** What is under way, for screen readers. */
    label: string;
    /** From 0 to 1. */
    value: number;
    /** More classes. Default: none. */
    class?: ClassValue;
  }

  let { label, value, class: more }: Props = $props();

  const part = $derived(Math.round(100 * Math.min(1, Math.max(0, value))));
</script>

<span
  class={["block h-2 overflow-hidden rounded-full border border-field bg-leaf", more]}
  role="progressbar"
  aria-label={label}
  aria-valuemin="0"
  aria-valuemax="100"
  aria-valuenow={part}>
  <span class="block h-full rounded-full bg-accent" style:width="{part}%"></span>
</span>
