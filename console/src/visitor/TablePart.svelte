<!-- A table that was worked out: sorted, saved, and how it came about. -->
<script lang="ts">
  import ArrowDown from "@lucide/svelte/icons/arrow-down";
  import ArrowUp from "@lucide/svelte/icons/arrow-up";
  import { rowsOf, tableFile } from "../api/visiting";
  import { Trouble } from "../api/service";
  import type { Schemas } from "../pageData";
  import { fromService, say } from "../words";
  import Link from "../ui/Link.svelte";
  import { isNumber, shown, sorted } from "./cells";
  import RowsBehind from "./RowsBehind.svelte";

  interface Props {
    /** What was worked out. */
    result: Schemas["TableResult"];
    /** The turn that it belongs to, to have more rows. Default: there are no more to be had. */
    turn?: string;
    /** The cell that is lit. Default: none. */
    lit?: { row: number; column: number } | null;
    /** Whether the reply says its only number. Default: no. */
    said?: boolean;
  }

  let { result, turn, lit = null, said = false }: Props = $props();

  /** In rows: more are folded. */
  const few = 8;
  const atOnce = 200;
  let more = $state<string[][]>([]);
  let open = $state(false);
  let asking = $state(false);
  let problem = $state("");
  let by = $state<{ column: number; down: boolean } | null>(null);
  const loaded = $derived([...result.rows, ...more]);
  // Rows with the numbers that they have in the result, whatever they are sorted by.
  const rows = $derived.by(() => {
    const numbered = loaded.map((cells, i) => [...cells, String(i)]);
    return by ? sorted(numbered, by.column, result.columns[by.column]!.kind, by.down) : numbered;
  });
  const unfolded = $derived(open || (lit !== null && lit.row >= few));
  const visible = $derived(unfolded ? rows : rows.slice(0, few));
  const left = $derived(result.total - loaded.length);
  const one = $derived(said && result.rows.length === 1 && result.columns.length === 1);

  function sort(column: number) {
    if (by?.column !== column) by = { column, down: isNumber(result.columns[column]!.kind) };
    else if (by.down === isNumber(result.columns[column]!.kind)) by = { column, down: !by.down };
    else by = null;
  }

  let behindOpen = $state(false);

  async function fetchMore() {
    if (!turn || asking) return;
    asking = true;
    problem = "";
    try {
      more = [...more, ...(await rowsOf(turn, loaded.length, atOnce)).rows];
    } catch (e) {
      problem = e instanceof Trouble ? e.detail : say.tables.noMore;
    } finally {
      asking = false;
    }
  }
</script>

<div class="mt-4 border-t border-rule pt-3 text-fine" data-worked-out>
  {#if !one}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <div
      class="relative max-h-[28rem] overflow-auto"
      role="group"
      aria-label={say.tables.workedOut}
      tabindex="0">
      <table
        class={[
          "text-left tabular-nums [&_td+td]:pl-5 [&_th+th]:pl-5",
          result.columns.length > 3 ? "w-full" : "min-w-[60%]",
        ]}>
        <caption class="sr-only">{say.tables.rowsOf(visible.length, result.total)}</caption>
        <thead class="sticky top-0 bg-paper">
          <tr class="border-b border-rule">
            {#each result.columns as c, i (i)}
              <th
                scope="col"
                class={["py-1 font-medium text-faded", isNumber(c.kind) && "text-right"]}
                aria-sort={by?.column === i ? (by.down ? "descending" : "ascending") : undefined}>
                <button
                  type="button"
                  class="inline-flex min-h-7 max-w-64 items-center gap-1 text-left break-words hover:text-ink"
                  title={say.tables.sortBy(c.title)}
                  onclick={() => sort(i)}
                  >{c.title}{#if by?.column === i}{#if by.down}<ArrowDown
                        size={13}
                        class="shrink-0"
                        aria-hidden="true" />{:else}<ArrowUp
                        size={13}
                        class="shrink-0"
                        aria-hidden="true" />{/if}{/if}</button>
              </th>
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each visible as row (row.at(-1))}
            <tr class="border-b border-rule/60">
              {#each result.columns as c, i (i)}
                <td
                  class={[
                    "max-w-80 py-1 align-top break-words",
                    isNumber(c.kind) && "text-right",
                    lit &&
                      lit.row === Number(row.at(-1)) &&
                      (lit.column === i || lit.column < 0) &&
                      "bg-marker",
                  ]}
                  title={isNumber(c.kind) ? row[i] : undefined}>{shown(row[i]!, c)}</td>
              {/each}
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
  {/if}
  <div class="mt-1.5 flex flex-wrap items-center gap-x-5 gap-y-1 text-faded">
    {#if lit && turn && result.behind}
      <Link class="min-h-7" onclick={() => (behindOpen = true)}>{say.tables.behind}</Link>
    {/if}
    {#if rows.length > few}
      <Link class="min-h-7" aria-expanded={unfolded} onclick={() => (open = !unfolded)}
        >{unfolded ? say.tables.fewer : say.tables.all(rows.length)}</Link>
    {/if}
    {#if left > 0 && unfolded}
      {#if turn}<Link class="min-h-7" onclick={fetchMore}
          >{asking ? say.tables.fetching : say.tables.more(Math.min(left, atOnce), left)}</Link
        >{:else}<span>{say.tables.rowsOf(loaded.length, result.total)}</span>{/if}
    {/if}
    {#if turn && !one}
      <span class="flex items-center gap-3 print:hidden"
        >{say.tables.saveAs}
        {#each ["csv", "xlsx", "json", "md"] as format (format)}<a
            class="inline-flex min-h-7 items-center text-accent hover:underline"
            href={tableFile(turn, format)}
            aria-label={say.tables.save(format)}
            download>{format.toUpperCase()}</a
          >{/each}</span>
    {/if}
  </div>
  {#if problem}<p class="mt-1 text-wrong" role="alert">{problem}</p>{/if}
  {#if lit && turn}<RowsBehind bind:open={behindOpen} {turn} cell={lit} />{/if}
  <details class="mt-1">
    <summary class="min-h-7 cursor-pointer text-faded hover:text-ink">{say.tables.how}</summary>
    <ol class="mt-1 list-decimal space-y-0.5 pl-5">
      {#each result.says as p, i (i)}<li class="first-letter:uppercase">
          {fromService(p, p.form ?? "")}
        </li>{/each}
    </ol>
    {#if result.of && result.read}<p class="mt-1">{say.tables.restsOn(result.read, result.of)}</p>{/if}
    <details class="mt-1">
      <summary class="min-h-7 cursor-pointer text-faded hover:text-ink">{say.tables.query}</summary>
      <pre class="mt-1 overflow-x-auto rounded bg-leaf p-3 text-mini whitespace-pre-wrap">{result.query}</pre>
    </details>
  </details>
</div>
