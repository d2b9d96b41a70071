<!-- What of a document was left out and why. -->
<script lang="ts">
  import type { Schemas } from "../../pageData";
  import { amountOf, cut, lost, missed, reasonOf, shareOf, summaryOf } from "./leftOut";

  interface Props {
    /** The document. */
    document: Schemas["Document"];
  }

  let { document: d }: Props = $props();
</script>

{#if d.left_out.length}
  {#if lost(d)}
    <span class="mt-1 block border-l-2 border-wrong pl-2 text-fine">
      Only {shareOf(d)} of its words could be read. Answers know nothing of the rest.
    </span>
  {/if}
  <details class="text-fine text-faded">
    <summary class="min-h-6 cursor-pointer hover:text-accent"
      >Left out or not searched: {summaryOf(d.left_out)}</summary>
    <ul class="mb-1 border-l border-rule pl-3">
      {#each d.left_out as o (o.why)}
        <li class={["break-words", missed(o) && "text-ink"]}>
          {amountOf(o)}: {reasonOf(o)}{#if o.sample}&nbsp;<q class="italic">{o.sample}{cut(o) ? " …" : ""}</q
            >{/if}
        </li>
      {/each}
    </ul>
  </details>
{/if}
