<script lang="ts">
  import ChevronLeft from "@lucide/svelte/icons/chevron-left";
  import ChevronRight from "@lucide/svelte/icons/chevron-right";
  import RotateCcw from "@lucide/svelte/icons/rotate-ccw";
  import Undo2 from "@lucide/svelte/icons/undo-2";
  import CopyButton from "../CopyButton.svelte";
  import Markdown from "../markdown/Markdown.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import type { Turn } from "./turn.svelte";

  let {
    turn,
    number,
    last = false,
    again,
    takeBack,
    choose,
  }: {
    turn: Turn;
    number: number;
    last?: boolean;
    again?: () => void;
    takeBack?: () => void;
    choose?: (attempt: number) => void;
  } = $props();

  /** In characters: a longer question is folded. */
  const longQuestion = 420;
  let unfolded = $state(false);
  const folded = $derived(turn.question.length > longQuestion && !unfolded);

  function took(seconds: number): string {
    if (seconds < 10) return `Written in ${seconds.toFixed(1)} seconds`;
    if (seconds < 90) return `Written in ${Math.round(seconds)} seconds`;
    return `Written in ${Math.round(seconds / 60)} minutes`;
  }
</script>

<article aria-busy={turn.running} class="relative mt-9 sm:mt-11 wide:grid wide:grid-cols-[minmax(0,42rem)_13rem] wide:gap-x-10">
  <div class="min-w-0">
    <h2 class="flex gap-3 font-serif text-[1.2rem] leading-snug font-semibold">
      <span class="shrink-0 font-normal text-accent tabular-nums" aria-hidden="true">{number}</span>
      <span class={["min-w-0 break-words whitespace-pre-wrap", folded && "line-clamp-4"]}>{turn.question}</span>
    </h2>
    {#if folded}
      <button class="mt-1 ml-6 text-sm text-accent underline underline-offset-4" onclick={() => (unfolded = true)}>Show the whole question</button>
    {/if}

    <div class="mt-3.5">
      {#if turn.text}<Markdown text={turn.text} growing={turn.running} />{/if}
      {#if turn.running && (turn.note || !turn.text)}
        <p class={["flex items-center gap-2 text-[0.92rem] text-faded", turn.text && "mt-3"]}>
          {#if !turn.text}<span class="pen" aria-hidden="true"></span>{/if}
          {turn.note || "Thinking …"}
        </p>
      {/if}
    </div>
    {#if turn.problem && !turn.running}
      <div class="mt-4"><ProblemNote problem={turn.problem} {again} canRetry={last} /></div>
    {/if}
  </div>

  <div class="mt-3 text-[0.8rem] leading-relaxed text-faded wide:mt-1 wide:border-l wide:border-rule wide:pl-4">
    {#if turn.state === "done"}
      <p>{took(turn.seconds)}</p>
      {#if turn.cutShort}<p class="mt-1">The reply reached the longest length this desk allows. You can ask it to go on.</p>{/if}
    {:else if turn.state === "stopped"}
      <p>You stopped this reply.</p>
    {/if}
    {#if !turn.running}
      <div class="mt-1 flex flex-wrap items-center gap-x-4 print:hidden">
        {#if turn.text}<CopyButton text={turn.text} label="Copy the reply" />{/if}
        {#if last && again && !turn.problem}
          <button class="inline-flex min-h-7 items-center gap-1.5 hover:text-accent" onclick={again}>
            <RotateCcw size={13} aria-hidden="true" /> Make it again
          </button>
        {/if}
        {#if last && takeBack}
          <button class="inline-flex min-h-7 items-center gap-1.5 hover:text-accent" onclick={takeBack}>
            <Undo2 size={13} aria-hidden="true" /> Take it back
          </button>
        {/if}
      </div>
    {/if}
    {#if choose && turn.attempts > 1 && !turn.running}
      <div class="-ml-1.5 flex items-center gap-1 print:hidden">
        <button class="icon !size-7" aria-label="The attempt before" disabled={turn.attempt === 1} onclick={() => choose(turn.attempt - 1)}>
          <ChevronLeft size={15} class={turn.attempt === 1 ? "opacity-40" : ""} aria-hidden="true" />
        </button>
        <span class="tabular-nums">{turn.attempt} of {turn.attempts}</span>
        <button class="icon !size-7" aria-label="The next attempt" disabled={turn.attempt === turn.attempts} onclick={() => choose(turn.attempt + 1)}>
          <ChevronRight size={15} class={turn.attempt === turn.attempts ? "opacity-40" : ""} aria-hidden="true" />
        </button>
      </div>
    {/if}
  </div>
</article>
