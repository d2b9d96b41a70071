<!-- How a shelf is split and searched. -->
<script lang="ts">
  import { exactMoney, money } from "../money";
  import Link from "../../ui/Link.svelte";
  // How a shelf is split, searched and embedded.
  import Dialog from "../../ui/Dialog.svelte";
  import { onMount } from "svelte";
  import * as shelves from "../../api/shelves";
  import type { Schemas } from "../../pageData";
  import { act, complain, sentence, state as app } from "../state.svelte";

  interface Props {
    /** The address of the shelf. */
    slug: string;
    /** Whether it is shown. */
    open: boolean;
    /** Called when they are kept. */
    changed: () => Promise<void>;
  }

  let { slug, open = $bindable(), changed }: Props = $props();

  type Settings = Schemas["ShelfSettings"];
  let s = $state<Settings | null>(null);
  let embedding = $state<Schemas["ShelfEmbedding"] | null>(null);
  let least = $state<Schemas["ShelfLeast"] | null>(null);
  let problem = $state("");
  let saving = $state(false);

  const embedders = $derived(app.models.filter((m) => m.can.includes("embeddings")));
  const numbers: { title: string; of: [keyof Settings, string, string, number | "any"][] }[] = [
    {
      title: "Passages",
      of: [
        [
          "tokens",
          "Tokens",
          "in a passage, at most; usually 310, about 230 English words. A change has all documents read anew",
          1,
        ],
        [
          "overlap",
          "Overlap",
          "tokens at the end of a passage that the next one begins with; usually 155",
          1,
        ],
      ],
    },
    {
      title: "Search by words",
      of: [
        [
          "title_weight",
          "In the title",
          "what a word counts there, where it counts 1 in the text; usually 3",
          "any",
        ],
        [
          "expand",
          "Other words",
          "that mean the same, looked for as well, for each word of a question; usually 6",
          1,
        ],
        [
          "k1",
          "Repetition",
          "how much a word counts more that is said often: 0 not at all, 2 much (k1 of BM25)",
          "any",
        ],
        ["b", "Length", "how far long passages are held back: 0 not at all, 1 fully (b of BM25)", "any"],
      ],
    },
  ];

  const count = (n: number) => n.toLocaleString("en");

  function spentSoFar(e: Schemas["ShelfEmbedding"]): string {
    const cost = e.spent_cost ? `, ${money(e.spent_cost)}` : "";
    return `So far ${count(e.spent_tokens)} tokens${cost}.`;
  }

  async function follow() {
    try {
      embedding = await shelves.readEmbedding(slug);
    } catch (e) {
      complain(e);
    }
  }

  onMount(() => {
    void (async () => {
      try {
        s = await shelves.readSettings(slug);
        shelves.readLeast(slug).then((l) => (least = l), complain);
        if (!app.models.length) await app.readModels();
      } catch (e) {
        complain(e);
      }
    })();
    void follow();
    const again = setInterval(
      () => embedding?.model && embedding.embedded < embedding.passages && follow(),
      1500,
    );
    return () => clearInterval(again);
  });

  /** What a threshold does, as far as is known here. */
  function does(at: number, l: Schemas["ShelfLeast"]): string {
    const own = l.openers.filter((o) => o.own);
    const others = l.openers.filter((o) => !o.own);
    const measured = l.measured.find((m) => m.least >= at - 0.001);
    return [
      own.length
        ? `It refuses ${own.filter((o) => o.answers < at).length} of the ${own.length} openers of desks that answer from this shelf.`
        : "",
      others.length
        ? `It lets through ${others.filter((o) => o.answers >= at).length} of the ${others.length} openers of desks that answer from others.`
        : "",
      measured
        ? `Measured on manuals: of 100 questions that they answer it refuses ${Math.round(100 * measured.refused)}, of 100 that others are asked it lets ${Math.round(100 * measured.let_through)} through.`
        : "",
    ]
      .filter(Boolean)
      .join(" ");
  }

  async function save(e: SubmitEvent) {
    e.preventDefault();
    saving = true;
    problem = "";
    try {
      s = await shelves.changeShelf(slug, $state.snapshot(s)!);
      await Promise.all([changed(), follow()]);
      if (!embedding?.priced || embedding.embedded === embedding.passages) open = false;
    } catch (e) {
      problem = sentence(e);
    }
    saving = false;
  }

  const embed = () =>
    act(async () => (await shelves.embed(slug), await follow()), "The passages are being embedded");
</script>

<Dialog
  bind:open
  title="Settings of this shelf"
  about="The usual values were measured to serve well. Try a question on the shelf’s page before and after a change."
  width="42rem">
  {#if s}
    <form class="mt-4 text-note" onsubmit={save}>
      <label class="block">Title <input class="field mt-1" maxlength="80" bind:value={s.title} /></label>
      {#each numbers as group (group.title)}
        <fieldset class="mt-5">
          <legend class="font-semibold">{group.title}</legend>
          {#each group.of as [name, title, about, step] (name)}
            <label
              class="mt-1.5 grid grid-cols-[6.5rem_6rem_1fr] items-center gap-x-3 max-sm:grid-cols-[1fr_6rem]">
              <span>{title}</span>
              <input
                class="field !min-h-8 text-right tabular-nums"
                type="number"
                {step}
                bind:value={s[name]} />
              <span class="text-fine text-faded max-sm:col-span-2">{about}</span>
            </label>
          {/each}
        </fieldset>
      {/each}
      <fieldset class="mt-5">
        <legend class="font-semibold">Search by meaning</legend>
        <label class="mt-1.5 grid grid-cols-[6.5rem_1fr] items-center gap-x-3">
          <span>Meaning from</span>
          <select class="field !min-h-8" bind:value={s.embedding}>
            <option value="">the built-in word list (English; no model is asked)</option>
            {#each embedders as m (m.connection + m.name)}
              <option value="{m.connection}/{m.name}"
                >{m.name}, {m.price.in
                  ? `${exactMoney(m.price.in)} per million tokens`
                  : "without a price"}</option>
            {/each}
            {#if s.embedding && !embedders.some((m) => `${m.connection}/${m.name}` === s!.embedding)}<option
                value={s.embedding}>{s.embedding}</option
              >{/if}
          </select>
        </label>
        <label
          class="mt-1.5 grid grid-cols-[6.5rem_6rem_1fr] items-center gap-x-3 max-sm:grid-cols-[1fr_6rem]">
          <span>Weight</span>
          {#if s.embedding}<input
              class="field !min-h-8 text-right tabular-nums"
              type="number"
              step="any"
              bind:value={s.meaning_weight} />
          {:else}<input
              class="field !min-h-8 text-right tabular-nums"
              type="number"
              step="any"
              bind:value={s.vector_weight} />{/if}
          <span class="text-fine text-faded max-sm:col-span-2"
            >what the meaning counts, where the words count 1; 0 leaves it out</span>
        </label>
        <label
          class="mt-1.5 grid grid-cols-[6.5rem_6rem_1fr] items-center gap-x-3 max-sm:grid-cols-[1fr_6rem]">
          <span>Sentences</span>
          <input
            class="field !min-h-8 text-right tabular-nums"
            type="number"
            step="any"
            bind:value={s.sense_weight} />
          <span class="text-fine text-faded max-sm:col-span-2"
            >what the meaning of sentences counts (English); 0 leaves it out{#if embedding?.to_sense}.
              {embedding.sensed === embedding.to_sense
                ? "All documents are read."
                : `${count(embedding.sensed)} of ${count(embedding.to_sense)} documents are read so far.`}{/if}</span>
        </label>
        {#if embedding?.model}
          <div class="mt-2 rounded bg-leaf px-3 py-2 text-note" role="status">
            <p>
              {embedding.model} has embedded {count(embedding.embedded)} of
              {count(embedding.passages)} passages.
              {#if embedding.spent_tokens}{spentSoFar(embedding)}{/if}
            </p>
            {#if embedding.embedded < embedding.passages}
              <p class="mt-1">
                The rest takes about {count(embedding.tokens)} tokens{#if embedding.priced}, <strong
                    >{money(embedding.cost)}</strong
                  >{/if}.
                {#if embedding.priced}<Link class="ml-2 min-h-7 font-semibold" onclick={embed}
                    >Embed them</Link
                  >{/if}
              </p>
            {/if}
            {#if embedding.problem}<p class="mt-1 border-l-2 border-wrong pl-2">
                It stopped: {embedding.problem}
              </p>{/if}
          </div>
        {/if}
      </fieldset>
      <fieldset class="mt-5">
        <legend class="font-semibold">Weighing what was found</legend>
        <label
          class="mt-1.5 grid grid-cols-[6.5rem_6rem_1fr] items-center gap-x-3 max-sm:grid-cols-[1fr_6rem]">
          <span>How many</span>
          <input
            class="field !min-h-8 text-right tabular-nums"
            type="number"
            step="1"
            bind:value={s.candidates} />
          <span class="text-fine text-faded max-sm:col-span-2"
            >of the best passages are read once more and put in a new order; usually 90, 0 for none</span>
        </label>
        <label
          class="mt-1.5 grid grid-cols-[6.5rem_6rem_1fr] items-center gap-x-3 max-sm:grid-cols-[1fr_6rem]">
          <span>Enough</span>
          <input
            class="field !min-h-8 text-right tabular-nums"
            type="number"
            step="0.05"
            min="0"
            max="1"
            bind:value={s.least} />
          <span class="text-fine text-faded max-sm:col-span-2"
            >how likely, 0 to 1, something found must answer for the documents to count as answering; usually
            0.35</span>
        </label>
        {#if least && s.least !== undefined}<p class="mt-1 text-fine text-faded" role="status">
            {does(s.least, least)}
          </p>{/if}
        <label class="mt-2 flex items-start gap-2"
          ><input class="mt-1 accent-accent" type="checkbox" bind:checked={s.distinct} />
          <span>Leave out what says nearly the same as something better</span></label>
        <label class="mt-1 flex items-start gap-2"
          ><input class="mt-1 accent-accent" type="checkbox" bind:checked={s.rephrase} />
          <span
            >Have the desk’s model put the question in other words first <span class="text-faded"
              >(asks it once more for each question)</span
            ></span
          ></label>
        <label class="mt-1 flex items-start gap-2"
          ><input class="mt-1 accent-accent" type="checkbox" bind:checked={s.choose} />
          <span
            >Have the desk’s model choose among what was found <span class="text-faded"
              >(asks it once more for each question)</span
            ></span
          ></label>
      </fieldset>
      {#if problem}<p class="mt-4 border-l-2 border-wrong pl-3" role="alert">{problem}</p>{/if}
      <p class="mt-6 flex justify-end gap-2">
        <button type="button" class="button-plain" onclick={() => (open = false)}>Close</button><button
          class="button-main"
          disabled={saving}>Save</button>
      </p>
    </form>
  {:else}<p class="mt-4 text-faded">Fetching the settings …</p>{/if}
</Dialog>
