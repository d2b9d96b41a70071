<!-- What a link to the page wants read. -->
<script lang="ts">
  import BookOpen from "@lucide/svelte/icons/book-open";
  import { say } from "../words";
  import type { Brought } from "./brought.svelte";
  import { forgetLink, type Linked } from "./linked";

  interface Props {
    /** What it wants. */
    linked: Linked;
    /** What was brought. */
    brought: Brought;
    /** Takes it off the page. */
    close: () => void;
    /** Called once it is being brought. */
    done: () => void;
  }

  let { linked, brought, close, done }: Props = $props();

  async function read() {
    if (brought.busy || !(await brought.bring(linked.wish))) return;
    leave();
    done();
  }

  function leave() {
    forgetLink();
    close();
  }
</script>

<section class="rounded-md border border-accent bg-leaf px-4 py-3" aria-label={say.bring.field}>
  <p class="font-serif leading-relaxed break-words">
    {say.bring.linked(linked.wish.about ?? "", linked.from)}
  </p>
  <p class="mt-1 text-fine text-faded">{linked.offered ? say.bring.linkedAbout : say.bring.linkedNot}</p>
  <div class="mt-2 flex flex-wrap gap-2">
    {#if linked.offered}
      <button class="button-main" aria-disabled={brought.busy} onclick={read}>
        <BookOpen size={15} aria-hidden="true" />
        {say.bring.read}
      </button>
    {/if}
    <button class="button-plain" onclick={leave}>{say.bring.leave}</button>
  </div>
  {#if brought.problem}<p class="mt-2 text-fine text-wrong" role="alert">{brought.problem}</p>{/if}
</section>
