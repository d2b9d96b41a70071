<!-- How a recording of one's own was written down, and how it would be in another way. -->
<script lang="ts">
  import * as making from "../api/making";
  import * as speaking from "../api/speaking";
  import Link from "../ui/Link.svelte";
  import Page from "../ui/Page.svelte";
  import { pageData, type Schemas } from "../pageData";
  import Player from "../visitor/Player.svelte";
  import { clock, Recording } from "../visitor/recordings.svelte";
  import WordsChanged from "./bench/WordsChanged.svelte";
  import { namesOf } from "./models";
  import { exactMoney } from "./money";
  import { hrefOf, router } from "./router.svelte";
  import { sentence } from "./state.svelte";

  interface Props {
    /** The recording's id. */
    id: string;
  }

  let { id }: Props = $props();

  let inside = $state<Schemas["RecordingInside"] | null>(null);
  let recording = $state<Recording | null>(null);
  let problem = $state("");
  let models = $state<Schemas["Model"][]>([]);
  let at = $state(0);
  let playing = $state(false);
  // What is tried.
  let model = $state("");
  let language = $state("");
  let names = $state("");
  let task = $state<"write" | "english">("write");
  let temperature = $state<number | null>(null);
  let piece = $state(0);
  let trying = $state(false);
  let wrong = $state("");
  let tried = $state<(Schemas["RecordingTried"] & { before: string; of: string })[]>([]);

  // svelte-ignore state_referenced_locally
  speaking.recordingInside(id).then(
    (got) => {
      inside = got;
      recording = new Recording(got.recording);
      ({ model = "", task = "write" } = { model: got.model, task: got.recording.task });
      language = got.recording.language ?? "";
      names = got.recording.names ?? "";
      temperature = got.temperature ?? null;
    },
    (e) => (problem = sentence(e)),
  );
  making.listModels().then(
    (all) => (models = all),
    () => {},
  );

  const hearing = $derived(namesOf(models, "hear"));
  const cost = (p: Schemas["RecordingPiece"]) => p.calls.reduce((sum, c) => sum + c.cost, 0);
  const took = (p: Schemas["RecordingPiece"]) => p.calls.reduce((sum, c) => sum + c.seconds, 0);
  const all = $derived(inside?.sentences.map((s) => s.heard || s.text).join(" ") ?? "");

  const about =
    "How this recording was cut and heard, piece by piece. Try it in another way below; what the visitor’s page " +
    "shows stays as it is.";

  async function again(e: SubmitEvent) {
    e.preventDefault();
    if (!inside) return;
    trying = true;
    wrong = "";
    const one = inside.pieces.find((p) => p.number === piece);
    try {
      const got = await speaking.tryRecording(id, {
        model: model || undefined,
        task,
        language: language.trim() || undefined,
        names: names.trim() || undefined,
        temperature: temperature ?? undefined,
        start: one?.start,
        end: one?.end,
      });
      tried = [
        { ...got, before: one ? one.text : all, of: one ? `piece ${one.number}` : "the whole recording" },
        ...tried,
      ];
    } catch (e) {
      wrong = sentence(e);
    }
    trying = false;
  }
</script>

{#if problem}
  <Page title="No recording here" about={problem} narrow>
    <p class="mt-3 text-note text-faded">
      Recordings are their visitors’ own: makers look into those that they gave themselves, in this browser.
    </p>
    <p class="mt-6"><Link href={hrefOf("")} onclick={router.follow}>All desks</Link></p>
  </Page>
{:else if inside && recording}
  <Page title={inside.recording.name} {about}>
    <p class="mt-2 text-fine text-faded">
      At <Link href="{pageData.base}/at/{inside.desk}/{inside.recording.conversation}">{inside.desk}</Link>,
      {clock(inside.recording.seconds)}{inside.model
        ? `, heard by ${inside.model}`
        : ", not heard yet"}{inside.recording.cost ? `, ${exactMoney(inside.recording.cost)}` : ""}.
    </p>
    {#if inside.recording.kept}<div class="mt-5"><Player {recording} bind:at bind:playing /></div>{/if}

    <h2 class="mt-8 font-serif text-title font-semibold">Pieces</h2>
    <ol class="mt-2 divide-y divide-rule border-y border-rule">
      {#each inside.pieces as p (p.number)}
        <li class="grid gap-x-5 gap-y-1 py-3 sm:grid-cols-[13rem_minmax(0,1fr)]">
          <div class="text-fine">
            <p class="font-semibold">
              {p.number}.
              {#if inside.recording.kept}<button
                  class="text-accent tabular-nums hover:underline"
                  onclick={() => recording!.playFrom(p.start)}>{clock(p.start)} to {clock(p.end)}</button
                >{:else}<span class="tabular-nums">{clock(p.start)} to {clock(p.end)}</span>{/if}
            </p>
            <p class="text-faded">
              {p.number > 1
                ? p.clean
                  ? "cut in a silence"
                  : "cut while somebody speaks, with something over"
                : ""}
            </p>
            <p class="text-faded">
              {#if p.calls.length}{took(p).toFixed(1)} s{cost(p) ? `, ${exactMoney(cost(p))}` : ""}{p.calls
                  .length > 1
                  ? `, asked ${p.calls.length} times`
                  : ""}{:else if p.state === "done"}nobody speaks here{/if}
            </p>
          </div>
          <div class="min-w-0">
            {#if p.state === "failed"}<p class="border-l-2 border-wrong pl-2 text-fine">
                Not heard: {p.calls.at(-1)?.error || p.problem?.form}
              </p>
            {:else if p.state === "waiting"}<p class="text-fine text-faded">Waiting.</p>
            {:else}<p class="font-serif text-note leading-relaxed">{p.text}</p>{/if}
            {#if p.calls.at(-1)?.hearing}
              {@const asked = p.calls.at(-1)!.hearing as Record<string, unknown>}
              <p class="mt-1 text-fine text-faded">
                Asked for: {asked.translate ? "English" : "what is said"}{asked.language
                  ? `, spoken in ${asked.language}`
                  : ""}{asked.prompt ? `, names: ${asked.prompt}` : ""}{asked.words
                  ? ", with the times of words"
                  : ""}
              </p>
            {/if}
          </div>
        </li>
      {/each}
    </ol>

    {#if inside.recording.kept && inside.pieces.length}
      <h2 class="mt-10 font-serif text-title font-semibold">Try it in another way</h2>
      <form class="mt-3 grid gap-4 text-sm sm:grid-cols-3" onsubmit={again}>
        <label class="block font-semibold"
          >Model
          <select class="field mt-1" bind:value={model}>
            {#if model && !hearing.includes(model)}<option value={model}>{model}</option>{/if}
            {#each hearing as m (m)}<option value={m}>{m}</option>{/each}
          </select>
        </label>
        <label class="block font-semibold"
          >What is heard
          <select class="field mt-1" bind:value={piece}>
            <option value={0}>the whole recording</option>
            {#each inside.pieces as p (p.number)}<option value={p.number}>piece {p.number}</option>{/each}
          </select>
        </label>
        <label class="block font-semibold"
          >What becomes of it
          <select class="field mt-1" bind:value={task}>
            <option value="write">written down</option>
            <option value="english">translated into English</option>
          </select>
        </label>
        <label class="block font-semibold"
          >Language
          <input class="field mt-1" bind:value={language} maxlength="2" placeholder="found out" />
        </label>
        <label class="block font-semibold"
          >Names and spellings
          <input class="field mt-1" bind:value={names} />
        </label>
        <label class="block font-semibold"
          >Temperature
          <input
            class="field mt-1"
            type="number"
            min="0"
            max="1"
            step="0.1"
            bind:value={temperature}
            placeholder="the server’s own" />
        </label>
        <div class="sm:col-span-3">
          <button class="button-main" disabled={trying}>{trying ? "Listening …" : "Hear it again"}</button>
          {#if wrong}<p class="mt-2 text-fine text-wrong" role="alert">{wrong}</p>{/if}
        </div>
      </form>
      <div role="status">
        {#each tried as t, i (tried.length - i)}
          <section class="mt-5 rounded border border-rule px-4 py-3" aria-label="What was heard">
            <p class="mb-1.5 text-fine text-faded">
              {t.model}, {t.of}: {t.seconds.toFixed(1)} s{t.cost ? `, ${exactMoney(t.cost)}` : ""}.
              {t.text.replace(/\s+/g, " ") === t.before.replace(/\s+/g, " ")
                ? "Not a word is other."
                : "Struck out: heard before. Marked: heard now."}
            </p>
            <WordsChanged older={t.before} newer={t.text} />
          </section>
        {/each}
      </div>
    {/if}
  </Page>
{:else}
  <p class="px-6 pt-24 text-center text-faded">Fetching the recording …</p>
{/if}
