<!-- What is new in a reply that a desk keeps current. -->
<script lang="ts">
  import { say } from "../words";
  import type { Schemas } from "../pageData";

  interface Props {
    /** The reply. */
    standing: Schemas["Standing"];
  }

  let { standing }: Props = $props();

  const news = $derived(standing.news);
  const documents = $derived(
    [
      [say.standing.came, news.came],
      [say.standing.changed, news.changed],
      [say.standing.went, news.went],
    ].filter(([, titles]) => titles?.length) as [string, string[]][],
  );
</script>

<p class="mt-3 max-w-[42rem] text-note text-faded">{say.standing.made(new Date(standing.made_at!))}</p>
{#if documents.length || news.sections?.length}
  <section
    class="mt-6 max-w-[42rem] border-l-2 border-accent bg-leaf px-5 py-4"
    aria-labelledby="what-is-new">
    <h2 id="what-is-new" class="font-serif text-title font-semibold">{say.standing.news}</h2>
    {#if documents.length}
      <dl class="mt-2 text-note">
        {#each documents as [what, titles] (what)}
          <div class="flex flex-wrap gap-x-2">
            <dt class="text-faded">{what}</dt>
            <dd class="min-w-0 break-words">{titles.join("; ")}</dd>
          </div>
        {/each}
      </dl>
    {/if}
    {#each news.sections ?? [] as s, i (i)}
      <div class="mt-3">
        <h3 class="text-fine text-faded">{[s.title, s.place].filter(Boolean).join(", ")}</h3>
        <p class="font-serif text-text leading-relaxed break-words">{s.text}</p>
      </div>
    {/each}
    {#if news.more}<p class="mt-3 text-fine text-faded">{say.standing.more(news.more)}</p>{/if}
  </section>
{/if}
