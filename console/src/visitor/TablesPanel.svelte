<!-- What was found out of the tables: their columns, what looks wrong, the first rows. -->
<script lang="ts">
  import type { Schemas } from "../pageData";
  import { fromService, say } from "../words";
  import Dialog from "../ui/Dialog.svelte";
  import { isNumber, shown } from "./cells";
  import type { TablesShown } from "./tables.svelte";

  interface Props {
    /** The tables. */
    tables: TablesShown;
    /** Whether they are shown. */
    open: boolean;
    /** The document that is shown; 0 is all. Default: 0. */
    document?: number;
  }

  let { tables, open = $bindable(), document = 0 }: Props = $props();

  type Column = Schemas["TableColumn"];
  const kinds = ["text", "whole", "decimal", "money", "percent", "date", "moment", "yesno"] as const;
  /** In columns: more are folded. */
  const many = 60;
  let all = $state(false);
  const documents = $derived(tables.documents.filter((d) => !document || d.document === document));

  const bars = (c: Column) => {
    const counts = c.bins?.map((b) => b.count) ?? c.often?.slice(0, 8).map((v) => v.count) ?? [];
    const most = Math.max(...counts, 1);
    return counts.map((n) => n / most);
  };
  const range = (c: Column) =>
    c.least === undefined || c.least === "" || c.kind === "yesno"
      ? ""
      : say.tables.range(shown(c.least, c), shown(c.most ?? "", c));
  const facts = (c: Column) =>
    [
      c.kind === "text" || c.kind === "yesno" ? "" : range(c),
      c.kind === "yesno" ? "" : say.tables.distinct(c.distinct, c.about ?? false),
      c.missing ? say.tables.missing(c.missing) : "",
    ].filter(Boolean);
  const often = (c: Column) =>
    (c.often ?? [])
      .slice(0, 4)
      .map((v) => `${shown(v.text, c)} (${say.tables.times(v.count)})`)
      .join(", ");
</script>

<Dialog bind:open title={say.tables.title} width="58rem" cross={say.general.close}>
  {#if tables.problem}<p class="mt-3 text-fine text-wrong" role="alert">{tables.problem}</p>{/if}
  {#if !documents.length}<p class="mt-3 text-faded">{say.tables.none}</p>{/if}
  {#each documents as d (d.document)}
    {#if d.problem && !d.tables.length}
      <p class="mt-4 text-fine text-wrong">{d.name}: {fromService(d.phrase, d.problem)}.</p>
    {/if}
    {#each d.tables as t (t.name)}
      <section class="mt-6" aria-busy={tables.changing === d.document}>
        <h3 class="font-serif text-lead font-semibold break-words">{t.title}</h3>
        <p class="text-fine text-faded">
          {[
            say.tables.size(t.rows, t.columns.length),
            d.looked_at && say.tables.asItWas(new Date(d.looked_at)),
          ]
            .filter(Boolean)
            .join(" · ")}
        </p>
        {#if t.wrong?.length}
          <div class="mt-2 rounded border border-rule bg-leaf px-3 py-2 text-fine">
            <p class="font-semibold">{say.tables.looksWrong}</p>
            <ul class="mt-1 list-disc space-y-0.5 pl-5">
              {#each t.wrong as w, i (i)}<li class="break-words first-letter:uppercase">
                  {fromService(w, w.form ?? "")}.
                </li>{/each}
            </ul>
          </div>
        {/if}
        <ul class="mt-3 grid gap-3 sm:grid-cols-2 lg:grid-cols-3" aria-label={say.tables.columnsOf(t.title)}>
          {#each all ? t.columns : t.columns.slice(0, many) as c (c.name)}
            <li class="min-w-0 rounded border border-rule px-3 py-2 text-fine">
              <p class="font-semibold break-words">{c.title}</p>
              {#if d.own}
                <label class="mt-1 flex items-center gap-2 text-mini text-faded">
                  <span class="sr-only">{say.tables.kindOf(c.title)}</span>
                  <select
                    class="field !min-h-8 !py-0 text-fine text-ink"
                    disabled={tables.changing !== 0}
                    bind:value={
                      () => c.kind, (k) => void tables.putRight(d.document, t.own ?? t.name, c.name, k)
                    }>
                    {#each kinds as k (k)}<option value={k}>{say.tables.kinds[k]}</option>{/each}
                  </select>
                  {#if c.given}<button
                      type="button"
                      class="shrink-0 text-accent hover:underline"
                      disabled={tables.changing !== 0}
                      onclick={() => void tables.putRight(d.document, t.own ?? t.name, c.name, "")}
                      >{say.tables.asItSeems}</button
                    >{/if}
                </label>
              {:else}<p class="text-mini text-faded">
                  {say.tables.kinds[c.kind]}{c.unit ? `, ${c.unit}` : ""}
                </p>{/if}
              {#if bars(c).length > 1}
                <div class="mt-2 flex h-8 items-end gap-px" aria-hidden="true">
                  {#each bars(c) as part, i (i)}<span
                      class="min-w-0 flex-1 bg-margin"
                      style:height="{part > 0 ? Math.max(2, part * 32) : 0}px"></span
                    >{/each}
                </div>
              {/if}
              <p class="mt-1 text-mini text-faded">{facts(c).join(" · ")}</p>
              {#if !isNumber(c.kind) && c.often?.length && c.kind !== "date" && c.kind !== "moment"}<p
                  class="mt-0.5 text-mini break-words text-faded">
                  {often(c)}
                </p>{/if}
              {#if c.odd}<p class="mt-0.5 text-mini text-wrong">
                  {say.tables.odd(c.odd)}: {(c.odds ?? [])
                    .slice(0, 3)
                    .map((o) => say.tables.inRow(o.text, o.row))
                    .join(", ")}
                </p>{/if}
            </li>
          {/each}
        </ul>
        {#if t.columns.length > many && !all}
          <button type="button" class="button-plain mt-3" onclick={() => (all = true)}
            >{say.tables.allColumns(t.columns.length)}</button>
        {/if}
        <details class="mt-3 text-fine">
          <summary class="min-h-7 cursor-pointer text-faded hover:text-ink">{say.tables.firstRows}</summary>
          <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
          <div
            class="relative mt-1 overflow-x-auto"
            role="group"
            aria-label={say.tables.firstRows}
            tabindex="0">
            <table class="text-left whitespace-nowrap [&_td+td]:pl-5 [&_th+th]:pl-5">
              <thead
                ><tr class="border-b border-rule"
                  >{#each t.columns.slice(0, many) as c (c.name)}<th
                      scope="col"
                      class="py-1 font-medium text-faded">{c.title}</th
                    >{/each}</tr
                ></thead>
              <tbody>
                {#each t.first as row, i (i)}
                  <tr class="border-b border-rule/60"
                    >{#each t.columns.slice(0, many) as c, j (c.name)}<td
                        class={["max-w-60 truncate py-1", isNumber(c.kind) && "text-right tabular-nums"]}
                        >{shown(row[j] ?? "", c)}</td
                      >{/each}</tr>
                {/each}
              </tbody>
            </table>
          </div>
        </details>
      </section>
    {/each}
  {/each}
</Dialog>
