<!-- Copies a text. -->
<script lang="ts">
  import { say } from "../words";
  import Check from "@lucide/svelte/icons/check";
  import Copy from "@lucide/svelte/icons/copy";
  import type { ClassValue } from "svelte/elements";
  import { copy } from "../copy";

  interface Props {
    /** What is copied. */
    text: string;
    /** What it says to screen readers. */
    label: string;
    /** Further classes. Default: none. */
    class?: ClassValue;
  }

  let { text, label, class: style = "" }: Props = $props();

  let copied = $state(false);

  async function press() {
    await copy(text);
    copied = true;
    setTimeout(() => (copied = false), 1800);
  }
</script>

<button
  class={["inline-flex min-h-7 items-center gap-1.5 hover:text-accent", style]}
  aria-label={copied ? say.copy.done : label}
  onclick={press}>
  {#if copied}<Check size={13} aria-hidden="true" /> {say.copy.done}{:else}<Copy
      size={13}
      aria-hidden="true" />
    {say.copy.do}{/if}
</button>
