<!-- A quiz that a reply has, to be taken where it stands; nothing of that is kept. -->
<script lang="ts">
  import { say } from "../words";
  import { pageData, type Schemas } from "../pageData";
  import { keepDraft, newQuiz } from "../console/quiz/drafts";
  import Link from "../ui/Link.svelte";
  import QuizForm from "./QuizForm.svelte";
  import SourceView from "./SourceView.svelte";
  import { placeOf, type Shown } from "./sources";

  interface Props {
    /** The quiz. */
    quiz: Schemas["Quiz"];
    /** What was asked. */
    question: string;
  }

  let { quiz, question }: Props = $props();

  let taking = $state(false);
  let marked = $state<Schemas["Marked"] | null>(null);
  let opened = $state<Shown | null>(null);
  let looking = $state(false);
  let round = $state(0);
  const questions = $derived(
    quiz.questions.map((q) => ({ question: q.question, options: q.options.map((o) => o.text) })),
  );

  function mark(answers: number[]) {
    const all = quiz.questions.map((q, i) => ({
      right: q.options.findIndex((o) => o.right),
      chosen: answers[i] ?? -1,
      quote: q.quote ?? "",
      title: q.source?.passage.title ?? "",
      place: q.source?.place ?? "",
    }));
    const score = all.filter((q) => q.right === q.chosen).length;
    marked = { score, of: all.length, try: 1, questions: all };
  }

  /** For a maker: takes it to the console, to be put right and given to people. */
  function give() {
    keepDraft(newQuiz, { quiz: $state.snapshot(quiz) as Schemas["Quiz"], names: false, edition: 0 });
    window.open(`${pageData.base}/console/quizzes/new`, "_blank");
  }

  function open(i: number) {
    const q = quiz.questions[i]!;
    if (!q.source) return;
    opened = {
      passage: q.source.passage,
      place: placeOf(q.source.place ?? "", "", q.source.passage.title),
      quote: q.quote ?? "",
      marks: q.source.marks,
    };
    looking = true;
  }
</script>

<div class="mt-4">
  {#if !taking}
    <button type="button" class="button-main" onclick={() => (taking = true)}>{say.quiz.take}</button>
    {#if pageData.maker}<button type="button" class="button-plain" onclick={give}>{say.quiz.give}</button
      >{/if}
    <p class="mt-1 text-fine text-faded">{say.quiz.forYou}</p>
  {:else}
    {#key round}
      <QuizForm
        {questions}
        {marked}
        handIn={mark}
        open={quiz.questions.some((q) => q.source) ? open : undefined} />
    {/key}
    {#if marked}<Link class="mt-4 min-h-7 text-note" onclick={() => ((marked = null), round++)}
        >{say.quiz.again}</Link
      >{/if}
  {/if}
  {#if quiz.dropped?.length}
    <details class="mt-4 border-t border-rule pt-2">
      <summary class="min-h-7 cursor-pointer text-note font-semibold"
        >{say.quiz.dropped(quiz.dropped.length)}</summary>
      <ul class="mt-2 space-y-2 text-note">
        {#each quiz.dropped as d, i (i)}
          <li>
            {d.question}
            <span class="block text-fine text-faded">{d.why}</span>
          </li>
        {/each}
      </ul>
    </details>
  {/if}
</div>
{#if opened}<SourceView bind:open={looking} note={opened} {question} />{/if}
