<script lang="ts">
  import { say } from "../words";
  import Check from "@lucide/svelte/icons/check";
  import Copy from "@lucide/svelte/icons/copy";
  import type { ClassValue } from "svelte/elements";
  import { copy } from "../copy";

  let { text, label, class: style = "" }: { text: string; label: string; class?: ClassValue } = $props();

  let copied = $state(false);

  async function press() {
    await copy(text);
    copied = true;
    setTimeout(() => (copied = false), 1800);
  }
</script>

<button
  class={["inline-flex min-h-7 items-center gap-1.5 hover:text-accent", style]}
  aria-label={copied ? "Copied" : label}
  onclick={press}>
  {#if copied}<Check size={13} aria-hidden="true" /> {say.copy.done}{:else}<Copy
      size={13}
      aria-hidden="true" />
    {say.copy.do}{/if}
</button>
