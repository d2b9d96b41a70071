<!-- The rows of a table that a number was worked out from. -->
<script lang="ts">
  import { rowsBehind } from "../api/visiting";
  import { Trouble } from "../api/service";
  import type { Schemas } from "../pageData";
  import { say } from "../words";
  import Dialog from "../ui/Dialog.svelte";
  import Link from "../ui/Link.svelte";
  import { isNumber, shown } from "./cells";

  interface Props {
    /** Whether they are shown. */
    open: boolean;
    /** The turn that the number belongs to. */
    turn: string;
    /** The number's place in the result. */
    cell: { row: number; column: number };
  }

  let { open = $bindable(), turn, cell }: Props = $props();

  let found = $state<Schemas["TableResult"] | null>(null);
  let problem = $state("");
  let asking = $state(false);
  const left = $derived(found ? found.total - found.rows.length : 0);

  async function ask(from: number) {
    asking = true;
    problem = "";
    try {
      const next = await rowsBehind(turn, cell.row, cell.column, from);
      found = found && from ? { ...found, rows: [...found.rows, ...next.rows] } : next;
    } catch (e) {
      problem = e instanceof Trouble ? e.detail : say.tables.noMore;
    } finally {
      asking = false;
    }
  }

  // Another number has other rows.
  $effect(() => {
    if (!open) return;
    void [turn, cell.row, cell.column];
    found = null;
    void ask(0);
  });
</script>

<Dialog bind:open title={say.tables.behindTitle} width="56rem" cross={say.general.close}>
  {#if problem}<p class="mt-2 text-wrong" role="alert">{problem}</p>
  {:else if !found}<p class="mt-2 text-fine text-faded" role="status">{say.tables.fetching}</p>{/if}
  {#if found}
    <p class="mt-1 text-fine text-faded">{say.tables.rowsOf(found.rows.length, found.total)}</p>
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <div
      class="relative mt-3 overflow-x-auto text-fine"
      role="group"
      aria-label={say.tables.behindTitle}
      tabindex="0">
      <table class="w-full text-left tabular-nums [&_td+td]:pl-5 [&_th+th]:pl-5">
        <thead
          ><tr class="border-b border-rule"
            >{#each found.columns as c, i (i)}<th
                scope="col"
                class={["py-1 font-medium text-faded", isNumber(c.kind) && "text-right"]}
                >{i === 0 ? say.tables.row : c.title}</th
              >{/each}</tr
          ></thead>
        <tbody>
          {#each found.rows as row, n (n)}
            <tr class="border-b border-rule/60"
              >{#each found.columns as c, i (i)}<td
                  class={[
                    "max-w-72 py-1 align-top break-words",
                    isNumber(c.kind) && "text-right",
                    i === 0 && "text-faded",
                    c.marked && "bg-marker",
                  ]}>{i === 0 ? row[i] : shown(row[i] ?? "", c)}</td
                >{/each}</tr>
          {/each}
        </tbody>
      </table>
    </div>
    {#if left > 0}<Link class="mt-2 min-h-7 text-fine" onclick={() => !asking && ask(found!.rows.length)}
        >{asking ? say.tables.fetching : say.tables.more(Math.min(left, 200), left)}</Link
      >{/if}
  {/if}
</Dialog>
