<!-- What can be done with a reply, and how long it took. -->
<script lang="ts">
  import { say } from "../words";
  import { readings } from "../words/readings";
  import Pencil from "@lucide/svelte/icons/pencil";
  import RotateCcw from "@lucide/svelte/icons/rotate-ccw";
  import ThumbsDown from "@lucide/svelte/icons/thumbs-down";
  import ThumbsUp from "@lucide/svelte/icons/thumbs-up";
  import Trash2 from "@lucide/svelte/icons/trash-2";
  import CopyButton from "../ui/CopyButton.svelte";
  import { pageData } from "../pageData";
  import type { Conversation } from "./conversation.svelte";
  import AloudButton from "./AloudButton.svelte";
  import Reasons from "./Reasons.svelte";
  import Stepper from "./Stepper.svelte";
  import type { Turn } from "./turn.svelte";
  import Link from "../ui/Link.svelte";

  interface Props {
    /** The turn that it shows. */
    turn: Turn;
    /** Whether it is the last turn. */
    last: boolean;
    /** Where it can be judged. Default: it is only read. */
    conversation?: Conversation;
    /** Where the reply stands, to be read aloud. Default: it cannot be. */
    reply?: HTMLElement;
    /** Has the reply written again. Default: it cannot be. */
    again?: () => void;
    /** Begins to change the question. Default: it cannot be. */
    edit?: () => void;
    /** Removes the question. Default: it cannot be. */
    takeBack?: () => void;
  }

  let { turn, last, conversation, reply, again, edit, takeBack }: Props = $props();

  /** How many characters are read aloud at once; 0: none are. */
  const speaks = $derived(
    conversation && pageData.desk?.sound.aloud ? (pageData.desk.sound.aloud_most ?? 0) : 0,
  );
  const branch = $derived(turn.siblings.indexOf(turn.id) + 1);
  const judged = $derived(
    conversation && turn.text && (turn.state === "done" || turn.state === "stopped") ? conversation : null,
  );
  const act = "inline-flex min-h-8 items-center gap-1.5 hover:text-accent";
</script>

{#snippet thumb(helped: boolean)}
  {@const Thumb = helped ? ThumbsUp : ThumbsDown}
  {@const label = helped ? say.reply.helped : say.reply.notHelped}
  <button
    class="icon !size-8"
    title={label}
    aria-label={label}
    aria-pressed={turn.helped === helped}
    onclick={() => judged!.judge(turn, helped)}>
    <Thumb
      size={15}
      class={turn.helped === helped ? "fill-accent stroke-paper text-accent" : ""}
      aria-hidden="true" />
  </button>
{/snippet}

{#if turn.running && turn.text && turn.id && speaks}
  <div class="mt-3 text-fine text-faded print:hidden">
    <AloudButton {turn} root={() => reply} most={speaks} />
  </div>
{/if}
{#if !turn.running}
  <div class="mt-3 text-fine text-faded">
    {#if turn.cutShort}<p class="mb-1">{say.reply.cutShort[turn.cutShort]}</p>{/if}
    {#if turn.state === "stopped"}<p class="mb-1">{say.reply.stopped}</p>{/if}
    <div class="flex flex-wrap items-center gap-x-4 gap-y-0.5 print:hidden">
      {#if judged}
        <div class="-ml-2 flex items-center" role="group" aria-label={say.reply.helpedAsk}>
          {@render thumb(true)}
          {@render thumb(false)}
          {#if turn.helped !== null}<span class="pl-1">{say.reply.helpedSaid(turn.helped)}</span>{/if}
        </div>
      {/if}
      {#if turn.text && speaks}<AloudButton {turn} root={() => reply} most={speaks} />{/if}
      {#if turn.text}<CopyButton text={turn.text} label={say.reply.copy} class="min-h-8" />{/if}
      {#if last && again && !turn.problem}
        <button class={act} title={readings["reply.again"]} onclick={again}
          ><RotateCcw size={14} aria-hidden="true" /> {say.reply.again}</button>
      {/if}
      {#if edit}
        <button class={act} title={readings["question.edit"]} onclick={edit}
          ><Pencil size={14} aria-hidden="true" /> {say.question.edit}</button>
      {/if}
      {#if last && takeBack}
        <button class={act} title={readings["reply.takeBack"]} onclick={takeBack}
          ><Trash2 size={14} aria-hidden="true" /> {say.reply.takeBack}</button>
      {/if}
      {#if conversation && turn.attempts > 1}
        <Stepper
          at={turn.attempt}
          of={turn.attempts}
          words={say.reply.attempt}
          go={(n) => conversation.attempt(turn, n)} />
      {/if}
      {#if conversation && turn.siblings.length > 1 && branch > 0}
        <Stepper
          at={branch}
          of={turn.siblings.length}
          words={say.reply.version}
          go={(n) => conversation.branch(turn.siblings[n - 1]!)} />
      {/if}
      {#if turn.state === "done"}<span>{say.reply.took(turn.seconds)}</span>{/if}
    </div>
    <p class="flex flex-wrap items-center gap-x-4">
      {#if pageData.maker && turn.usage}
        <span class="print:hidden"
          >{say.reply.cost(turn.usage.prompt_tokens, turn.usage.reply_tokens, turn.usage.cost ?? 0)}</span>
      {/if}
      {#if pageData.maker && turn.id && !pageData.preview}
        <Link
          class="inline-flex min-h-7 items-center gap-1.5 print:hidden"
          href="{pageData.base}/console/desks/{pageData.slug}/bench/{turn.id}"
          target="_blank"
          rel="noopener">{say.reply.inside}</Link>
      {/if}
    </p>
    {#if judged && turn.helped === false}<Reasons {turn} conversation={judged} />{/if}
  </div>
{/if}
