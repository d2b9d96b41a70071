<script lang="ts">
  import Pencil from "@lucide/svelte/icons/pencil";
  import RotateCcw from "@lucide/svelte/icons/rotate-ccw";
  import ThumbsDown from "@lucide/svelte/icons/thumbs-down";
  import ThumbsUp from "@lucide/svelte/icons/thumbs-up";
  import Undo2 from "@lucide/svelte/icons/undo-2";
  import CopyButton from "../ui/CopyButton.svelte";
  import { given } from "../given";
  import type { Conversation } from "./conversation.svelte";
  import Reasons from "./Reasons.svelte";
  import Stepper from "./Stepper.svelte";
  import type { Turn } from "./turn.svelte";
  import Link from "../ui/Link.svelte";

  let {
    turn,
    last,
    conversation,
    again,
    edit,
    takeBack,
  }: {
    turn: Turn;
    last: boolean;
    conversation?: Conversation;
    again?: () => void;
    edit?: () => void;
    takeBack?: () => void;
  } = $props();

  function cost(u: NonNullable<Turn["usage"]>): string {
    const money = u.cost ? `, cost ${u.cost.toPrecision(2)}` : "";
    return `${u.prompt_tokens} tokens in, ${u.reply_tokens} out${money}`;
  }

  const branch = $derived(turn.siblings.indexOf(turn.id) + 1);
  const act = "inline-flex min-h-7 items-center gap-1.5 hover:text-accent";

  function took(seconds: number): string {
    if (seconds < 10) return `Written in ${seconds.toFixed(1)} seconds`;
    if (seconds < 90) return `Written in ${Math.round(seconds)} seconds`;
    return `Written in ${Math.round(seconds / 60)} minutes`;
  }
</script>

<div class="mt-2 wide:mt-0">
  {#if turn.state === "done"}
    <p>{took(turn.seconds)}</p>
    {#if turn.cutShort}<p class="mt-1">
        The reply reached the longest length this desk allows. You can ask it to go on.
      </p>{/if}
  {:else if turn.state === "stopped"}
    <p>You stopped this reply.</p>
  {/if}
  {#if given.maker && turn.usage && !turn.running}
    <p class="print:hidden">
      {cost(turn.usage)}
    </p>
  {/if}
  {#if !turn.running}
    <div class="mt-1 flex flex-wrap items-center gap-x-4 print:hidden">
      {#if turn.text}<CopyButton text={turn.text} label="Copy the reply" />{/if}
      {#if last && again && !turn.problem}
        <button class={act} onclick={again}><RotateCcw size={13} aria-hidden="true" /> Make it again</button>
      {/if}
      {#if edit}
        <button class={act} onclick={edit}><Pencil size={13} aria-hidden="true" /> Edit the question</button>
      {/if}
      {#if last && takeBack}
        <button class={act} onclick={takeBack}><Undo2 size={13} aria-hidden="true" /> Take it back</button>
      {/if}
    </div>
    {#if conversation && turn.attempts > 1}
      <Stepper
        at={turn.attempt}
        of={turn.attempts}
        what="attempt"
        go={(n) => conversation.attempt(turn, n)} />
    {/if}
    {#if conversation && turn.siblings.length > 1 && branch > 0}
      <Stepper
        at={branch}
        of={turn.siblings.length}
        what="version"
        go={(n) => conversation.branch(turn.siblings[n - 1]!)} />
    {/if}
    {#if conversation && turn.text && (turn.state === "done" || turn.state === "stopped")}
      <div
        class="mt-0.5 -ml-1.5 flex items-center gap-0.5 print:hidden"
        role="group"
        aria-label="Did this reply help?">
        <button
          class="icon !size-7"
          title="This helped"
          aria-label="This helped"
          aria-pressed={turn.helped === true}
          onclick={() => conversation.judge(turn, true)}>
          <ThumbsUp
            size={14}
            class={turn.helped === true ? "fill-accent text-accent" : ""}
            aria-hidden="true" />
        </button>
        <button
          class="icon !size-7"
          title="This did not help"
          aria-label="This did not help"
          aria-pressed={turn.helped === false}
          onclick={() => conversation.judge(turn, false)}>
          <ThumbsDown
            size={14}
            class={turn.helped === false ? "fill-accent text-accent" : ""}
            aria-hidden="true" />
        </button>
        {#if turn.helped !== null}<span class="pl-1">{turn.helped ? "It helped" : "It did not help"}</span
          >{/if}
      </div>
      {#if turn.helped === false}<Reasons {turn} {conversation} />{/if}
    {/if}
    {#if given.maker && turn.id && !given.preview}
      <p class="print:hidden">
        <Link
          class="inline-flex min-h-7 items-center gap-1.5"
          href="{given.base}/console/desks/{given.slug}/bench/{turn.id}"
          target="_blank"
          rel="noopener">Look inside</Link>
      </p>
    {/if}
  {/if}
</div>
