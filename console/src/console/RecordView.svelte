<!-- A conversation, as makers read it. -->
<script lang="ts">
  import { money } from "./money";
  import * as making from "../api/making";
  import Markdown from "../markdown/Markdown.svelte";
  import { pageData, type Schemas } from "../pageData";
  import { hrefOf, router } from "./router.svelte";
  import { sentence } from "./state.svelte";
  import { ago } from "./time";
  import Link from "../ui/Link.svelte";

  interface Props {
    /** The conversation's id. */
    id: string;
    /** The address of the desk. */
    slug: string;
    /** Removes it. */
    remove: (id: string) => void;
  }

  let { id, slug, remove }: Props = $props();

  let c = $state<Schemas["Conversation"] | null>(null);
  let problem = $state("");
  // svelte-ignore state_referenced_locally
  making.readRecord(id).then(
    (r) => (c = r),
    (e) => (problem = sentence(e)),
  );

  const cost = $derived((c?.turns ?? []).reduce((sum, t) => sum + (t.outcome.usage.cost ?? 0), 0));
  const summary = $derived(c?.summaries?.at(-1));
</script>

<article class="min-w-0 px-4 pt-5 pb-16 sm:px-8 lg:h-[calc(100dvh-11.1rem)] lg:overflow-y-auto">
  <p class="mb-3 lg:hidden">
    <Link class="text-sm" href={hrefOf(`desks/${slug}/conversations`)} onclick={router.follow}
      >All conversations</Link>
  </p>
  {#if problem}
    <p class="font-serif text-lead">{problem}</p>
  {:else if c}
    <div class="flex flex-wrap items-start gap-x-4 gap-y-2">
      <h2
        class="min-w-0 flex-1 basis-full font-serif text-title leading-snug font-semibold break-words sm:basis-0">
        {c.title}
      </h2>
      <div class="flex gap-2 text-sm">
        <a class="button-plain no-underline" href="{pageData.base}/api/records/{c.id}/export?as=markdown"
          >Markdown</a>
        <a class="button-plain no-underline" href="{pageData.base}/api/records/{c.id}/export?as=json">JSON</a>
        <button class="button-plain" onclick={() => remove(c!.id)}>Remove</button>
      </div>
    </div>
    <p class="mt-1 text-fine text-faded">
      Begun {ago(c.started_at)}, {c.questions}
      {c.questions === 1 ? "question" : "questions"}{cost ? `, ${money(cost)}` : ""}
    </p>

    {#if summary}
      <details class="mt-5 rounded border border-rule bg-leaf px-4 py-3" open>
        <summary class="cursor-pointer text-sm font-semibold"
          >What the model keeps of the first {summary.turns} questions, in short</summary>
        <p class="mt-2 font-serif leading-relaxed whitespace-pre-wrap">{summary.text}</p>
        <p class="mt-2 text-fine text-faded">
          {summary.tokens} tokens, written by {summary.model}
          {ago(summary.made_at)}{(c.summaries?.length ?? 0) > 1
            ? `; written anew ${c.summaries!.length - 1 === 1 ? "once" : `${c.summaries!.length - 1} times`}`
            : ""}
        </p>
      </details>
    {/if}

    {#each c.turns ?? [] as t (t.id)}
      <section class="mt-8 max-w-[46rem]">
        <h3 class="flex gap-3 font-serif text-lead leading-snug font-semibold">
          <span class="font-normal text-accent tabular-nums">{t.number}</span><span
            class="min-w-0 break-words whitespace-pre-wrap">{t.question}</span>
        </h3>
        <div class="mt-2.5">
          <Markdown text={t.reply} />
          {#if t.outcome.problem}<p class="mt-2 problem text-note">
              {t.outcome.problem.detail}
              {#if t.outcome.problem.id}<span class="text-faded">({t.outcome.problem.id})</span>{/if}
            </p>{/if}
        </div>
        <p class="mt-2 text-fine text-faded">
          {t.model}, {t.outcome.seconds.toFixed(1)} s, {t.outcome.usage.prompt_tokens} tokens in, {t.outcome
            .usage.reply_tokens} out{t.outcome.usage.cost
            ? `, ${money(t.outcome.usage.cost)}`
            : ""}{t.attempts > 1 ? `, attempt ${t.attempt} of ${t.attempts}` : ""}{t.siblings.length > 1
            ? `, one of ${t.siblings.length} versions`
            : ""}{t.helped === undefined ? "" : t.helped ? ", it helped" : ", it did not help"}
          <Link class="ml-1" href={hrefOf(`desks/${slug}/bench/${t.id}`)} onclick={router.follow}
            >See how it was made</Link>
        </p>
      </section>
    {/each}
  {:else}
    <p class="text-faded">Fetching the conversation …</p>
  {/if}
</article>
