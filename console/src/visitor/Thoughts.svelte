<!-- What the model thinks aloud before its reply: a part of its own, folded. -->
<script lang="ts">
  import ChevronRight from "@lucide/svelte/icons/chevron-right";
  import { fromService, say } from "../words";
  import Markdown from "../markdown/Markdown.svelte";

  interface Props {
    /** The thinking, as Markdown. */
    text: string;
    /** What is written over it, in the service's words. Default: the page's own. */
    title?: string;
    /** Whether more is coming. Default: false. */
    growing?: boolean;
  }

  let { text, title, growing = false }: Props = $props();

  let open = $state(false);
</script>

<details bind:open class="group mt-3 print:hidden">
  <summary
    class="inline-flex min-h-7 cursor-pointer list-none items-center gap-1.5 text-note text-faded hover:text-ink">
    <ChevronRight
      size={14}
      class="shrink-0 transition-transform group-open:rotate-90 motion-reduce:transition-none"
      aria-hidden="true" />
    {growing ? say.reply.thinking : title ? fromService({ form: title }, title) : say.reply.thought}
  </summary>
  {#if open}
    <div class="mt-1.5 border-l border-rule pl-4 text-note text-faded">
      <p class="mb-2 text-fine">{say.reply.thoughtAbout}</p>
      <Markdown {text} {growing} />
    </div>
  {/if}
</details>
