<!-- Has models sit a quiz: which, with what at hand, how often. -->
<script lang="ts">
  import { onMount } from "svelte";
  import * as trials from "../../api/trials";
  import type { Schemas } from "../../pageData";
  import Field from "../../ui/Field.svelte";
  import { namesOf } from "../models";
  import { router } from "../router.svelte";
  import { act, complain, state as app } from "../state.svelte";

  interface Props {
    /** The id of the quiz. */
    quiz: string;
    /** Its questions. */
    content: Schemas["Quiz"];
  }

  let { quiz, content }: Props = $props();

  type AtHand = Schemas["Candidate"]["at_hand"];
  const hands: [AtHand, string, string][] = [
    ["nothing", "Out of its head", "only the question and its options"],
    ["shelves", "With the desk’s shelves", "what a search of them finds for the question"],
    ["text", "With the text", "the part that the question was made of"],
    ["desk", "As the desk is", "the desk’s own brief and recipe"],
  ];

  let desk = $state("");
  let models = $state<string[]>([]);
  let atHand = $state<AtHand[]>(["nothing"]);
  let temperatures = $state("");
  let times = $state(1);
  let anew = $state(false);

  onMount(() => {
    Promise.all([app.readDesks(), app.readModels()])
      .then(() => (desk = desks[0]?.slug ?? ""))
      .catch(complain);
  });

  const names = $derived(namesOf(app.models, "chat"));
  const desks = $derived(
    (app.desks ?? []).filter((d) => d.published && (!d.model || names.includes(d.model))),
  );
  const own = $derived(app.desks?.find((d) => d.slug === desk)?.model ?? "");
  const warmth = $derived(temperatures.split(/[\s,;]+/).filter(Boolean));
  const wrongWarmth = $derived(warmth.find((t) => !(+t >= 0 && +t <= 2)));
  const hasText = $derived(content.questions.some((q) => q.source));
  const candidates = $derived(
    (models.length ? models : [""]).flatMap((model) =>
      atHand.flatMap((at_hand) =>
        (warmth.length ? warmth : [""]).map((t) => ({
          title: "",
          desk,
          model: model || undefined,
          at_hand,
          sampling: t ? { temperature: +t } : undefined,
        })),
      ),
    ),
  );
  const answers = $derived(candidates.length * content.questions.length * times);
  const most = 8;

  const begin = (e: SubmitEvent) => {
    e.preventDefault();
    void act(async () => {
      const r = await trials.beginRun({ quiz_id: quiz, candidates, times, anew });
      router.go(`quizzes/runs/${r.run.id}`);
    }, "They sit it now");
  };
</script>

<form class="mt-6 max-w-[52rem]" onsubmit={begin}>
  <p class="text-note text-faded">
    Find out what models know by themselves, and what reading brings. Each question is asked with its options
    in another order every time; every answer can be opened in the bench. What was asked before is not asked,
    or paid for, again.
  </p>
  <div class="mt-5 grid gap-x-8 gap-y-5 sm:grid-cols-2">
    <Field label="Desk" help="Whose model, settings and shelves they have.">
      <select class="field" bind:value={desk}>
        {#each desks as d (d.slug)}<option value={d.slug}>{d.title}</option>{/each}
      </select>
    </Field>
    <div class="grid grid-cols-2 gap-4">
      <Field label="Times each" help="1 to 20">
        <input class="field" type="number" min="1" max="20" required bind:value={times} /></Field>
      <Field
        label="Temperatures"
        help={wrongWarmth ? "numbers from 0 to 2, like 0, 0.7" : "the desk’s, if empty"}>
        <input
          class="field"
          placeholder="0, 0.7"
          bind:value={temperatures}
          aria-invalid={!!wrongWarmth} /></Field>
    </div>
    <fieldset>
      <legend class="text-sm font-semibold">Models</legend>
      <div class="mt-1.5 max-h-52 overflow-y-auto">
        {#each names as name (name)}
          <label class="flex min-h-8 items-center gap-2 text-note">
            <input type="checkbox" class="size-4 accent-accent" value={name} bind:group={models} />
            <span class="min-w-0 break-words">{name}</span>{#if name === own}<span
                class="text-fine text-faded">the desk’s</span
              >{/if}
          </label>
        {/each}
      </div>
      <p class="mt-1 text-fine text-faded">The desk’s, if you choose none.</p>
    </fieldset>
    <fieldset>
      <legend class="text-sm font-semibold">At hand</legend>
      <div class="mt-1.5">
        {#each hands as [key, name, about] (key)}
          <label class="flex items-baseline gap-2 py-1 text-note">
            <input
              type="checkbox"
              class="size-4 translate-y-0.5 accent-accent"
              value={key}
              disabled={key === "text" && !hasText}
              bind:group={atHand} />
            <span>{name}<span class="block text-fine text-faded">{about}</span></span>
          </label>
        {/each}
      </div>
    </fieldset>
  </div>
  <label class="mt-4 flex items-center gap-2 text-note">
    <input type="checkbox" class="size-4 accent-accent" bind:checked={anew} />
    Ask also what was asked before
  </label>
  <div class="mt-5 flex flex-wrap items-center gap-4">
    <button
      class="button-main"
      disabled={!desk || !candidates.length || candidates.length > most || !!wrongWarmth || !(times >= 1)}
      >Have them sit it</button>
    <p class="text-fine text-faded" role="status">
      {candidates.length === 1 ? "One sits it" : `${candidates.length} sit it`}: {answers}
      {answers === 1 ? "answer" : "answers"} at most{candidates.length > most
        ? `; take at most ${most} at once`
        : ""}.
    </p>
  </div>
</form>
