<!-- What visitors of a desk wanted to read, and what bringing it took. -->
<script lang="ts">
  import { onMount } from "svelte";
  import { toast } from "svelte-sonner";
  import * as making from "../api/making";
  import { fetchTo, listShelves } from "../api/shelves";
  import type { Schemas } from "../pageData";
  import Table from "../ui/Table.svelte";
  import { shortMoney } from "./money";
  import { complain } from "./state.svelte";
  import { shortDay } from "./time";

  interface Props {
    /** The desk's address. */
    slug: string;
  }

  let { slug }: Props = $props();

  type Wanted = Schemas["Wanted"];
  let days = $state(30);
  let wanted = $state<Wanted[] | null>(null);
  let sums = $state<Record<string, Schemas["BroughtRow"][]>>({});
  let shelves = $state<Schemas["Shelf"][]>([]);
  let shelf = $state("");
  let busy = $state("");
  let only = $state<"all" | "missing">("all");

  const tables = [
    ["day", "By day"],
    ["visitor", "By visitor"],
    ["conversation", "By conversation"],
  ] as const;
  const shown = $derived((wanted ?? []).filter((w) => only === "all" || !w.found));

  onMount(async () => {
    try {
      shelves = await listShelves();
      shelf = shelves[0]?.shelf ?? "";
    } catch (e) {
      complain(e);
    }
  });
  $effect(() => void read(days));

  async function read(last: number) {
    const from = new Date(Date.now() - (last - 1) * 86_400_000).toISOString().slice(0, 10);
    try {
      const [list, ...rest] = await Promise.all([
        making.listWanted(slug, last),
        ...tables.map(([by]) => making.readBrought({ by, from, desk: slug })),
      ]);
      wanted = list;
      sums = Object.fromEntries(tables.map(([key], i) => [key, rest[i]!.rows]));
    } catch (e) {
      complain(e);
    }
  }

  async function put(w: Wanted) {
    if (busy || !shelf) return;
    busy = w.kind + w.name;
    try {
      const added = await fetchTo(shelf, {
        address: w.kind === "address" ? w.address || w.name : w.source,
        topic: w.kind === "topic" ? w.name : undefined,
        search: w.kind === "search" ? w.name : undefined,
      });
      const title = shelves.find((s) => s.shelf === shelf)?.title ?? shelf;
      const failed = added.filter((a) => a.problem);
      if (added.length > failed.length) toast(`${w.name} is on the shelf “${title}”.`);
      for (const f of failed) toast.error(`${f.name}: ${f.problem}`);
    } catch (e) {
      complain(e);
    } finally {
      busy = "";
    }
  }

  const kinds: Record<string, string> = {
    address: "address",
    topic: "topic",
    search: "search",
    document: "document of the desk",
  };
  const size = (bytes: number) =>
    bytes < 1e6 ? `${Math.ceil(bytes / 1000)} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
  const total = $derived(
    (sums.day ?? []).reduce(
      (t, r) => ({
        errands: t.errands + r.errands,
        works: t.works + r.works,
        kept: t.kept + r.kept,
        bytes: t.bytes + r.bytes,
        tokens: t.tokens + r.tokens,
        cost: t.cost + r.cost,
      }),
      { errands: 0, works: 0, kept: 0, bytes: 0, tokens: 0, cost: 0 },
    ),
  );
  const wide = "hidden sm:table-cell";
  const columns = [
    { title: "Times", number: true },
    { title: "What" },
    { title: "Kind", class: wide },
    { title: "Found", class: wide },
    { title: "Last", class: wide },
    { title: "Put it on a shelf", silent: true },
  ];
  const figures = [
    { title: "Times", number: true },
    { title: "Fetched", number: true },
    { title: "There already", number: true },
    { title: "Size", number: true },
    { title: "Cost", number: true },
  ];
</script>

<div class="mx-auto max-w-[64rem] px-4 py-6 sm:px-6">
  {#if wanted}
    <div class="flex flex-wrap items-center gap-x-5 gap-y-2 text-sm">
      <label class="flex items-center gap-2 whitespace-nowrap"
        >Of the last <select class="field !min-h-8" bind:value={days}
          ><option value={1}>day</option><option value={7}>7 days</option><option value={30}>30 days</option
          ><option value={90}>90 days</option></select
        ></label>
      <label class="flex items-center gap-2 whitespace-nowrap"
        >Show <select class="field !min-h-8" bind:value={only}
          ><option value="all">everything</option><option value="missing">what was not found</option></select
        ></label>
      {#if shelves.length}<label class="flex min-w-0 items-center gap-2 whitespace-nowrap"
          >Put things on <select class="field !min-h-8 min-w-0" bind:value={shelf}
            >{#each shelves as s (s.shelf)}<option value={s.shelf}>{s.title}</option>{/each}</select
          ></label
        >{/if}
    </div>
    {#if total.errands}
      <p class="mt-4 font-serif text-lead">
        Visitors wanted something <span class="tabular-nums">{total.errands.toLocaleString("en")}</span>
        {total.errands === 1 ? "time" : "times"}:
        <span class="tabular-nums">{(total.works - total.kept).toLocaleString("en")}</span>
        {total.works - total.kept === 1 ? "work was" : "works were"} fetched, {size(total.bytes)};
        <span class="tabular-nums">{total.kept.toLocaleString("en")}</span>
        {total.kept === 1 ? "was" : "were"} there already{total.cost
          ? `; embedding cost ${shortMoney(total.cost)}`
          : ""}.
      </p>
    {/if}
    {#if shown.length}
      <Table label="What visitors wanted" class="mt-4" {columns}>
        {#each shown as w (w.kind + w.source + w.name + w.found)}
          <tr class="border-t border-rule">
            <td class="py-1.5 text-right tabular-nums">{w.times.toLocaleString("en")}</td>
            <td class="max-w-[7.5rem] sm:max-w-[22rem]"
              ><span class="block truncate" title={w.name}>{w.name}</span><span
                class="block text-fine text-faded sm:hidden"
                >{kinds[w.kind]}, {w.found ? "found" : "not found"}</span
              ></td>
            <td class={[wide, "whitespace-nowrap text-faded"]}>{kinds[w.kind]}</td>
            <td class={[wide, !w.found && "font-semibold text-wrong"]}>{w.found ? "yes" : "no"}</td>
            <td class={[wide, "whitespace-nowrap text-faded"]}>{shortDay(w.last.slice(0, 10))}</td>
            <td class="text-right">
              {#if w.kind !== "document" && shelf}
                <button
                  class="button-plain !min-h-8 whitespace-nowrap"
                  aria-disabled={!!busy}
                  aria-label="Put on the shelf: {w.name}"
                  onclick={() => put(w)}
                  >{busy === w.kind + w.name ? "Fetching …" : "Put on the shelf"}</button>
              {/if}
            </td>
          </tr>
        {/each}
      </Table>
    {:else}
      <p class="mt-8 font-serif text-lead">
        {only === "missing"
          ? "Everything that was wanted was found."
          : "Nobody wanted anything in this time."}
      </p>
      <p class="mt-2 text-note text-faded">
        What visitors bring is counted here, by its name and without theirs. Addresses that only one visitor
        may know are not listed.
      </p>
    {/if}
    {#if total.errands}
      <div class="mt-8 grid gap-x-12 gap-y-8 lg:grid-cols-2">
        {#each tables as [key, title] (key)}
          <section>
            <h2 class="text-note font-semibold">{title}</h2>
            <Table label={title} class="mt-2" small columns={[{ title, silent: true }, ...figures]}>
              {#each (key === "day" ? (sums[key] ?? []).toReversed() : (sums[key] ?? [])).slice(0, 8) as r (r.keys[0])}
                <tr class="border-t border-rule"
                  ><td class="max-w-[8rem] truncate py-1.5" title={r.keys[0]}>{r.keys[0]}</td><td
                    class="text-right tabular-nums">{r.errands}</td
                  ><td class="text-right tabular-nums">{r.works - r.kept}</td><td
                    class="text-right tabular-nums">{r.kept}</td
                  ><td class="text-right whitespace-nowrap tabular-nums">{size(r.bytes)}</td><td
                    class="text-right tabular-nums">{r.cost ? shortMoney(r.cost) : "–"}</td
                  ></tr>
              {/each}
            </Table>
          </section>
        {/each}
      </div>
    {/if}
  {:else}
    <p class="text-faded">Adding up …</p>
  {/if}
</div>
