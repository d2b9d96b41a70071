<!-- The questions of a quiz: written, put right, put into another order, dropped. -->
<script lang="ts">
  import Plus from "@lucide/svelte/icons/plus";
  import { tick } from "svelte";
  import * as trials from "../../api/trials";
  import type { Schemas } from "../../pageData";
  import Field from "../../ui/Field.svelte";
  import Link from "../../ui/Link.svelte";
  import { act, complain, sentence } from "../state.svelte";
  import { draftOf, dropDraft, keepDraft } from "./drafts";
  import QuestionEditor from "./QuestionEditor.svelte";

  interface Props {
    /** Under which what is written is kept until it is given. */
    id: string;
    /** The quiz as it was given; null: it was not yet. */
    given: Schemas["GivenQuiz"] | null;
    /** Is told the quiz when it was given or changed. */
    changed: (q: Schemas["GivenQuiz"]) => void;
  }

  let { id, given, changed }: Props = $props();

  const empty = (): Schemas["QuizQuestion"] => ({
    question: "",
    options: [{ text: "", right: true }, { text: "" }, { text: "" }],
  });
  const copyOf = (q: Schemas["Quiz"]) => structuredClone($state.snapshot(q)) as Schemas["Quiz"];

  // svelte-ignore state_referenced_locally
  const kept = draftOf(id);
  // svelte-ignore state_referenced_locally
  const current = kept && (!given || kept.edition === given.edition) ? kept : null;
  // svelte-ignore state_referenced_locally
  let quiz = $state(current?.quiz ?? (given ? copyOf(given.quiz) : { title: "", questions: [empty()] }));
  // svelte-ignore state_referenced_locally
  let names = $state(current?.names ?? given?.names ?? false);
  // svelte-ignore state_referenced_locally
  let fromBefore = $state(!!current && !!given);
  const left = current?.left ?? [];
  let flaws = $state<string[][]>([]);
  let problem = $state("");
  let list: HTMLElement | undefined = $state();
  /** The newest that was dropped, and where it stood. */
  let dropped = $state.raw<{ question: Schemas["QuizQuestion"]; at: number } | null>(null);

  const text = $derived(JSON.stringify([quiz, names]));
  const isChanged = $derived(!given || text !== JSON.stringify([given.quiz, given.names]));

  // What is written is kept at once, and held against the texts when the keys rest.
  $effect(() => {
    const [written, asked] = JSON.parse(text) as [Schemas["Quiz"], boolean];
    if (isChanged) keepDraft(id, { quiz: written, names: asked, edition: given?.edition ?? 0, left });
    else dropDraft(id);
    const timer = setTimeout(() => {
      trials.flawsOf(written).then(
        (f) => ((flaws = f), (problem = "")),
        (e) => (problem = sentence(e)),
      );
    }, 500);
    return () => clearTimeout(timer);
  });

  async function focus(question: number) {
    await tick();
    list?.querySelectorAll<HTMLElement>("textarea[data-question]")[question]?.focus();
  }

  function move(at: number, by: number) {
    const to = at + by;
    if (to < 0 || to >= quiz.questions.length) return;
    quiz.questions.splice(to, 0, quiz.questions.splice(at, 1)[0]!);
    flaws = [];
    void focus(to);
  }

  function drop(at: number) {
    dropped = { question: $state.snapshot(quiz.questions[at]!) as Schemas["QuizQuestion"], at };
    quiz.questions.splice(at, 1);
    flaws = [];
  }

  function bringBack() {
    quiz.questions.splice(dropped!.at, 0, dropped!.question);
    void focus(dropped!.at);
    dropped = null;
    flaws = [];
  }

  function add() {
    quiz.questions.push(empty());
    void focus(quiz.questions.length - 1);
  }

  function asGiven() {
    quiz = copyOf(given!.quiz);
    names = given!.names;
    fromBefore = false;
    dropped = null;
  }

  const give = () =>
    act(
      async () => {
        const written = $state.snapshot(quiz) as Schemas["Quiz"];
        const q = given ? await trials.changeQuiz(id, written, names) : await trials.giveQuiz(written, names);
        dropDraft(id);
        fromBefore = false;
        quiz = copyOf(q.quiz);
        changed(q);
      },
      given ? "People take the changed questions from now on" : "The quiz is given",
    ).catch(complain);
</script>

<div class="mt-6 max-w-[52rem]">
  {#if fromBefore}
    <p class="mb-5 border-l-2 border-margin pl-4 text-note" role="status">
      These are your changes that you have not given yet. <Link onclick={asGiven}
        >Take them back to what was given</Link>
    </p>
  {/if}
  {#if left.length}
    <details class="mb-5 text-note">
      <summary class="cursor-pointer font-semibold"
        >{left.length === 1 ? "One thing" : `${left.length} things`} of the file could not be used</summary>
      <ul class="mt-1 list-disc pl-5">
        {#each left as l, i (i)}<li>{l}</li>{/each}
      </ul>
    </details>
  {/if}
  <div class="grid gap-4 sm:grid-cols-2">
    <Field label="Title"><input class="field" bind:value={quiz.title} maxlength="200" /></Field>
    <Field label="What it is about" help="Read by people before they begin; may be left out.">
      <input class="field" bind:value={quiz.about} maxlength="2000" /></Field>
  </div>
  <label class="mt-4 flex items-center gap-2 text-note">
    <input type="checkbox" class="size-4 accent-accent" bind:checked={names} />
    Ask people for their names
  </label>

  <ol bind:this={list} class="mt-4" aria-label="Questions">
    {#each quiz.questions as q, i (q)}
      <QuestionEditor
        bind:question={quiz.questions[i]!}
        number={i + 1}
        of={quiz.questions.length}
        flaws={flaws[i] ?? []}
        move={(by) => move(i, by)}
        drop={() => drop(i)} />
    {/each}
  </ol>
  {#if dropped}
    <p class="mt-3 text-note" role="status">
      A question was dropped. <Link onclick={bringBack}>Bring it back</Link>
    </p>
  {/if}
  <button class="button-plain mt-4 inline-flex items-center gap-2" onclick={add}
    ><Plus size={16} aria-hidden="true" />Add a question</button>

  <div
    class="sticky bottom-0 mt-8 flex flex-wrap items-center gap-x-4 gap-y-2 border-t border-rule bg-paper py-3">
    <button class="button-main" disabled={!isChanged || !!problem} onclick={() => void give()}
      >{given ? "Give the changes" : "Give it to people"}</button>
    <p class="min-w-0 flex-1 text-fine text-faded" role={problem ? "alert" : undefined}>
      {#if problem}<span class="text-wrong">{problem}</span>
      {:else if !isChanged}This is what people take.
      {:else if given?.sittings}How it went so far is kept apart from how these questions go.
      {:else}Kept in this browser until you give it.{/if}
    </p>
  </div>
</div>
