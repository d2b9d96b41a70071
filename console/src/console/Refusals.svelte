<!-- Who was refused since the service started because of a limit. Nothing is shown
     where nobody was. -->
<script lang="ts">
  import Table from "../ui/Table.svelte";
  import { onMount } from "svelte";
  import * as making from "../api/making";
  import type { Schemas } from "../pageData";
  import { complain } from "./state.svelte";
  import { ago } from "./time";

  let refusals = $state<Schemas["Refusal"][]>([]);

  onMount(async () => {
    try {
      refusals = (await making.readLimits()).refusals;
    } catch (e) {
      complain(e);
    }
  });

  const things: Record<string, string> = {
    questions: "questions",
    "at-once": "replies at once",
    streams: "open streams",
    conversations: "new conversations",
    uploads: "uploads",
    "uploads-at-once": "uploads at once",
    "upload-bytes": "bytes of files",
    errands: "things brought",
    "errands-at-once": "things being brought at once",
    "fetched-bytes": "bytes fetched",
  };
  const whose: Record<string, [string, string]> = {
    visitor: ["visitor", "visitors"],
    address: ["address", "addresses"],
    program: ["program", "programs"],
    desk: ["desk", "desks"],
    service: ["service", "services"],
  };

  function limitOf({ thing, whose: by, most, seconds }: Schemas["Limit"]) {
    const per = seconds === 60 ? " a minute" : seconds ? ` in ${Math.round(seconds / 60)} minutes` : "";
    return `${most.toLocaleString("en")} ${things[thing] ?? thing}${per} for a ${whose[by]?.[0] ?? by}`;
  }
  const parties = (r: Schemas["Refusal"]) =>
    `${r.parties}${r.parties === 100 ? " or more" : ""} ${whose[r.limit.whose]?.[r.parties === 1 ? 0 : 1] ?? ""}`;

  const wide = "hidden sm:table-cell";
  const columns = [
    { title: "Limit" },
    { title: "Desk", class: wide },
    { title: "Times", number: true },
    { title: "Who", class: wide },
    { title: "Last", class: wide },
  ];
</script>

{#if refusals.length}
  <section class="mt-10" aria-labelledby="refusals">
    <h2 id="refusals" class="text-note font-semibold">Refused since the service started</h2>
    <p class="mt-1 max-w-[46rem] text-fine text-faded">
      Limits keep one visitor from taking everything. Whoever meets one is told when to try again. If people
      meet them in ordinary use, raise them with the setting <code>limits</code>.
    </p>
    <Table label="Refusals" class="mt-2" small {columns}>
      {#each refusals as r (r.limit.thing + r.limit.whose + r.desk)}
        <tr class="border-t border-rule">
          <td class="py-1.5"
            >{limitOf(r.limit)}<span class="block text-faded sm:hidden"
              >{r.desk}, {parties(r)}, {ago(r.last)}</span
            ></td>
          <td class={[wide, "break-words"]}>{r.desk}</td>
          <td class="text-right tabular-nums">{r.times.toLocaleString("en")}</td>
          <td class={wide}>{parties(r)}</td>
          <td class={[wide, "whitespace-nowrap text-faded"]}>{ago(r.last)}</td>
        </tr>
      {/each}
    </Table>
  </section>
{/if}
