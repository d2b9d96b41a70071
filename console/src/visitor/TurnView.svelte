<!-- A question with its reply. -->
<script lang="ts">
  import { tick } from "svelte";
  import type { Schemas } from "../pageData";
  import { say } from "../words";
  import Markdown from "../markdown/Markdown.svelte";
  import type { Conversation } from "./conversation.svelte";
  import EditQuestion from "./EditQuestion.svelte";
  import { figureMarks, figuresOf, rowsNotesOf, showFigures } from "./figures";
  import { withMarks } from "./marks";
  import { claimMarks, notesOf, showClaims, sourcesOf } from "./sources";
  import MarginNotes from "./MarginNotes.svelte";
  import LanesView from "./LanesView.svelte";
  import PartView from "./PartView.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import type { Turn } from "./turn.svelte";
  import { altOf, fileOf, view } from "./pictures.svelte";
  import Pieces from "./Pieces.svelte";
  import Thoughts from "./Thoughts.svelte";
  import TurnTools from "./TurnTools.svelte";
  import Link from "../ui/Link.svelte";

  interface Props {
    /** The turn that it shows. */
    turn: Turn;
    /** Of the turn, from 1. */
    number: number;
    /** Whether it is the last. Default: false. */
    last?: boolean;
    /** Where it belongs. Default: it is only read. */
    conversation?: Conversation;
    /** Has the reply made again. Default: it cannot be. */
    again?: () => void;
    /** Asks the question anew. Default: it cannot be. */
    edit?: (question: string) => void;
    /** Takes the question back. Default: it cannot be. */
    takeBack?: () => void;
  }

  let { turn, number, last = false, conversation, again, edit, takeBack }: Props = $props();

  /** In characters: a longer question is folded, a longer reply can be. */
  const longQuestion = 420;
  const longReply = 2600;
  let unfolded = $state(false);
  let folded = $state(false);
  let editing = $state(false);
  const questionFolded = $derived(turn.question.length > longQuestion && !unfolded);
  let article: HTMLElement | undefined = $state();
  let reply: HTMLElement | undefined = $state();
  const sources = $derived(turn.running ? null : sourcesOf(turn.parts));
  const notes = $derived(sources ? notesOf(sources) : []);
  const figures = $derived(turn.running ? null : figuresOf(turn.parts));
  const result = $derived(
    turn.running
      ? null
      : ((turn.parts.find((p) => p.type === "result")?.value as Schemas["TableResult"] | undefined) ?? null),
  );
  const rows = $derived(figures && result?.behind ? rowsNotesOf(turn.text, figures, result) : []);
  const marked = $derived(
    withMarks(turn.text, [
      ...(sources ? claimMarks(turn.text, sources) : []),
      ...(figures ? figureMarks(figures) : []),
    ]),
  );
  function finish(html: string): string {
    if (sources) html = showClaims(html, sources);
    return figures ? showFigures(html, figures) : html;
  }
  // The cell of the table that a number in the reply stands for.
  let lit = $state<{ row: number; column: number } | null>(null);
  /** Lights the cell that a number of the reply stands for. */
  function light(e: MouseEvent) {
    const number = (e.target as HTMLElement).closest<HTMLElement>("button.figure");
    if (!number) return;
    lit = { row: Number(number.dataset.row), column: Number(number.dataset.column) };
    void tick().then(() =>
      article?.querySelector("td.bg-marker")?.scrollIntoView({ block: "nearest", behavior: "smooth" }),
    );
  }
  const foldable = $derived(turn.text.length > longReply && !turn.running);
</script>

<article
  bind:this={article}
  aria-busy={turn.running}
  class={[
    "relative wide:grid wide:gap-x-9",
    turn.show === "columns"
      ? "wide:grid-cols-1"
      : "wide:grid-cols-[minmax(0,42rem)_14rem] wide:grid-rows-[auto_1fr]",
  ]}
  data-turn={turn.id}>
  <div class="min-w-0 pt-9 sm:pt-11">
    {#if editing}
      <EditQuestion
        question={turn.question}
        close={() => (editing = false)}
        ask={(q) => ((editing = false), edit!(q))} />
    {:else}
      <h2 class="flex gap-3 font-serif text-lead leading-snug font-semibold">
        <span class="shrink-0 font-normal text-accent tabular-nums" aria-hidden="true">{number}</span>
        <span class={["min-w-0 break-words whitespace-pre-wrap", questionFolded && "line-clamp-4"]}
          >{turn.question}</span>
      </h2>
      {#if questionFolded}
        <Link class="mt-1 ml-6 text-sm" onclick={() => (unfolded = true)}>{say.question.whole}</Link>
      {/if}
    {/if}

    {#if turn.pictures.length}
      <ul class="mt-3 ml-6 flex flex-wrap gap-2" aria-label={say.pictures.askedWith}>
        {#each turn.pictures as p, i (p.id)}
          <li>
            <button
              type="button"
              class="block h-24 overflow-hidden rounded border border-rule bg-leaf hover:border-accent"
              aria-label={say.pictures.large(altOf(p))}
              onclick={() => view(turn.pictures, i, !!conversation)}
              ><img
                class="h-full max-w-64 object-cover"
                style="aspect-ratio: {p.width} / {p.height}"
                loading="lazy"
                src={fileOf(p.id, true)}
                alt="" /></button>
          </li>
        {/each}
      </ul>
    {/if}
    {#if turn.thought}<Thoughts text={turn.thought} growing />{/if}
    {#each turn.parts as part (part.title)}{#if part.type === "thinking" && !turn.running}<Thoughts
          title={part.title}
          text={String(part.value)} />{/if}{/each}
    <!-- svelte-ignore a11y_no_static_element_interactions, a11y_click_events_have_key_events -->
    <div
      bind:this={reply}
      onclick={light}
      class={["mt-3.5", foldable && folded && "relative max-h-64 overflow-hidden print:max-h-none"]}>
      {#if turn.show}<LanesView {turn} {conversation} />{:else if turn.text}<Markdown
          text={marked}
          growing={turn.running}
          finish={sources || figures ? finish : undefined} />{/if}
      {#if figures?.loose}<p class="mt-2 text-fine text-wrong">{say.tables.looseNote(figures.loose)}</p>{/if}
      {#if turn.running && (turn.note || (!turn.text && !turn.lanes.some((l) => l.text)))}
        <p class={["flex items-center gap-2 text-note text-faded", turn.text && "mt-3"]}>
          {#if !turn.text}<span class="pen" aria-hidden="true"></span>{/if}
          {turn.note || say.notices.thinking}
        </p>
      {/if}
      {#if turn.pieces.length && !turn.text}<Pieces pieces={turn.pieces} />{/if}
      {#if foldable && folded}
        <div
          class="absolute inset-x-0 bottom-0 h-24 bg-gradient-to-b from-transparent to-paper print:hidden"
          aria-hidden="true">
        </div>
      {/if}
    </div>
    {#if foldable}
      <Link
        class="mt-2 min-h-7 text-sm print:hidden"
        aria-expanded={!folded}
        onclick={() => (folded = !folded)}>
        {folded ? say.reply.whole : say.reply.fold}
      </Link>
    {/if}
    {#if !turn.running}
      {#each turn.parts as part (part.title)}{#if !["sources", "thinking", "figures"].includes(part.type)}<PartView
            {part}
            turn={conversation ? turn.id : undefined}
            question={turn.question}
            recordings={conversation?.recordings ?? undefined}
            {lit}
            said={figures?.numbers.some((n) => n.row === 0 && n.column === 0)} />{/if}{/each}
    {/if}
    {#if turn.problem && !turn.running}
      <div class="mt-4">
        <ProblemNote problem={turn.problem} {again} canRetry={last} until={turn.patienceUntil} />
      </div>
    {/if}
  </div>

  {#if turn.show !== "columns"}
    <div class="text-fine leading-relaxed text-faded wide:row-span-2 wide:pt-12 wide:pl-4">
      {#if sources || rows.length}<MarginNotes
          {turn}
          {sources}
          {notes}
          {rows}
          from={result?.titles ?? []}
          kept={!!conversation}
          {article}
          recordings={conversation?.recordings ?? undefined} />{/if}
    </div>
  {/if}
  <div class="min-w-0">
    <TurnTools
      {turn}
      {last}
      {conversation}
      {reply}
      {again}
      {takeBack}
      edit={edit && !editing ? () => (editing = true) : undefined} />
  </div>
</article>
