<!-- One question of a quiz, as it is written. -->
<script lang="ts">
  import ArrowDown from "@lucide/svelte/icons/arrow-down";
  import ArrowUp from "@lucide/svelte/icons/arrow-up";
  import Plus from "@lucide/svelte/icons/plus";
  import Trash2 from "@lucide/svelte/icons/trash-2";
  import X from "@lucide/svelte/icons/x";
  import type { Schemas } from "../../pageData";
  import Link from "../../ui/Link.svelte";

  interface Props {
    /** The question. */
    question: Schemas["QuizQuestion"];
    /** Its place, from 1. */
    number: number;
    /** How many there are. */
    of: number;
    /** What speaks against it. */
    flaws: string[];
    /** Moves it. */
    move: (by: number) => void;
    /** Drops it. */
    drop: () => void;
  }

  let { question = $bindable(), number, of, flaws, move, drop }: Props = $props();

  const group = $props.id();
  const mostOptions = 8;

  function right(at: number) {
    question.options.forEach((o, i) => (o.right = i === at || undefined));
  }
</script>

<li class="grid grid-cols-[1.6rem_minmax(0,1fr)] border-t border-rule py-5 first:border-t-0">
  <span class="pt-2 font-serif text-lead text-accent tabular-nums">{number}</span>
  <div class="min-w-0">
    <div class="flex items-start gap-2">
      <textarea
        data-question
        class="field field-sizing-content min-w-0 flex-1 resize-none font-serif !text-text font-semibold"
        rows="1"
        maxlength="2000"
        aria-label="Question {number}"
        placeholder="What do you want to know?"
        bind:value={question.question}></textarea>
      <span class="flex shrink-0">
        <button
          class="icon"
          title="Move up"
          aria-label="Move question {number} up"
          disabled={number === 1}
          onclick={() => move(-1)}><ArrowUp size={16} aria-hidden="true" /></button>
        <button
          class="icon"
          title="Move down"
          aria-label="Move question {number} down"
          disabled={number === of}
          onclick={() => move(1)}><ArrowDown size={16} aria-hidden="true" /></button>
        <button class="icon" title="Drop it" aria-label="Drop question {number}" onclick={drop}
          ><Trash2 size={16} aria-hidden="true" /></button>
      </span>
    </div>
    <fieldset class="mt-2">
      <legend class="sr-only">Options of question {number}; the chosen one is right</legend>
      {#each question.options as option, i (option)}
        <div class="flex items-center gap-2 py-0.5">
          <input
            type="radio"
            class="size-4 shrink-0 accent-accent"
            name={group}
            checked={!!option.right}
            aria-label="The right one: option {i + 1}"
            title="The right one"
            onchange={() => right(i)} />
          <input
            class={["field min-w-0 flex-1", option.right && "!border-accent"]}
            aria-label="Option {i + 1}{option.right ? ', the right one' : ''}"
            maxlength="2000"
            bind:value={option.text} />
          <button
            class="icon !size-8"
            title="Remove this option"
            aria-label="Remove option {i + 1}"
            disabled={question.options.length <= 2}
            onclick={() => question.options.splice(i, 1)}><X size={15} aria-hidden="true" /></button>
        </div>
      {/each}
      {#if question.options.length < mostOptions}
        <Link
          class="mt-1 inline-flex min-h-7 items-center gap-1 text-fine"
          onclick={() => question.options.push({ text: "" })}
          ><Plus size={14} aria-hidden="true" />Another option</Link>
      {/if}
    </fieldset>
    <label class="mt-2 block text-fine text-faded">
      Where it stands, in the words of the text{question.source
        ? ` (${[question.source.passage.title, question.source.place].filter(Boolean).join(", ")})`
        : ""}
      <textarea
        class="field mt-1 field-sizing-content w-full resize-none font-serif text-ink italic"
        rows="1"
        maxlength="2000"
        placeholder="Shown when the quiz is handed in; may be left out."
        bind:value={question.quote}></textarea>
    </label>
    {#if question.source}
      <details class="mt-1 text-fine">
        <summary class="min-h-6 cursor-pointer text-faded">The text that it was made of</summary>
        <p class="mt-1 max-h-48 overflow-y-auto border-l-2 border-margin pl-3 font-serif whitespace-pre-line">
          {question.source.passage.text}
        </p>
      </details>
    {/if}
    {#if flaws.length}
      <ul class="mt-2 text-note text-wrong" aria-label="What speaks against question {number}">
        {#each flaws as f, i (i)}<li>{f[0]!.toUpperCase() + f.slice(1)}.</li>{/each}
      </ul>
    {/if}
  </div>
</li>
