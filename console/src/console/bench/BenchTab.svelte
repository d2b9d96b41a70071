<!-- The bench: the visitor’s page with the inside of a reply beside it. -->
<script lang="ts">
  import { onMount } from "svelte";
  import * as making from "../../api/making";
  import Markdown from "../../markdown/Markdown.svelte";
  import { pageData, type Schemas } from "../../pageData";
  import { hrefOf, router } from "../router.svelte";
  import { complain } from "../state.svelte";
  import { forecastLine } from "./inside.svelte";
  import InsideView from "./InsideView.svelte";
  import Link from "../../ui/Link.svelte";

  interface Props {
    /** The address of the desk. */
    slug: string;
    /** Of a trace or a turn. Default: "", a question is asked here. */
    id?: string;
  }

  let { slug, id = "" }: Props = $props();

  let looked = $state("");
  let record = $state<Schemas["Conversation"] | null>(null);

  let forecast = $state<Schemas["Forecast"]>();
  onMount(() => {
    // Without it the page says nothing of cost.
    making
      .readDeskRecipe(slug)
      .then((r) => (forecast = r.forecast))
      .catch(() => {});
  });

  // The visitor's page tells which of its turns is looked at.
  onMount(() => {
    const heed = (e: MessageEvent) => {
      if (e.origin === location.origin && e.data?.juvalogos === "turn") looked = e.data.turn;
    };
    addEventListener("message", heed);
    return () => removeEventListener("message", heed);
  });

  $effect(() => {
    if (!id) {
      record = null;
      return;
    }
    looked = id;
    making
      .readInside(id)
      .then((t) => making.readRecord(t.conversation))
      .then((r) => (record = r))
      .catch(complain);
  });
</script>

<div
  class="grid grid-cols-[minmax(0,1fr)] lg:h-[calc(100dvh-11.4rem)] lg:grid-cols-[minmax(0,5fr)_minmax(0,7fr)]">
  <section class="h-[70dvh] min-h-0 border-rule lg:h-auto lg:border-r" aria-label="The visitor’s page">
    {#if id}
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <div
        class="h-full overflow-y-auto px-4 pt-4 pb-12 sm:px-6"
        tabindex="0"
        role="region"
        aria-label="The conversation">
        <p class="text-fine">
          <Link href={hrefOf(`desks/${slug}/bench`)} onclick={router.follow}>Ask here yourself</Link>
        </p>
        {#each record?.turns ?? [] as t (t.id)}
          <article
            class={[
              "mt-4 border-l-2 pl-4",
              looked === t.id || id === t.id ? "border-accent" : "border-transparent",
            ]}>
            <h2 class="font-serif text-text leading-snug font-semibold">
              <button class="text-left hover:text-accent" onclick={() => (looked = t.id)}
                >{t.question}</button>
            </h2>
            <div class="mt-2"><Markdown text={t.reply} /></div>
            {#if t.outcome.problem}<p class="mt-2 text-note text-wrong">
                {t.outcome.problem.detail}
              </p>{/if}
            {#if t.helped === false}<p class="mt-2 text-fine text-faded">
                It did not help{t.reason ? `: ${t.reason}` : ""}{t.remark ? `. “${t.remark}”` : ""}
              </p>{/if}
            <Link class="mt-1 min-h-7 text-fine" onclick={() => (looked = t.id)}>See how it was made</Link>
          </article>
        {:else}
          <p class="mt-8 text-faded">Fetching the conversation …</p>
        {/each}
      </div>
    {:else}
      <iframe
        class="size-full"
        title="The desk as visitors see it, with its draft"
        src="{pageData.base}/at/~{slug}"></iframe>
    {/if}
  </section>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <section class="min-h-0 lg:overflow-y-auto" aria-label="Inside" tabindex="0">
    {#if looked}
      <InsideView id={looked} {slug} />
    {:else}
      <div class="mx-auto max-w-[30rem] px-6 pt-16">
        <h2 class="font-serif text-title font-semibold">Ask, and look inside</h2>
        <p class="mt-3 leading-relaxed text-faded">
          Ask something at the left. Here you see, while it happens, which steps the reply is made in, what
          ran beside what, and where the time went. Click a step to see the prompt exactly as it was sent, and
          the answer; change something and run it again, as often as you like.
        </p>
        {#if forecast}<p class="mt-3 leading-relaxed">{forecastLine(forecast)}</p>{/if}
        <p class="mt-3 leading-relaxed text-faded">
          To look into what a visitor was answered, open it from <Link
            href={hrefOf("replies")}
            onclick={router.follow}>Replies</Link>
          or
          <Link href={hrefOf("verdicts")} onclick={router.follow}>Verdicts</Link>.
        </p>
      </div>
    {/if}
  </section>
</div>
