<!-- Pictures on their way: how far they are, what they look like so far, and a way to
     stop. -->
<script lang="ts">
  import { say } from "../words";
  import { onDestroy } from "svelte";
  import Progress from "../ui/Progress.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import type { Turn } from "./turn.svelte";

  interface Props {
    /** The wish. */
    turn: Turn;
    /** Stops it. */
    stop: () => void;
    /** Makes it once more. */
    again: () => void;
    /** Puts away what is said of a failure. */
    close: () => void;
  }

  let { turn, stop, again, close }: Props = $props();

  let now = $state(Date.now());
  const timer = setInterval(() => (now = Date.now()), 250);
  onDestroy(() => clearInterval(timer));

  const elapsed = $derived(turn.making ? Math.max(0, (now - turn.making.since) / 1000) : 0);
  // A bar that goes by how long it took lately never says that it is done before it is.
  const part = $derived(turn.done || (turn.making?.about ? Math.min(0.96, elapsed / turn.making.about) : 0));
</script>

<section class="mt-6 rounded-md border border-rule bg-leaf p-4" aria-label={say.gallery.onTheWay}>
  <p class="font-serif text-lead font-semibold break-words">{turn.question}</p>
  {#if turn.running}
    {#if turn.preview}
      <img
        class="mt-3 max-h-80 max-w-full rounded border border-rule"
        src={turn.preview}
        alt={say.gallery.soFar} />
    {/if}
    <div class="mt-3 flex flex-wrap items-center gap-x-4 gap-y-2 text-fine text-faded">
      {#if part}<Progress class="w-56 max-w-full" value={part} label={say.gallery.onTheWay} />{/if}
      <p>
        {turn.note ||
          (turn.making
            ? say.gallery.takes(turn.making.about, turn.making.known, elapsed)
            : say.gallery.asked)}
      </p>
      <button class="button-plain ml-auto" onclick={stop}>{say.gallery.stop}</button>
    </div>
    <p class="mt-2 text-fine text-faded">{say.gallery.leave}</p>
  {:else if turn.problem}
    <div class="mt-3">
      <ProblemNote
        problem={turn.problem}
        {again}
        againSays={say.gallery.tryAgain}
        canRetry
        until={turn.patienceUntil} />
    </div>
    <button class="mt-2 min-h-7 text-fine text-accent hover:underline" onclick={close}
      >{say.gallery.putAside}</button>
  {/if}
</section>
