<!-- The quizzes that were given, and the runs in which models sat some. -->
<script lang="ts">
  import FileUp from "@lucide/svelte/icons/file-up";
  import Plus from "@lucide/svelte/icons/plus";
  import * as trials from "../../api/trials";
  import type { Schemas } from "../../pageData";
  import Page from "../../ui/Page.svelte";
  import Table from "../../ui/Table.svelte";
  import { hrefOf, router } from "../router.svelte";
  import { complain } from "../state.svelte";
  import { ago } from "../time";
  import { draftOf, keepDraft, newQuiz } from "./drafts";
  import RunList from "./RunList.svelte";

  let quizzes = $state<Schemas["GivenQuiz"][] | null>(null);
  let picker: HTMLInputElement | undefined = $state();
  const begun = draftOf(newQuiz);
  trials
    .listQuizzes()
    .then((q) => (quizzes = q))
    .catch(complain);

  const formats: Record<string, trials.QuizFormat> = { csv: "csv", zip: "qti", xml: "qti" };

  /** Reads a quiz out of a file and opens it, to be looked at before it is given. */
  async function read(file: File | undefined) {
    if (!file) return;
    const [, title = file.name, ending = ""] = /^(.*)\.([^.]+)$/.exec(file.name) ?? [];
    try {
      const r = await trials.readFile(formats[ending.toLowerCase()] ?? "json", title, file);
      keepDraft(newQuiz, { quiz: r.quiz, names: false, edition: 0, left: r.left });
      router.go("quizzes/new");
    } catch (e) {
      complain(e);
    }
  }

  const wide = "hidden sm:table-cell";
  const columns = [
    { title: "Quiz" },
    { title: "Questions", number: true },
    { title: "Taken", number: true },
    { title: "Given", class: wide },
  ];
  const about =
    "A quiz has questions with options, of which one is right. Give it to people by a link, see what " +
    "they knew, and let models sit it: out of their heads, and with the text at hand.";
</script>

<Page title="Quizzes" {about}>
  {#snippet actions()}
    <input
      bind:this={picker}
      class="hidden"
      type="file"
      accept=".json,.csv,.zip,.xml"
      aria-label="A file with a quiz"
      onchange={(e) => (void read(e.currentTarget.files?.[0]), (e.currentTarget.value = ""))} />
    <button class="button-plain inline-flex items-center gap-2" onclick={() => picker?.click()}
      ><FileUp size={16} aria-hidden="true" />Read a file</button>
    <a
      class="button-main inline-flex items-center gap-2 no-underline"
      href={hrefOf("quizzes/new")}
      onclick={router.follow}><Plus size={16} aria-hidden="true" />{begun ? "Go on writing" : "Write one"}</a>
  {/snippet}
  {#if quizzes?.length}
    <Table label="Quizzes" class="mt-6" least="34rem" {columns}>
      {#each quizzes as q (q.id)}
        <tr class="border-t border-rule align-baseline">
          <td class="py-2.5"
            ><a
              class="font-serif text-lead font-semibold break-words no-underline hover:text-accent"
              href={hrefOf(`quizzes/${q.id}`)}
              onclick={router.follow}>{q.quiz.title}</a>
            {#if q.withdrawn}<span class="ml-2 text-faded">withdrawn</span>{/if}</td>
          <td class="text-right tabular-nums">{q.quiz.questions.length}</td>
          <td class="text-right tabular-nums">{q.sittings}</td>
          <td class={[wide, "text-faded"]}>{ago(q.made_at)} by {q.made_by}</td>
        </tr>
      {/each}
    </Table>
  {:else if quizzes}
    <p class="mt-10 max-w-[36rem] border-l-2 border-margin pl-5 font-serif text-lead leading-relaxed">
      There is no quiz yet. Write one, read one from a file (JSON, CSV, or QTI 3), or ask a desk whose recipe
      is quiz: it makes one of its documents, and below its reply you can give it to people.
    </p>
  {:else}
    <p class="mt-10 text-faded">Fetching the quizzes …</p>
  {/if}
  <RunList />
</Page>
