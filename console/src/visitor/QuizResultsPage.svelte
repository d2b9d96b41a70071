<!-- The page that shows whoever gave a quiz how it went. -->
<script lang="ts">
  import Download from "@lucide/svelte/icons/download";
  import { say } from "../words";
  import { Trouble } from "../api/service";
  import * as api from "../api/quizzes";
  import { pageData, type Schemas } from "../pageData";
  import Mark from "../ui/Mark.svelte";
  import Link from "../ui/Link.svelte";

  const key = pageData.quiz_results!;
  let results = $state<Schemas["QuizResults"] | null>(null);
  let problem = $state("");

  api.results(key).then(
    (r) => {
      results = r;
      document.title = r.title;
    },
    (e) => (problem = e instanceof Trouble ? e.detail : say.notices.broken),
  );
  const part = (n: number, of: number) => (of ? (100 * n) / of : 0);
</script>

<main class="relative mx-auto max-w-[52rem] px-4 pb-24 sm:px-8">
  <div class="mt-10 mb-4 sm:mt-16"><Mark size={34} /></div>
  {#if problem}<p class="text-wrong" role="alert">{problem}</p>
  {:else if !results}<p class="text-faded" role="status">{say.document.fetching}</p>
  {:else}
    {@const all = results.sittings.length}
    <h1
      class={[
        "font-serif leading-tight font-semibold text-balance break-words",
        results.title.length > 80 ? "text-lead" : "text-head",
      ]}>
      {results.title}
    </h1>
    <p class="mt-3 text-note text-faded">{say.quiz.taken(all, results.earlier)}</p>
    <p class="mt-1 flex flex-wrap items-center gap-x-5 text-note">
      <Link class="min-h-7" href={results.page}>{say.quiz.pageToTake}</Link>
      {#if all}<a
          class="inline-flex min-h-7 items-center gap-1.5 text-accent underline-offset-2 hover:underline"
          href={api.resultsFile(key)}
          download><Download size={15} aria-hidden="true" />{say.quiz.asCSV}</a
        >{/if}
    </p>
    {#if all}
      <h2 class="mt-8 text-note font-semibold">{say.quiz.whoKnew}</h2>
      <ol class="mt-2 divide-y divide-rule border-y border-rule">
        {#each results.questions as q, i (i)}
          <li class="py-3">
            <p class="flex gap-3 font-serif text-lead leading-snug">
              <span class="shrink-0 text-accent tabular-nums">{i + 1}</span>
              <span class="min-w-0 break-words">{q.question}</span>
            </p>
            <p class="mt-1 ml-6 text-fine text-faded">{say.quiz.knew(q.knew, all)}</p>
            <ul class="mt-1.5 ml-6 space-y-1 text-note">
              {#each q.options as o, j (j)}
                <li class="grid max-w-[34rem] grid-cols-[minmax(0,1fr)_7rem_2.5rem] items-center gap-3">
                  <span class={["min-w-0 break-words", j === q.right && "font-semibold"]}
                    >{o.text}{#if j === q.right}<span class="sr-only">, {say.quiz.right}</span>{/if}</span>
                  <span class="h-2.5 bg-leaf" aria-hidden="true"
                    ><span
                      class={["block h-full", j === q.right ? "bg-accent" : "bg-faded/60"]}
                      style="width: {part(o.chosen, all)}%"></span
                    ></span>
                  <span class="text-right text-fine text-faded tabular-nums">{o.chosen}</span>
                </li>
              {/each}
            </ul>
          </li>
        {/each}
      </ol>
      <h2 class="mt-8 text-note font-semibold">{say.quiz.sittings}</h2>
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <div class="relative mt-2 overflow-x-auto" tabindex="0" role="group" aria-label={say.quiz.sittings}>
        <table class="w-full text-left text-note tabular-nums [&_td+td]:pl-5 [&_th+th]:pl-5">
          <thead>
            <tr class="border-b border-rule text-fine text-faded">
              {#if results.names}<th scope="col" class="py-1 font-medium">{say.quiz.name}</th>{/if}
              <th scope="col" class="py-1 font-medium">{say.quiz.when}</th>
              <th scope="col" class="py-1 text-right font-medium">{say.quiz.tries}</th>
              <th scope="col" class="py-1 text-right font-medium">{say.quiz.rightOnes}</th>
              <th scope="col" class="py-1 text-right font-medium">{say.quiz.took}</th>
            </tr>
          </thead>
          <tbody>
            {#each results.sittings as s, i (i)}
              <tr class="border-b border-rule/60">
                {#if results.names}<td class="max-w-56 py-1 break-words">{s.name || "–"}</td>{/if}
                <td class="py-1">{say.quiz.at(new Date(s.ended_at))}</td>
                <td class="py-1 text-right">{s.try}</td>
                <td class="py-1 text-right">{say.quiz.of(s.score, results.questions.length)}</td>
                <td class="py-1 text-right">{say.quiz.long(s.seconds)}</td>
              </tr>
            {/each}
          </tbody>
        </table>
      </div>
    {/if}
  {/if}
</main>
