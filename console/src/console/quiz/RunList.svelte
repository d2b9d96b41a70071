<!-- The runs in which models sat a quiz. -->
<script lang="ts">
  import * as trials from "../../api/trials";
  import type { Schemas } from "../../pageData";
  import Table from "../../ui/Table.svelte";
  import { hrefOf, router } from "../router.svelte";
  import { complain } from "../state.svelte";
  import { ago } from "../time";

  interface Props {
    /** The id of the quiz that they sat. Default: any. */
    quiz?: string;
  }

  let { quiz = "" }: Props = $props();

  let runs = $state<Schemas["RunInShort"][]>([]);
  $effect(() => {
    trials
      .listRuns(quiz)
      .then((r) => (runs = r))
      .catch(complain);
  });

  const states = { running: "goes on", done: "", stopped: "stopped" };
  const wide = "hidden sm:table-cell";
  const columns = [
    { title: "Who sat" },
    { title: "Times", number: true, class: wide },
    { title: "Answers", number: true },
    { title: "When", class: wide },
  ];
</script>

{#if runs.length}
  <h2 class="mt-10 font-serif text-title font-semibold">What models knew</h2>
  <Table label="Runs" class="mt-3" {columns}>
    {#each runs as r (r.id)}
      <tr class="border-t border-rule align-baseline">
        <td class="py-2"
          ><a class="hover:text-accent" href={hrefOf(`quizzes/runs/${r.id}`)} onclick={router.follow}
            >{#if !quiz}<span class="font-semibold">{r.title}:</span>{/if}
            {r.candidates.map((c) => c.title).join(" · ")}</a
          ></td>
        <td class={[wide, "text-right tabular-nums"]}>{r.times}</td>
        <td class="text-right tabular-nums"
          >{r.answered === r.of ? r.of : `${r.answered} of ${r.of}`}{states[r.state]
            ? `, ${states[r.state]}`
            : ""}</td>
        <td class={[wide, "text-faded"]}>{ago(r.made_at)}</td>
      </tr>
    {/each}
  </Table>
{/if}
