<script lang="ts">
  import Page from "../ui/Page.svelte";
  import Table from "../ui/Table.svelte";
  import { BarChart } from "layerchart";
  import { onMount } from "svelte";
  import * as making from "../api/making";
  import type { Schemas } from "../pageData";
  import { hrefOf, router } from "./router.svelte";
  import { act, complain, state as app } from "./state.svelte";
  import { ago, weekOf } from "./time";
  import { pictureOf } from "./pictures";
  import Markdown from "../markdown/Markdown.svelte";
  import Patterns from "../ui/Patterns.svelte";
  import { fillOf } from "../ui/fills";
  import Swatch from "../ui/Swatch.svelte";

  const causes: Record<string, string> = {
    "nothing-found": "Nothing suitable was found",
    "found-not-used": "It was found and not used",
    "model-wrong": "The model was wrong",
    "question-unclear": "The question was unclear",
    other: "Something else",
  };
  const reasons: Record<string, string> = {
    wrong: "It is wrong",
    incomplete: "Something is missing",
    unclear: "Hard to understand",
    "off-topic": "Not what I asked",
    "too-long": "Too long",
    other: "Something else",
  };

  let verdicts = $state<Schemas["Verdict"][] | null>(null);
  let counts = $state<Schemas["CauseCount"][]>([]);
  let desk = $state("");
  let which = $state<"open" | "done" | "helped">("open");

  onMount(() => void app.readDesks().catch(complain));
  $effect(() => {
    const q: making.VerdictQuery = {
      desk,
      helped: which === "helped" ? "yes" : "no",
      done: which === "helped" ? "" : which === "done" ? "yes" : "no",
      limit: "100",
    };
    void read(q);
  });

  async function read(q: making.VerdictQuery) {
    try {
      [verdicts, counts] = await Promise.all([making.listVerdicts(q), making.readCauses(desk)]);
    } catch (e) {
      complain(e);
    }
  }

  async function keep(v: Schemas["Verdict"], f: Partial<Schemas["Finding"]>, said: string) {
    const before = { cause: v.finding.cause, note: v.finding.note, done: v.finding.done };
    const put = async (now: typeof before) => {
      await making.find(v.turn, v.attempt, now);
      Object.assign(v.finding, now);
      counts = await making.readCauses(desk);
      if (now.done !== (which === "done")) verdicts = verdicts!.filter((x) => x !== v);
      else if (!verdicts!.includes(v)) verdicts = [v, ...verdicts!];
    };
    await act(
      () => put({ ...before, ...f }),
      said,
      () => put(before),
    );
  }

  const weeks = $derived.by(() => {
    const byWeek = new Map<string, Record<string, number | string>>();
    for (const c of counts) {
      const row = byWeek.get(c.week) ?? { week: `week ${weekOf(c.week)}` };
      row[c.cause || "unseen"] = c.count;
      byWeek.set(c.week, row);
    }
    return [...byWeek.values()];
  });
  const totals = $derived(
    Object.entries(
      counts.reduce<Record<string, number>>(
        (sum, c) => ({ ...sum, [c.cause]: (sum[c.cause] ?? 0) + c.count }),
        {},
      ),
    ).sort((a, b) => b[1] - a[1]),
  );
  const series = $derived(
    [...Object.entries(causes), ["unseen", "Not looked at yet"]]
      .map(([key, label], i) => ({ key: key!, label: label!, color: fillOf(i) }))
      .filter((s) => weeks.some((w) => w[s.key])),
  );
  const whichs = { open: "To look at", done: "Done", helped: "Helped" } as const;

  const about =
    "What visitors said of replies. Open one in the bench, find out what was wrong, try it " +
    "differently, and mark it as done.";
</script>

<Page title="Verdicts" {about}>
  <div class="mt-5 flex flex-wrap items-end gap-4">
    <div class="flex rounded border border-rule text-sm" role="group" aria-label="Which verdicts">
      {#each Object.entries(whichs) as [key, name] (key)}
        <button
          class={["min-h-9 px-3.5", which === key && "bg-leaf font-semibold"]}
          aria-pressed={which === key}
          onclick={() => (which = key as typeof which)}>{name}</button>
      {/each}
    </div>
    <label class="text-fine"
      >Desk
      <select class="field mt-1" bind:value={desk}
        ><option value="">all</option>{#each app.desks ?? [] as d (d.slug)}<option value={d.slug}
            >{d.title}</option
          >{/each}</select>
    </label>
  </div>

  <div class="mt-6 grid gap-x-10 gap-y-8 lg:grid-cols-[minmax(0,1fr)_20rem]">
    <div class="min-w-0">
      {#each verdicts ?? [] as v (v.turn + v.attempt)}
        <article class="border-t border-rule py-4 first:border-t-0 first:pt-0">
          <p class="text-fine text-faded">
            {v.desk}, {ago(v.judged_at)}, {v.model}, revision {v.revision || "draft"}
          </p>
          <h2 class="mt-1 font-serif text-text leading-snug font-semibold break-words">
            <a
              class="no-underline hover:text-accent"
              href={hrefOf(`desks/${v.desk}/bench/${v.trace ?? v.turn}`)}
              onclick={router.follow}>{v.question}</a>
          </h2>
          <div
            class="mt-1 max-h-24 overflow-hidden text-faded [mask-image:linear-gradient(#000_70%,transparent)]">
            <Markdown text={v.reply.slice(0, 900)} />
          </div>
          {#if v.pictures?.length}
            <ul class="mt-2 flex flex-wrap gap-2">
              {#each v.pictures as id (id)}
                <li>
                  <a href={pictureOf(id)} target="_blank" rel="noopener"
                    ><img
                      class="h-20 rounded border border-rule"
                      loading="lazy"
                      src={pictureOf(id, true)}
                      alt="Of this turn" /></a>
                </li>
              {/each}
            </ul>
          {/if}
          {#if v.reason || v.remark}<p class="mt-2 border-l-2 border-margin pl-3 text-note">
              {v.reason ? reasons[v.reason] : ""}{v.reason && v.remark ? ": " : ""}{v.remark
                ? `“${v.remark}”`
                : ""}
            </p>{/if}
          {#if !v.helped}
            <div class="mt-3 flex flex-wrap items-end gap-3">
              <label class="text-fine"
                >What was wrong
                <select
                  class="field mt-1"
                  value={v.finding.cause}
                  onchange={(e) => keep(v, { cause: e.currentTarget.value }, "Noted")}>
                  <option value="">not known yet</option>
                  {#each Object.entries(causes) as [key, name] (key)}<option value={key}>{name}</option
                    >{/each}
                </select>
              </label>
              <label class="min-w-44 flex-1 text-fine"
                >Note <input
                  class="field mt-1"
                  value={v.finding.note}
                  maxlength="2000"
                  onchange={(e) => keep(v, { note: e.currentTarget.value }, "Noted")} /></label>
              <a
                class="button-plain no-underline"
                href={hrefOf(`desks/${v.desk}/bench/${v.trace ?? v.turn}`)}
                onclick={router.follow}>Open in the bench</a>
              <button
                class="button-main"
                onclick={() =>
                  keep(v, { done: !v.finding.done }, v.finding.done ? "To be looked at again" : "Done with")}
                >{v.finding.done ? "Look at it again" : "Mark as done"}</button>
            </div>
          {/if}
        </article>
      {:else}
        <p class="font-serif text-lead">
          {verdicts
            ? {
                open: "Nothing to look at: no visitor has said that a reply did not help.",
                done: "Nothing is done with yet.",
                helped: "No visitor has said yet that a reply helped.",
              }[which]
            : "Fetching the verdicts …"}
        </p>
      {/each}
    </div>
    {#if totals.length}
      <aside aria-label="Causes">
        <h2 class="text-note font-semibold">What was wrong, by week</h2>
        <Patterns />
        <div class="chart mt-3 h-52" aria-hidden="true">
          <BarChart
            data={weeks}
            x="week"
            {series}
            seriesLayout="stack"
            legend={false}
            bandPadding={0.4}
            props={{ xAxis: { ticks: 4 } }} />
        </div>
        <Table label="Replies that did not help in the last twelve weeks, by cause" class="mt-3" small>
          {#each totals as [cause, n] (cause)}
            <tr class="border-t border-rule"
              ><td class="py-1.5"
                ><span class="flex items-center gap-2"
                  ><Swatch fill={series.find((s) => s.key === (cause || "unseen"))?.color ?? ""} />{cause
                    ? causes[cause]
                    : "Not looked at yet"}</span
                ></td
              ><td class="text-right tabular-nums">{n}</td></tr>
          {/each}
        </Table>
      </aside>
    {/if}
  </div>
</Page>
