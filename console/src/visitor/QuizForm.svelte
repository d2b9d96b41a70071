<!-- Questions with options: to be answered on one page or one at a time, and looked at when
     they are marked. -->
<script lang="ts">
  import Check from "@lucide/svelte/icons/check";
  import X from "@lucide/svelte/icons/x";
  import { tick } from "svelte";
  import { say } from "../words";
  import type { Schemas } from "../pageData";
  import Link from "../ui/Link.svelte";
  import { placeOf } from "./sources";

  interface Props {
    /** The questions, their options in the order in which they are shown. */
    questions: Schemas["SittingQuestion"][];
    /** What was right; null: it is not marked yet. */
    marked: Schemas["Marked"] | null;
    /** Hands in the places of the chosen options, -1 where there is none. */
    handIn: (answers: number[]) => void;
    /** Whether it is being handed in. Default: false. */
    busy?: boolean;
    /** Opens where the answer to a question stands, if it says so. Default: it cannot be opened. */
    open?: (question: number) => void;
  }

  let { questions, marked, handIn, busy = false, open }: Props = $props();

  const group = $props.id();
  // What is chosen of each question; a new sitting begins with nothing.
  let chosen = $derived<number[]>(questions.map(() => -1));
  let single = $state(false);
  let at = $state(0);
  let unsure = $state(false);
  let top: HTMLElement | undefined = $state();
  // What has become of it stands at the top.
  $effect(() => {
    if (marked) top?.scrollIntoView({ block: "start" });
  });
  const left = $derived(chosen.filter((c) => c < 0).length);
  const shown = $derived(single && !marked ? [at] : questions.map((_, i) => i));

  function choose(question: number, option: number) {
    chosen = chosen.with(question, option);
    unsure = false;
  }

  async function go(by: number) {
    at = Math.min(questions.length - 1, Math.max(0, at + by));
    await tick();
    top?.querySelector<HTMLElement>("legend")?.focus();
  }

  /** Hands in; where something is left out, only the second time. */
  function done() {
    if (left && !unsure) {
      unsure = true;
      if (single) at = chosen.findIndex((c) => c < 0);
      return;
    }
    handIn(chosen);
  }
</script>

<div bind:this={top} class="scroll-mt-20">
  {#if marked}
    <p class="mt-4 font-serif text-lead font-semibold" role="status">
      {say.quiz.score(marked.score, marked.of)}
    </p>
  {:else if questions.length > 1}
    <Link class="mt-2 min-h-7 text-fine" onclick={() => (single = !single)}
      >{single ? say.quiz.allAtOnce : say.quiz.oneAtATime}</Link>
  {/if}
  <form onsubmit={(e) => (e.preventDefault(), done())}>
    {#each shown as i (i)}
      {@const q = questions[i]!}
      {@const m = marked?.questions[i]}
      <fieldset class="mt-6 min-w-0">
        <legend class="flex gap-3 font-serif text-lead leading-snug font-semibold" tabindex="-1">
          <span class="shrink-0 font-normal text-accent tabular-nums">{i + 1}</span>
          <span class="min-w-0 break-words">{q.question}</span>
        </legend>
        <div class="mt-2 ml-6 divide-y divide-rule border-y border-rule">
          {#each q.options as option, j (j)}
            <label
              class={[
                "flex min-h-10 cursor-pointer items-center gap-3 py-1.5 pr-2",
                m && "cursor-default",
                m?.right === j && "bg-marker/40",
              ]}>
              <input
                type="radio"
                class="size-4 shrink-0 accent-accent"
                name="{group}-{i}"
                checked={m ? m.chosen === j : chosen[i] === j}
                disabled={!!marked}
                onchange={() => choose(i, j)} />
              <span class="min-w-0 flex-1 break-words">{option}</span>
              {#if m?.right === j}<span class="flex items-center gap-1 text-fine font-semibold"
                  ><Check size={15} aria-hidden="true" />{say.quiz.right}</span
                >{:else if m?.chosen === j}<span class="flex items-center gap-1 text-fine text-wrong"
                  ><X size={15} aria-hidden="true" />{say.quiz.wrong}</span
                >{/if}
            </label>
          {/each}
        </div>
        {#if m}
          <div class="mt-2 ml-6 text-note">
            {#if m.chosen < 0}<p class="text-faded">{say.quiz.notAnswered}</p>{/if}
            {#if m.quote}
              <p class="font-serif text-faded italic">“{m.quote}”</p>
              <p class="text-fine text-faded">
                {#if open && m.title}<Link class="min-h-7" onclick={() => open(i)}
                    >{[m.title, placeOf(m.place, "", m.title)].filter(Boolean).join(", ")}</Link
                  >{:else}{[m.title, placeOf(m.place, "", m.title)].filter(Boolean).join(", ")}{/if}
              </p>
            {/if}
          </div>
        {/if}
      </fieldset>
    {/each}
    {#if !marked}
      {#if unsure}<p class="mt-4 text-note text-wrong" role="alert">{say.quiz.leftOut(left)}</p>{/if}
      <div class="mt-5 flex flex-wrap items-center gap-2">
        {#if single}
          <button type="button" class="button-plain" disabled={at === 0} onclick={() => go(-1)}
            >{say.quiz.before}</button>
          <button
            type="button"
            class="button-plain"
            disabled={at === questions.length - 1}
            onclick={() => go(1)}>{say.quiz.next}</button>
          <span class="text-fine text-faded tabular-nums">{say.quiz.place(at + 1, questions.length)}</span>
        {/if}
        {#if !single || at === questions.length - 1 || !left}
          <button type="submit" class="button-main" aria-disabled={busy}>{say.quiz.handIn}</button>
        {/if}
      </div>
    {/if}
  </form>
</div>
