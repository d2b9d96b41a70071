<script lang="ts">
  import ChevronLeft from "@lucide/svelte/icons/chevron-left";
  import ChevronRight from "@lucide/svelte/icons/chevron-right";

  // Arrows that go through things of one kind, such as attempts.
  let { at, of, what, go }: { at: number; of: number; what: string; go: (to: number) => void } = $props();
</script>

<div class="-ml-1.5 flex items-center gap-1 print:hidden">
  <button class="icon !size-7" aria-label="The {what} before" disabled={at === 1} onclick={() => go(at - 1)}>
    <ChevronLeft size={15} class={at === 1 ? "opacity-40" : ""} aria-hidden="true" />
  </button>
  <span class="tabular-nums">{what[0]!.toUpperCase() + what.slice(1)} {at} of {of}</span>
  <button class="icon !size-7" aria-label="The next {what}" disabled={at === of} onclick={() => go(at + 1)}>
    <ChevronRight size={15} class={at === of ? "opacity-40" : ""} aria-hidden="true" />
  </button>
</div>
