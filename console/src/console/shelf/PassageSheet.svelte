<!-- The passages of a document, as a model sees them. -->
<script lang="ts">
  import { onMount } from "svelte";
  import * as shelves from "../../api/shelves";
  import type { Schemas } from "../../pageData";
  import Dialog from "../../ui/Dialog.svelte";
  import { complain } from "../state.svelte";

  interface Props {
    /** The shelf's. */
    slug: string;
    /** The document. */
    document: Schemas["Document"];
    /** Whether it is shown. Default: false. */
    open?: boolean;
  }

  let { slug, document, open = $bindable(false) }: Props = $props();

  let passages = $state<Schemas["ShelfPassage"][]>([]);

  onMount(async () => {
    try {
      passages = (await shelves.readPassages(slug, document.id)).passages;
    } catch (e) {
      complain(e);
    }
  });
</script>

<Dialog
  bind:open
  title={document.title || document.name}
  about="Its passages, as a model sees them"
  place="right"
  width="44rem">
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div class="min-h-0 flex-1 overflow-y-auto px-5 pb-6" tabindex="0" role="region" aria-label="Passages">
    {#each passages as p (p.id)}
      <article class="border-b border-rule py-3">
        <p class="text-fine text-faded">
          {p.number + 1} · {p.tokens} tokens{p.path.length ? ` · ${p.path.join(" > ")}` : ""}
        </p>
        <p class="mt-1 font-serif text-note leading-snug whitespace-pre-line">{p.text}</p>
      </article>
    {:else}<p class="mt-4 text-faded">Fetching the passages …</p>{/each}
  </div>
  <p class="border-t border-rule px-5 py-2.5 text-right">
    <button type="button" class="button-plain" onclick={() => (open = false)}>Close</button>
  </p>
</Dialog>
