<!-- What is done of many, to be read before the reply is there. -->
<script lang="ts">
  import ChevronRight from "@lucide/svelte/icons/chevron-right";
  import { say } from "../words";
  import Markdown from "../markdown/Markdown.svelte";
  import type { Schemas } from "../pageData";

  interface Props {
    /** They, in their order. */
    pieces: Schemas["Piece"][];
  }

  let { pieces }: Props = $props();

  let open = $state(false);
</script>

<details bind:open class="group mt-3 print:hidden">
  <summary
    class="inline-flex min-h-7 cursor-pointer list-none items-center gap-1.5 text-note text-faded hover:text-ink">
    <ChevronRight
      size={14}
      class="shrink-0 transition-transform group-open:rotate-90 motion-reduce:transition-none"
      aria-hidden="true" />
    {say.reply.soFar(pieces.length)}
  </summary>
  {#if open}
    <ol class="mt-1.5 space-y-2.5 border-l border-rule pl-4 text-note">
      {#each pieces as piece (piece.number)}
        <li>
          <p class="text-fine text-faded">
            <span class="tabular-nums">{piece.number}</span>
            {piece.title}
          </p>
          <Markdown text={piece.text} />
        </li>
      {/each}
    </ol>
  {/if}
</details>
