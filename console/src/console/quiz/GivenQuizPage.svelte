<!-- A quiz: its questions, the people who take it, and the models that sat it. -->
<script lang="ts">
  import * as trials from "../../api/trials";
  import type { Schemas } from "../../pageData";
  import Link from "../../ui/Link.svelte";
  import Page from "../../ui/Page.svelte";
  import CopyButton from "../../ui/CopyButton.svelte";
  import PartLinks from "../PartLinks.svelte";
  import { hrefOf, router } from "../router.svelte";
  import { act, complain, sentence } from "../state.svelte";
  import { newQuiz } from "./drafts";
  import QuestionsTab from "./QuestionsTab.svelte";
  import RunForm from "./RunForm.svelte";
  import RunList from "./RunList.svelte";

  interface Props {
    /** Its id; "new": it is still to be given. */
    id: string;
    /** Which tab is shown: questions, people or models. */
    part: string;
  }

  let { id, part }: Props = $props();

  let given = $state.raw<Schemas["GivenQuiz"] | null>(null);
  let problem = $state("");
  // svelte-ignore state_referenced_locally
  if (id !== newQuiz)
    trials.readQuiz(id).then(
      (q) => (given = q),
      (e) => ((problem = sentence(e)), complain(e)),
    );

  const pathOf = (part: string) => `quizzes/${id}${part === "questions" ? "" : "/" + part}`;
  const parts = $derived(
    [
      ["questions", "Questions"],
      ["people", "People"],
      ["models", "Models"],
    ].map(([key, name]) => ({ path: pathOf(key!), name: name! })),
  );
  const title = $derived(given?.quiz.title ?? (id === newQuiz ? "A new quiz" : "Quiz"));
  const links = $derived(
    given
      ? ([
          ["To take it", given.page, "Whoever has this link can take the quiz."],
          [
            "How it went",
            given.results_page,
            "Whoever has this one sees how it went, with the right answers.",
          ],
        ] as const)
      : [],
  );
  const full = (path: string) => new URL(path, location.href).href;

  function changed(q: Schemas["GivenQuiz"]) {
    given = q;
    if (id === newQuiz) router.go(`quizzes/${q.id}/people`, true);
  }

  const withdraw = () =>
    act(
      async () => {
        await trials.withdrawQuiz(id);
        given = { ...given!, withdrawn: true };
      },
      "Nobody can take it any more",
      restore,
    );

  async function restore() {
    await trials.restoreQuiz(id);
    given = { ...given!, withdrawn: false };
  }
</script>

<Page {title}>
  {#if problem}
    <p class="mt-6" role="alert">{problem}</p>
    <p class="mt-4"><Link href={hrefOf("quizzes")} onclick={router.follow}>All quizzes</Link></p>
  {:else if id === newQuiz}
    <p class="mt-1.5 max-w-[46rem] text-note text-faded">
      It is kept in this browser until you give it. Then it has a link by which people take it.
    </p>
    <QuestionsTab {id} given={null} {changed} />
  {:else if given}
    <div class="border-b border-rule">
      <PartLinks label="This quiz" {parts} here={pathOf(part)} />
    </div>
    {#if part === "people"}
      <div class="mt-6 max-w-[46rem] space-y-5">
        {#each links as [name, path, about] (name)}
          <div>
            <h2 class="text-note font-semibold">{name}</h2>
            <div class="mt-1.5 flex items-center gap-2">
              <input
                class="field min-w-0 flex-1"
                readonly
                value={full(path)}
                aria-label="Link: {name}"
                onfocus={(e) => e.currentTarget.select()} />
              <CopyButton text={full(path)} label="Copy" class="button-plain" />
              <a class="button-plain no-underline" href={path} target="_blank" rel="noopener">Open</a>
            </div>
            <p class="mt-1 text-fine text-faded">{about}</p>
          </div>
        {/each}
        <p class="text-note">
          Taken {given.sittings === 1 ? "once" : `${given.sittings} times`}{given.names
            ? "; people are asked for their names."
            : "; nobody is asked for a name."}
        </p>
        {#if given.withdrawn}
          <p class="text-note">
            It is withdrawn: nobody can take it.
            <Link onclick={() => void act(restore, "It can be taken again")}>Have it taken again</Link>
          </p>
        {:else}
          <button class="button-plain" onclick={() => void withdraw()}>Withdraw it</button>
        {/if}
        <p class="flex flex-wrap gap-x-5 text-note">
          Save it as
          {#each [["json", "JSON"], ["csv", "CSV"], ["qti", "QTI 3"]] as const as [format, name] (format)}
            <a class="text-accent underline underline-offset-4" href={trials.quizFile(id, format)} download
              >{name}</a>
          {/each}
        </p>
      </div>
    {:else if part === "models"}
      <RunForm quiz={id} content={given.quiz} />
      <RunList quiz={id} />
    {:else}
      <QuestionsTab {id} {given} {changed} />
    {/if}
  {:else}
    <p class="mt-10 text-faded">Fetching the quiz …</p>
  {/if}
</Page>
