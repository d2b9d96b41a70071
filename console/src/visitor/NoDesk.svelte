<!-- What stands where there is no desk: what went wrong, or what this is. -->
<script lang="ts">
  import { fromService, say } from "../words";
  import { pageData, type Schemas } from "../pageData";
  import Link from "../ui/Link.svelte";
  import Mark from "../ui/Mark.svelte";
  import { visitedDesks } from "./visited";

  interface Props {
    /** Why; null: nothing was asked for. */
    problem: Schemas["Trouble"] | null;
  }

  let { problem }: Props = $props();

  const visited = visitedDesks();
  const sketch = say.noDesk.sketch;
</script>

<main class="mx-auto max-w-[62rem] px-5 pt-14 pb-16 sm:px-8 sm:pt-20">
  <div class="mb-4"><Mark size={40} /></div>
  {#if problem}
    <h1 class="font-serif text-hero font-semibold">
      {problem.code === "no-such-desk" ? say.noDesk.none : say.noDesk.trouble}
    </h1>
    <p class="measure mt-4 font-serif text-lead leading-relaxed">
      {fromService(problem.phrase, problem.detail)}
    </p>
    {#if problem.id}<p class="mt-4 text-sm text-faded">{say.general.report(problem.id)}</p>{/if}
  {:else}
    <h1 class="font-serif text-hero font-semibold">{say.noDesk.product}</h1>
    <p class="measure mt-4 font-serif text-lead leading-relaxed">{say.noDesk.about}</p>
    <p class="measure mt-3 font-serif text-lead leading-relaxed">{say.noDesk.follow}</p>
  {/if}

  {#if visited.length}
    <h2 class="mt-10 mb-1 text-sm font-semibold text-faded">{say.noDesk.visited}</h2>
    <ul class="measure border-t border-rule">
      {#each visited as desk (desk.slug)}
        <li class="border-b border-rule">
          <a
            class="block py-2.5 font-serif text-text no-underline hover:bg-leaf hover:text-accent"
            href="{pageData.base}/at/{desk.slug}">{desk.title}</a>
        </li>
      {/each}
    </ul>
  {/if}

  <section class="mt-12" aria-labelledby="what">
    <h2 id="what" class={problem ? "mb-1 text-sm font-semibold text-faded" : "sr-only"}>{say.noDesk.what}</h2>
    {#if problem}<p class="measure mb-4 font-serif text-text leading-relaxed">{say.noDesk.about}</p>{/if}
    <figure>
      <div
        class="max-w-[52rem] rounded-md border border-rule px-5 pt-5 pb-6 sm:grid sm:grid-cols-[minmax(0,1fr)_13rem]
          sm:gap-x-6"
        role="img"
        aria-label={sketch.spoken}>
        <div>
          <p class="flex gap-3 font-serif text-lead leading-snug font-semibold">
            <span class="font-normal text-accent">1</span>{sketch.question}
          </p>
          <p class="mt-2.5 font-serif text-text leading-relaxed">
            {sketch.reply[0]}<mark>{sketch.reply[1]}</mark>{sketch.reply[2]}
          </p>
        </div>
        <div class="mt-4 border-l border-margin pl-4 text-fine sm:mt-1">
          <p><span class="text-accent">1</span> <span class="font-semibold">{sketch.source}</span></p>
          <div class="mt-2 space-y-1.5" aria-hidden="true">
            <div class="h-1.5 w-11/12 rounded bg-leaf"></div>
            <div class="h-1.5 w-4/5 rounded bg-marker"></div>
            <div class="h-1.5 w-2/3 rounded bg-leaf"></div>
          </div>
        </div>
      </div>
      <figcaption class="mt-2.5 text-fine text-faded">{sketch.about}</figcaption>
    </figure>
  </section>
  {#if !problem}
    <p class="mt-10 text-sm text-faded">
      {say.noDesk.makers}
      <Link href="{pageData.base}/console">{say.noDesk.console}</Link>
    </p>
  {/if}
</main>
