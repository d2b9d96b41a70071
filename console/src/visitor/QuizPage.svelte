<!-- The page on which a quiz is taken that somebody gave. -->
<script lang="ts">
  import { say } from "../words";
  import { Trouble } from "../api/service";
  import * as api from "../api/quizzes";
  import { pageData, type Schemas } from "../pageData";
  import Mark from "../ui/Mark.svelte";
  import Link from "../ui/Link.svelte";
  import SourceView from "./SourceView.svelte";
  import { placeOf, type Shown } from "./sources";
  import QuizForm from "./QuizForm.svelte";

  const take = pageData.quiz!;
  let quiz = $state<Schemas["QuizToTake"] | null>(null);
  let sitting = $state<Schemas["Sitting"] | null>(null);
  let marked = $state<Schemas["Marked"] | null>(null);
  let opened = $state.raw<Shown | null>(null);
  let looking = $state(false);
  let name = $state("");
  let problem = $state("");
  let busy = $state(false);

  async function attempt(what: () => Promise<void>) {
    if (busy) return;
    busy = true;
    problem = "";
    try {
      await what();
    } catch (e) {
      problem = e instanceof Trouble ? e.detail : say.notices.broken;
    } finally {
      busy = false;
    }
  }

  void attempt(async () => {
    quiz = await api.toTake(take);
    document.title = quiz.title;
  });

  const begin = () =>
    attempt(async () => {
      sitting = await api.begin(take, name);
      marked = null;
      scrollTo({ top: 0 });
    });

  /** Opens the part of the text in which an answer stands. */
  function open(i: number) {
    const { source, quote } = marked!.questions[i]!;
    if (!source) return;
    opened = { ...source, place: placeOf(source.place ?? "", "", source.passage.title), quote };
    looking = true;
  }

  const handIn = (answers: number[]) =>
    attempt(async () => {
      marked = await api.handIn(sitting!.id, answers);
      scrollTo({ top: 0 });
    });
</script>

<main class="relative mx-auto max-w-[46rem] px-4 pb-24 sm:px-8">
  <div class="mt-10 mb-4 sm:mt-16"><Mark size={34} /></div>
  {#if quiz}
    <h1
      class={[
        "font-serif leading-tight font-semibold text-balance break-words",
        quiz.title.length > 80 ? "text-lead" : "text-head",
      ]}>
      {quiz.title}
    </h1>
    {#if quiz.about}<p class="mt-3 font-serif text-lead leading-relaxed">{quiz.about}</p>{/if}
    {#if !sitting}
      <p class="mt-3 text-note text-faded">{say.quiz.about(quiz.questions, quiz.names)}</p>
      <form class="mt-5" onsubmit={(e) => (e.preventDefault(), void begin())}>
        {#if quiz.names}
          <label class="block text-fine text-faded"
            >{say.quiz.name}
            <input
              class="field mt-1 w-full max-w-sm text-ink"
              bind:value={name}
              maxlength="80"
              autocomplete="name" />
          </label>
        {/if}
        <button type="submit" class="button-main mt-4" aria-disabled={busy}>{say.quiz.begin}</button>
      </form>
    {:else}
      {#key sitting.id}
        <QuizForm
          questions={sitting.questions}
          {marked}
          handIn={(answers) => void handIn(answers)}
          {busy}
          {open} />
      {/key}
      {#if marked}
        <p class="mt-6 text-note text-faded">{say.quiz.handedIn(marked.try)}</p>
        <Link class="mt-1 min-h-7 text-note" onclick={() => void begin()}>{say.quiz.again}</Link>
      {/if}
    {/if}
  {:else if !problem}
    <p class="text-faded" role="status">{say.document.fetching}</p>
  {/if}
  {#if problem}<p class="mt-4 text-wrong" role="alert">{problem}</p>{/if}
</main>
{#if opened}<SourceView bind:open={looking} note={opened} question={quiz?.title ?? ""} whole={false} />{/if}
