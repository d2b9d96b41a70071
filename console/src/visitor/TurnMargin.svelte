<!-- What stands beside a reply. -->
<script lang="ts">
  import { say } from "../words";
  import Pencil from "@lucide/svelte/icons/pencil";
  import RotateCcw from "@lucide/svelte/icons/rotate-ccw";
  import ThumbsDown from "@lucide/svelte/icons/thumbs-down";
  import ThumbsUp from "@lucide/svelte/icons/thumbs-up";
  import Undo2 from "@lucide/svelte/icons/undo-2";
  import CopyButton from "../ui/CopyButton.svelte";
  import { pageData } from "../pageData";
  import type { Conversation } from "./conversation.svelte";
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
    /** Has the reply made again. Default: it cannot be. */
    again?: () => void;
    /** Begins to edit the question. Default: it cannot be. */
    edit?: () => void;
    /** Takes the question back. Default: it cannot be. */
    takeBack?: () => void;
  }

  let { turn, last, conversation, again, edit, takeBack }: Props = $props();

  const branch = $derived(turn.siblings.indexOf(turn.id) + 1);
  const act = "inline-flex min-h-7 items-center gap-1.5 hover:text-accent";
</script>

<div class="mt-2 wide:mt-0">
  {#if turn.state === "done"}
    <p>{say.reply.took(turn.seconds)}</p>
    {#if turn.cutShort}<p class="mt-1">
        {say.reply.cutShort}
      </p>{/if}
  {:else if turn.state === "stopped"}
    <p>{say.reply.stopped}</p>
  {/if}
  {#if pageData.maker && turn.usage && !turn.running}
    <p class="print:hidden">
      {say.reply.cost(turn.usage.prompt_tokens, turn.usage.reply_tokens, turn.usage.cost ?? 0)}
    </p>
  {/if}
  {#if !turn.running}
    <div class="mt-1 flex flex-wrap items-center gap-x-4 print:hidden">
      {#if turn.text}<CopyButton text={turn.text} label={say.reply.copy} />{/if}
      {#if last && again && !turn.problem}
        <button class={act} onclick={again}
          ><RotateCcw size={13} aria-hidden="true" /> {say.reply.again}</button>
      {/if}
      {#if edit}
        <button class={act} onclick={edit}
          ><Pencil size={13} aria-hidden="true" /> {say.question.edit}</button>
      {/if}
      {#if last && takeBack}
        <button class={act} onclick={takeBack}
          ><Undo2 size={13} aria-hidden="true" /> {say.reply.takeBack}</button>
      {/if}
    </div>
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
    {#if conversation && turn.text && (turn.state === "done" || turn.state === "stopped")}
      <div
        class="mt-0.5 -ml-1.5 flex items-center gap-0.5 print:hidden"
        role="group"
        aria-label={say.reply.helpedAsk}>
        <button
          class="icon !size-7"
          title={say.reply.helped}
          aria-label={say.reply.helped}
          aria-pressed={turn.helped === true}
          onclick={() => conversation.judge(turn, true)}>
          <ThumbsUp
            size={14}
            class={turn.helped === true ? "fill-accent text-accent" : ""}
            aria-hidden="true" />
        </button>
        <button
          class="icon !size-7"
          title={say.reply.notHelped}
          aria-label={say.reply.notHelped}
          aria-pressed={turn.helped === false}
          onclick={() => conversation.judge(turn, false)}>
          <ThumbsDown
            size={14}
            class={turn.helped === false ? "fill-accent text-accent" : ""}
            aria-hidden="true" />
        </button>
        {#if turn.helped !== null}<span class="pl-1">{say.reply.helpedSaid(turn.helped)}</span>{/if}
      </div>
      {#if turn.helped === false}<Reasons {turn} {conversation} />{/if}
    {/if}
    {#if pageData.maker && turn.id && !pageData.preview}
      <p class="print:hidden">
        <Link
          class="inline-flex min-h-7 items-center gap-1.5"
          href="{pageData.base}/console/desks/{pageData.slug}/bench/{turn.id}"
          target="_blank"
          rel="noopener">{say.reply.inside}</Link>
      </p>
    {/if}
  {/if}
</div>
