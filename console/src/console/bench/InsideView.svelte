<!-- The inside of a reply. -->
<script lang="ts">
  import { onDestroy, untrack } from "svelte";
  import { toast } from "svelte-sonner";
  import { parse } from "yaml";
  import * as making from "../../api/making";
  import { pageData, type Schemas } from "../../pageData";
  import RecipeGraph from "../RecipeGraph.svelte";
  import { complain, state as app } from "../state.svelte";
  import { ago } from "../time";
  import Changed from "./Changed.svelte";
  import { applied, publishable, type Edits } from "./edits";
  import { Inside, replyOf, span } from "./inside.svelte";
  import { madeIn, pictureOf } from "../pictures";
  import { exactMoney, money } from "../money";
  import RerunPanel from "./RerunPanel.svelte";
  import StepDetail from "./StepDetail.svelte";
  import Timeline from "./Timeline.svelte";
  import Link from "../../ui/Link.svelte";

  interface Props {
    /** Of a trace or a turn. */
    id: string;
    /** The address of the desk. */
    slug: string;
  }

  let { id, slug }: Props = $props();

  const inside = new Inside();
  let chosen = $state(-1);
  let shown = $state<"timeline" | "recipe">("timeline");
  let changing = $state(false);
  let recipe = $state<Schemas["Recipe"] | null>(null);
  let file = $state("");
  let tried = $state<{ trace: Schemas["Inside"]; edits: Edits }[]>([]);
  let publishing = $state(false);

  $effect(() => {
    void id;
    untrack(() => {
      chosen = -1;
      changing = false;
      tried = [];
      void load();
    });
  });
  onDestroy(() => inside.close());

  async function load() {
    void app.readModels();
    await inside.look(id);
    const t = inside.trace;
    if (!t) return;
    try {
      recipe = await making.readDeskRecipe(slug);
      file = t.revision
        ? ((await making.readRevision(slug, t.revision)).file ?? "")
        : (await making.readDraft(slug)).file;
      tried = await Promise.all(
        t.reruns.map(async (r) => ({
          trace: await making.readInside(r.id),
          edits: (r.edits ?? {}) as Edits,
        })),
      );
    } catch (e) {
      complain(e);
    }
  }

  const trace = $derived(inside.trace);
  const step = $derived(trace?.spans[chosen >= 0 ? chosen : slowest(trace.spans)]);
  const brief = $derived.by(() => {
    try {
      return String((parse(file) as { brief?: string } | null)?.brief ?? "").trim();
    } catch {
      return "";
    }
  });
  const states = $derived(Object.fromEntries((trace?.spans ?? []).map((s) => [s.step, s.state])));

  /** The step that took longest is what is looked at first; a failed one before it. */
  function slowest(spans: Schemas["Span"][]): number {
    const failed = spans.findIndex((s) => s.state === "failed" && s.do !== "group");
    if (failed >= 0) return failed;
    let at = 0;
    spans.forEach((s, i) => {
      if (s.do !== "group" && s.seconds >= spans[at]!.seconds) at = i;
    });
    return at;
  }

  function ran(t: Schemas["Inside"], e: Edits) {
    tried = [{ trace: t, edits: e }, ...tried];
    document.getElementById("tried")?.scrollIntoView({ block: "nearest" });
  }

  const words = (e: Edits): string =>
    [
      e.brief !== undefined && "another brief",
      e.model && `model ${e.model}`,
      ...Object.entries(e.sampling ?? {}).map(([k, v]) => `${k} ${v}`),
      ...Object.entries(e.set ?? {}).flatMap(([s, set]) => Object.keys(set).map((k) => `${k} of ${s}`)),
      ...Object.entries(e.settings ?? {}).map(
        ([k, v]) => `${k}: ${typeof v === "string" ? v : JSON.stringify(v)}`,
      ),
      e.inputs && Object.keys(e.inputs).length && "a prompt by hand",
    ]
      .filter(Boolean)
      .join(", ") || "nothing changed";

  async function publish(e: Edits) {
    publishing = true;
    try {
      const now = (await making.readDesk(slug)).file ?? file;
      const text = applied(now, recipe?.source ?? "", recipe?.name ?? "own", e);
      const done = await making.publish(text, `from the bench: ${words(e)}`.slice(0, 300));
      toast(`Revision ${done.published} is published`, { duration: 10_000 });
    } catch (err) {
      complain(err);
    } finally {
      publishing = false;
    }
  }
</script>

{#snippet made(t: Schemas["Inside"])}
  <ul class="mt-2 flex flex-wrap gap-2">
    {#each madeIn(t) as id (id)}
      <li>
        <a href={pictureOf(id)} target="_blank" rel="noopener"
          ><img class="h-40 rounded border border-rule" src={pictureOf(id)} alt="What was made" /></a>
      </li>
    {/each}
  </ul>
{/snippet}

{#if inside.problem}
  <p class="px-6 pt-12 font-serif text-lead">{inside.problem}</p>
{:else if trace && step}
  <div class="px-4 pt-4 pb-16 sm:px-6">
    <div class="flex flex-wrap items-baseline gap-x-4 gap-y-1">
      <h2 class="min-w-0 flex-1 font-serif text-lead leading-snug font-semibold break-words">
        {trace.question}
      </h2>
      <span class="flex gap-3 text-fine">
        <Link href="{pageData.base}/api/traces/{trace.id}?whole=yes">JSON</Link>
        <Link href="{pageData.base}/api/traces/{trace.id}?format=otlp">OTLP</Link>
      </span>
    </div>
    <p class="mt-1 text-fine text-faded" role="status">
      {trace.live ? "Being made now" : `${trace.state}, ${ago(trace.started_at)}`}, {trace.revision
        ? `revision ${trace.revision}`
        : "the draft"}, recipe {trace.recipe}, {span(trace.seconds)}, {trace.calls}
      {trace.calls === 1 ? "call" : "calls"}, {trace.prompt_tokens} tokens in, {trace.reply_tokens} out{trace.cost
        ? `, ${money(trace.cost)}`
        : ""}{trace.retries ? `, ${trace.retries} tried again` : ""}
    </p>
    {#if trace.problem}<p class="mt-2 problem text-note">
        It failed: {trace.problem}.
      </p>{/if}

    {#if trace.thinned}
      <p class="mt-4 text-note">
        Only these figures are left of this reply: it is older than traces are kept whole.
      </p>
    {:else}
      <div
        class="mt-3 mb-2 flex w-fit rounded border border-rule text-sm"
        role="group"
        aria-label="How the steps are shown">
        <button
          class={["min-h-8 px-3", shown === "timeline" && "bg-leaf font-semibold"]}
          aria-pressed={shown === "timeline"}
          onclick={() => (shown = "timeline")}>Timeline</button>
        <button
          class={["min-h-8 px-3", shown === "recipe" && "bg-leaf font-semibold"]}
          aria-pressed={shown === "recipe"}
          onclick={() => (shown = "recipe")}>Graph</button>
      </div>
      {#if shown === "timeline"}
        <Timeline {trace} chosen={trace.spans.indexOf(step)} choose={(at) => (chosen = at)} />
      {:else if recipe}
        <RecipeGraph
          drawing={recipe.drawing}
          {states}
          choose={(name) => (chosen = trace.spans.findIndex((s) => s.step === name))} />
      {/if}

      <div class="mt-5 border-t border-rule pt-4">
        {#if !trace.live}
          <button
            class={["button-plain !min-h-8", changing ? "mb-1 ml-auto !flex w-fit" : "float-right mb-2 ml-3"]}
            aria-expanded={changing}
            onclick={() => (changing = !changing)}>{changing ? "Cancel" : "Run again from here"}</button>
        {/if}
        {#if changing}
          {#key step.step}<RerunPanel {trace} {step} {brief} {ran} source={recipe?.source} />{/key}
        {/if}
        {#if tried.length}
          <section class="clear-both mt-5" id="tried" aria-label="What was tried">
            {#each tried as t (t.trace.id)}
              <article class="mt-4 rounded border border-rule">
                <p
                  class={[
                    "flex flex-wrap items-center justify-between gap-2 border-b border-rule bg-leaf px-4 py-2",
                    "text-fine",
                  ]}>
                  <span><strong>Tried:</strong> {words(t.edits)}</span>
                  {#if publishable(t.edits) && words(t.edits) !== "nothing changed" && t.trace.state === "done"}
                    <button
                      class="button-main !min-h-8"
                      disabled={publishing}
                      onclick={() => publish(t.edits)}>Publish as a revision</button>
                  {/if}
                </p>
                <div class="grid gap-x-6 px-4 py-3 md:grid-cols-2">
                  <div class="min-w-0">
                    <p class="text-mini text-faded">
                      As it was: {span(trace.seconds)}, {trace.prompt_tokens} + {trace.reply_tokens} tokens,
                      {exactMoney(trace.cost)}
                    </p>
                    <p class="mt-1 font-serif text-note leading-relaxed break-words whitespace-pre-wrap">
                      {replyOf(trace)}
                    </p>
                    {@render made(trace)}
                  </div>
                  <div class="min-w-0">
                    <p class="text-mini text-faded">
                      As tried: {span(t.trace.seconds)}, {t.trace.prompt_tokens} + {t.trace.reply_tokens} tokens,
                      {exactMoney(t.trace.cost)}
                    </p>
                    <div class="mt-1">
                      {#if t.trace.problem}<p class="text-wrong">{t.trace.problem}</p>
                      {:else if replyOf(t.trace) === replyOf(trace) && !madeIn(t.trace).length}<p
                          class="text-note text-faded">
                          The same, word for word.
                        </p>
                      {:else}<Changed older={replyOf(trace)} newer={replyOf(t.trace)} />{/if}
                      {@render made(t.trace)}
                    </div>
                  </div>
                </div>
              </article>
            {/each}
          </section>
        {/if}
        <div class="clear-both pt-3"><StepDetail {step} trace={trace.id} /></div>
      </div>
    {/if}
  </div>
{:else}
  <p class="px-6 pt-16 text-faded">Looking inside …</p>
{/if}
