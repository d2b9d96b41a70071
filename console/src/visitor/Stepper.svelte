<!-- Arrows that go through things of one kind, such as attempts. -->
<script lang="ts">
  import ChevronLeft from "@lucide/svelte/icons/chevron-left";
  import ChevronRight from "@lucide/svelte/icons/chevron-right";

  interface Props {
    /** Which one is shown, from 1. */
    at: number;
    /** How many there are. */
    of: number;
    /** What its arrows and its number say. */
    words: { before: string; next: string; of: (at: number, of: number) => string };
    /** Shows another one. */
    go: (to: number) => void;
  }

  let { at, of, words, go }: Props = $props();
</script>

<div class="-ml-1.5 flex items-center gap-1 print:hidden">
  <button class="icon !size-7" aria-label={words.before} disabled={at === 1} onclick={() => go(at - 1)}>
    <ChevronLeft size={15} class={at === 1 ? "opacity-40" : ""} aria-hidden="true" />
  </button>
  <span class="tabular-nums">{words.of(at, of)}</span>
  <button class="icon !size-7" aria-label={words.next} disabled={at === of} onclick={() => go(at + 1)}>
    <ChevronRight size={15} class={at === of ? "opacity-40" : ""} aria-hidden="true" />
  </button>
</div>
