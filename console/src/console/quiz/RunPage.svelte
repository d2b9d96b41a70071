<!-- How models did at a quiz: side by side, by question, and answer by answer. -->
<script lang="ts">
  import Download from "@lucide/svelte/icons/download";
  import { onMount } from "svelte";
  import * as trials from "../../api/trials";
  import type { Schemas } from "../../pageData";
  import Link from "../../ui/Link.svelte";
  import Page from "../../ui/Page.svelte";
  import Progress from "../../ui/Progress.svelte";
  import Table from "../../ui/Table.svelte";
  import { exactMoney } from "../money";
  import { hrefOf, router } from "../router.svelte";
  import { act, complain, sentence } from "../state.svelte";
  import { ago, span } from "../time";
  import AnswersDialog from "./AnswersDialog.svelte";
  import RunChart from "./RunChart.svelte";

  interface Props {
    /** The run's id. */
    id: string;
  }

  let { id }: Props = $props();

  let run = $state.raw<Schemas["Run"] | null>(null);
  let problem = $state("");
  /** Whose answers to which question are shown. */
  let looked = $state.raw({ question: 0, candidate: 0 });
  let looking = $state(false);

  onMount(() => {
    let timer: ReturnType<typeof setTimeout> | undefined;
    const read = async () => {
      try {
        run = await trials.readRun(id);
        problem = "";
      } catch (e) {
        if (!run) problem = sentence(e);
        complain(e);
      }
      if (!problem && run?.run.state !== "done")
        timer = setTimeout(read, run?.run.state === "running" ? 700 : 5000);
    };
    void read();
    return () => clearTimeout(timer);
  });

  const failed = $derived(run?.tallies.reduce((n, t) => n + t.failed, 0) ?? 0);
  const percent = (x: number) => `${Math.round(100 * x)} %`;
  const points = (x: number) => `${x > 0 ? "+" : x < 0 ? "−" : ""}${Math.abs(Math.round(100 * x))}`;

  async function refresh() {
    run = await trials.readRun(id);
  }
  const stop = () => act(async () => (await trials.stopRun(id), await refresh()), "No more is asked");
  const resume = () => act(async () => (await trials.resumeRun(id), await refresh()), "It goes on");

  async function remove() {
    if (!confirm("Remove this run, with all its answers and how they were made?")) return;
    await act(async () => {
      await trials.removeRun(id);
      router.go("quizzes");
    }, "The run is removed");
  }

  const right = { number: true };
  const columns = [
    { title: "Letter", silent: true },
    { title: "Who sat" },
    { title: "Right", ...right },
    { title: "At 95 %", ...right, hint: "Where the share of all such questions lies" },
    { title: "By time", ...right, hint: "Mean, least and most over the times that it sat" },
    { title: "Not told", ...right, hint: "Answers of which it cannot be told which option they chose" },
    { title: "Failed", ...right },
    { title: "An answer takes", ...right },
    { title: "Cost", ...right },
  ];
  const letter = (i: number) => String.fromCharCode(65 + i);

  function byTime(shares: number[]): string {
    if (shares.length < 2) return "–";
    const mean = shares.reduce((a, b) => a + b, 0) / shares.length;
    return `${percent(mean)} (${Math.round(100 * Math.min(...shares))}–${percent(Math.max(...shares))})`;
  }
</script>

<Page title={run?.run.title ?? "A run"}>
  {#snippet actions()}
    {#if run?.run.state === "running"}
      <button class="button-plain" onclick={() => void stop()}>Stop</button>
    {:else if run}
      {#if run.run.answered < run.run.of || failed}
        <button class="button-main" onclick={() => void resume()}
          >{run.run.answered < run.run.of ? "Go on" : "Ask again what failed"}</button>
      {/if}
      <button class="button-plain" onclick={() => void remove()}>Remove</button>
    {/if}
  {/snippet}
  {#if problem}
    <p class="mt-6" role="alert">{problem}</p>
    <p class="mt-4"><Link href={hrefOf("quizzes")} onclick={router.follow}>All quizzes</Link></p>
  {:else if !run}
    <p class="mt-10 text-faded">Fetching the run …</p>
  {:else}
    {@const r = run}
    <p class="mt-1.5 flex flex-wrap items-center gap-x-5 gap-y-1 text-note text-faded">
      <span
        >{r.run.questions === 1 ? "One question" : `${r.run.questions} questions`},
        {r.run.times === 1 ? "once" : `${r.run.times} times`} each · {ago(r.run.made_at)} by {r.run
          .made_by}</span>
      <Link class="inline-flex items-center gap-1.5" href={trials.runFile(id)} download
        ><Download size={14} aria-hidden="true" />All answers as CSV</Link>
    </p>
    {#if r.run.state !== "done"}
      <p class="mt-4 flex max-w-[30rem] items-center gap-4 text-note" role="status">
        <Progress class="flex-1" value={r.run.answered / r.run.of} label="Answers" />
        {r.run.answered} of {r.run.of} answers{r.run.state === "stopped" ? ", stopped" : ""}
      </p>
    {/if}
    <RunChart run={r} />
    <Table label="How they did" class="mt-6" least="52rem" {columns}>
      {#each r.tallies as t, i (i)}
        <tr class="border-t border-rule align-baseline tabular-nums">
          <td class="py-2 font-serif text-accent">{letter(i)}</td>
          <td class="min-w-40 break-words">{r.run.candidates[i]!.title}</td>
          <td class="text-right whitespace-nowrap">{t.right} of {t.answered}</td>
          <td class="text-right whitespace-nowrap">{Math.round(100 * t.known.from)}–{percent(t.known.to)}</td>
          <td class="text-right whitespace-nowrap">{byTime(t.by_time)}</td>
          <td class="text-right">{t.untold || "–"}</td>
          <td class="text-right">{t.failed || "–"}</td>
          <td class="text-right whitespace-nowrap">{t.answered ? span(t.seconds) : "–"}</td>
          <td class="text-right whitespace-nowrap"
            >{exactMoney(t.cost)}{#if t.kept}<span class="block text-fine text-faded"
                >{t.kept} were there</span
              >{/if}</td>
        </tr>
      {/each}
    </Table>
    {#if r.tallies.some((t) => t.beside >= 0)}
      <h2 class="mt-8 font-serif text-title font-semibold">What reading brought</h2>
      <ul class="mt-2 space-y-1 text-note">
        {#each r.tallies as t, i (i)}
          {#if t.beside >= 0 && t.gained}
            {@const sure = t.gained.from > 0 || t.gained.to < 0}
            <li>
              <strong>{r.run.candidates[i]!.title}</strong>: {points(t.gained.share)} of a hundred beside
              {r.run.candidates[t.beside]!.title}; at 95 % between {points(t.gained.from)} and {points(
                t.gained.to,
              )}{sure ? "." : ", which may be chance."}
            </li>
          {/if}
        {/each}
      </ul>
    {/if}
    <h2 class="mt-8 font-serif text-title font-semibold">Who knew what</h2>
    <p class="mt-1 text-fine text-faded">Open a number to read the answers.</p>
    <Table
      label="Who knew what"
      class="mt-2"
      least="40rem"
      columns={[{ title: "Question" }, ...r.tallies.map((_, i) => ({ title: letter(i), number: true }))]}>
      {#each r.quiz.questions as q, i (i)}
        <tr class="border-t border-rule align-baseline">
          <td class="max-w-[40rem] py-1.5 break-words"
            ><span class="mr-2 text-faded tabular-nums">{i + 1}</span>{q.question}</td>
          {#each r.tallies as t, c (c)}
            {@const part = t.asked[i] ? t.knew[i]! / t.asked[i]! : 0}
            <td class="w-20 p-0 text-right">
              <button
                class="min-h-8 w-full px-2 text-right whitespace-nowrap tabular-nums hover:underline"
                style="background: color-mix(in srgb, var(--color-accent) {Math.round(
                  28 * part,
                )}%, transparent)"
                aria-label="Question {i + 1}, {r.run.candidates[c]!.title}: {t.knew[i]} of {t.asked[
                  i
                ]} right. Read the answers."
                onclick={() => ((looked = { question: i, candidate: c }), (looking = true))}
                >{t.asked[i] ? `${t.knew[i]} of ${t.asked[i]}` : "–"}</button>
            </td>
          {/each}
        </tr>
      {/each}
    </Table>
    <AnswersDialog bind:open={looking} run={r} {...looked} />
  {/if}
</Page>
