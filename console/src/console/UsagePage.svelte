<script lang="ts">
  import Page from "../ui/Page.svelte";
  import Refusals from "./Refusals.svelte";
  import Table from "../ui/Table.svelte";
  import { BarChart } from "layerchart";
  import * as making from "../api/making";
  import { pageData, type Schemas } from "../pageData";
  import { exactMoney, money, shortMoney } from "./money";
  import { hrefOf, router } from "./router.svelte";
  import { complain } from "./state.svelte";
  import Patterns from "../ui/Patterns.svelte";
  import { fillOf, fills } from "../ui/fills";
  import Swatch from "../ui/Swatch.svelte";
  import { shortDay } from "./time";
  import Link from "../ui/Link.svelte";

  type Row = Schemas["UsageRow"];
  const day = (back: number) => new Date(Date.now() - back * 86_400_000).toISOString().slice(0, 10);
  const spans = { today: "Today", week: "7 days", month: "30 days", quarter: "90 days" } as const;
  const lengths = { today: 0, week: 6, month: 29, quarter: 89 };
  const tables = [
    ["desk", "By desk"],
    ["model", "By model"],
    ["step", "By step"],
    ["visitor", "By visitor"],
    ["kind", "By purpose"],
  ] as const;
  const kinds: Record<string, string> = {
    reply: "replies",
    summary: "summaries of conversations",
    rerun: "tried in the bench",
    hearing: "recordings written down",
    speaking: "replies read aloud",
  };

  let chosen = $state<keyof typeof spans>("month");
  let split = $state<"desk" | "model">("model");
  let unit = $state<"cost" | "tokens">("cost");
  let days = $state<Row[] | null>(null);
  let sums = $state<Record<string, Row[]>>({});
  let turns = $state<Row[]>([]);

  const range = $derived({ from: day(lengths[chosen]), to: day(0) });
  $effect(() => void read(range, split));

  async function read(r: { from: string; to: string }, by: string) {
    try {
      const [perDay, perTurn, ...rest] = await Promise.all([
        making.readUsage({ ...r, by: `day,${by}` }),
        making.readUsage({ ...r, by: "turn,desk" }),
        ...tables.map(([key]) => making.readUsage({ ...r, by: key })),
      ]);
      days = perDay.rows;
      turns = perTurn.rows.slice(0, 8);
      sums = Object.fromEntries(tables.map(([key], i) => [key, rest[i]!.rows]));
    } catch (e) {
      complain(e);
    }
  }

  const worth = (r: Row) => (unit === "cost" ? r.cost : r.prompt_tokens + r.reply_tokens);
  const all = $derived(
    (sums.desk ?? []).reduce(
      (t, r) => ({
        cost: t.cost + r.cost,
        in: t.in + r.prompt_tokens,
        out: t.out + r.reply_tokens,
        calls: t.calls + r.calls,
        counted: t.counted + r.counted,
        pictures: t.pictures + (r.pictures ?? 0),
        sound: t.sound + (r.sound_seconds ?? 0),
      }),
      { cost: 0, in: 0, out: 0, calls: 0, counted: 0, pictures: 0, sound: 0 },
    ),
  );
  /** The names with a part of the chart of their own: of more than it has fills for, those
   *  that are worth most; the others are one part together. */
  const parts = $derived.by(() => {
    const sum = new Map<string, number>();
    for (const r of days ?? []) sum.set(r.keys[1]!, (sum.get(r.keys[1]!) ?? 0) + worth(r));
    const names = [...sum.keys()];
    if (names.length <= fills.length) return { names, others: "" };
    const most = [...names].sort((a, b) => sum.get(b)! - sum.get(a)!).slice(0, fills.length - 1);
    return { names: names.filter((n) => most.includes(n)), others: `${names.length - most.length} others` };
  });
  const names = $derived(parts.others ? [...parts.names, parts.others] : parts.names);
  const series = $derived(names.map((name, i) => ({ key: name, label: name, color: fillOf(i) })));
  const chart = $derived.by(() => {
    const rows: Record<string, number | string>[] = [];
    for (let back = lengths[chosen]; back >= 0; back--) {
      const at = day(back);
      const row: Record<string, number | string> = { day: shortDay(at) };
      for (const name of names) row[name] = 0;
      for (const r of days ?? []) {
        const part = parts.names.includes(r.keys[1]!) ? r.keys[1]! : parts.others;
        if (r.keys[0] === at) row[part] = Number(row[part]) + worth(r);
      }
      rows.push(row);
    }
    return rows;
  });
  /** A length of sound, as people say it. */
  const minutes = (seconds: number) => {
    const n = Math.max(1, Math.round(seconds / 60));
    return `${n.toLocaleString("en")} ${n === 1 ? "minute" : "minutes"}`;
  };
  const nameOf = (key: string, name: string) => (key === "kind" ? (kinds[name] ?? name) : name);

  const about =
    "How often models were asked, how much they read and wrote, and what that cost by the prices in the " +
    "connections. A token is a piece of a word; models are paid by them.";

  const figures = [
    { title: "Calls", number: true },
    { title: "Tokens", number: true },
    { title: "Cost", number: true },
  ];
</script>

<Page title="Usage" {about}>
  {#snippet actions()}
    <div class="flex rounded border border-rule text-sm" role="group" aria-label="How far back">
      {#each Object.entries(spans) as [key, name] (key)}
        <button
          class={["min-h-9 px-3", chosen === key && "bg-leaf font-semibold"]}
          aria-pressed={chosen === key}
          onclick={() => (chosen = key as typeof chosen)}>{name}</button>
      {/each}
    </div>
    <a
      class="button-plain no-underline"
      href="{pageData.base}{making.usageCSV({ ...range, by: 'day,desk,model,step,kind' })}">CSV</a>
  {/snippet}
  {#if days && !days.length}
    <p class="mt-12 font-serif text-lead">No model was asked in this time.</p>
    <p class="mt-2 text-note text-faded">
      Every time a model is asked, its tokens are counted here. Write prices into the connection file to see
      what they cost.
    </p>
  {:else if days}
    <p class="mt-4 font-serif text-lead">
      {#if all.cost}<strong class="tabular-nums">{money(all.cost)}</strong>{" for "}{/if}<span
        class="tabular-nums">{all.calls.toLocaleString("en")}</span>
      {all.calls === 1 ? "call" : "calls"}: <span class="tabular-nums">{all.in.toLocaleString("en")}</span>
      tokens read, <span class="tabular-nums">{all.out.toLocaleString("en")}</span> written{all.pictures
        ? `, ${all.pictures.toLocaleString("en")} ${all.pictures === 1 ? "picture" : "pictures"} made`
        : ""}{all.sound ? `, ${minutes(all.sound)} of sound heard or spoken` : ""}{chosen === "today"
        ? " today"
        : ""}.
    </p>
    {#if all.counted}<p class="mt-1 text-fine text-faded">
        For {all.counted} of them the model server gave no figures; those tokens were counted here.
      </p>{/if}
    {#if !all.cost}<p class="mt-1 text-fine text-faded">
        No cost is known: the connections have no prices yet.
      </p>{/if}

    <div class="mt-5 flex flex-wrap gap-3 text-fine">
      <label class="flex items-center gap-2 whitespace-nowrap"
        >Show <select class="field !min-h-8" bind:value={unit}
          ><option value="cost">cost</option><option value="tokens">tokens</option></select
        ></label>
      <label class="flex items-center gap-2 whitespace-nowrap"
        >split by <select class="field !min-h-8" bind:value={split}
          ><option value="model">model</option><option value="desk">desk</option></select
        ></label>
      <ul class="flex flex-wrap items-center gap-x-4 gap-y-1">
        {#each series as s (s.key)}<li class="flex items-center gap-1.5">
            <Swatch fill={s.color} />{s.label}
          </li>{/each}
      </ul>
    </div>
    <Patterns />
    <div
      class="chart mt-3 h-64"
      role="img"
      aria-label="{unit === 'cost'
        ? 'Cost'
        : 'Tokens'} per day, split by {split}; the tables below have the figures">
      <BarChart
        data={chart}
        x="day"
        {series}
        seriesLayout="stack"
        legend={false}
        bandPadding={0.3}
        props={{
          xAxis: { ticks: chart.length > 14 ? 8 : undefined },
          yAxis: { format: (n: number) => (unit === "cost" ? exactMoney(n) : n.toLocaleString("en")) },
        }} />
    </div>

    <div class="mt-8 grid gap-x-12 gap-y-8 md:grid-cols-2">
      {#each tables as [key, title] (key)}
        <section>
          <h2 class="text-note font-semibold">{title}</h2>
          <Table label={title} class="mt-2" small columns={[{ title, silent: true }, ...figures]}>
            {#each (sums[key] ?? []).slice(0, 8) as r (r.keys[0])}
              <tr class="border-t border-rule"
                ><td class="max-w-[14rem] truncate py-1.5">{nameOf(key, r.keys[0]!)}</td><td
                  class="text-right tabular-nums">{r.calls}</td
                ><td class="text-right tabular-nums"
                  >{(r.prompt_tokens + r.reply_tokens).toLocaleString("en")}</td
                ><td class="text-right tabular-nums" title={exactMoney(r.cost)}>{shortMoney(r.cost)}</td></tr>
            {/each}
          </Table>
          {#if key === "visitor"}<p class="mt-1 text-mini text-faded">
              A visitor is known by a random code that their browser keeps, and by nothing else.
            </p>{/if}
        </section>
      {/each}
      <section>
        <h2 class="text-note font-semibold">The costliest replies</h2>
        <Table label="The costliest replies" class="mt-2" small>
          {#each turns as r (r.keys[0])}
            <tr class="border-t border-rule"
              ><td class="py-1.5"
                ><Link href={hrefOf(`desks/${r.keys[1]}/bench/${r.keys[0]}`)} onclick={router.follow}
                  >a reply at {r.keys[1]}</Link
                ></td
              ><td class="text-right tabular-nums"
                >{(r.prompt_tokens + r.reply_tokens).toLocaleString("en")} tokens</td
              ><td class="text-right tabular-nums">{exactMoney(r.cost)}</td></tr>
          {/each}
        </Table>
      </section>
    </div>
  {:else}
    <p class="mt-12 text-faded">Adding up …</p>
  {/if}
  <Refusals />
</Page>
