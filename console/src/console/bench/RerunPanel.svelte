<!-- Runs a reply again from a step on, with something changed. -->
<script lang="ts">
  import Play from "@lucide/svelte/icons/play";
  import { toast } from "svelte-sonner";
  import * as making from "../../api/making";
  import type { Schemas } from "../../pageData";
  import { complain, state as app } from "../state.svelte";
  import { settingsOf, written, type Edits } from "./edits";
  import { aboutMoney } from "../money";

  interface Props {
    /** The trace that is looked at. */
    trace: Schemas["Inside"];
    /** The step that it begins with. */
    step: Schemas["Span"];
    /** The brief of then. */
    brief: string;
    /** The text of the desk's recipe. Default: it is not known. */
    source?: string;
    /** Called with what came of it, and with what was changed. */
    ran: (t: Schemas["Inside"], e: Edits) => void;
  }

  let { trace, step, brief, source = "", ran }: Props = $props();

  // svelte-ignore state_referenced_locally
  const original = {
    brief,
    set: $state.snapshot(step.set ?? {}) as Record<string, unknown>,
    call: $state.snapshot(step.calls?.[0]),
  };
  const settings = (original.call?.settings ?? {}) as Record<string, unknown>;
  let newBrief = $state(original.brief);
  let system = $state(String(original.set.system ?? ""));
  let user = $state(String(original.set.user ?? ""));
  let model = $state(original.call?.model ?? "");
  let temperature = $state(String(settings.temperature ?? ""));
  let longest = $state(String(settings.max_tokens ?? ""));
  let instruction = $state(String(original.set.instruction ?? ""));
  let messages = $state(original.call?.messages?.map((m) => ({ ...m })) ?? []);
  let byHand = $state(false);
  // Steps of other kinds show their settings and inputs as JSON.
  const asJSON = (v: unknown) => JSON.stringify(v ?? {}, null, 2);
  // svelte-ignore state_referenced_locally
  const inputs = asJSON(step.in);
  let settingsText = $state(asJSON(original.set));
  let inputsText = $state(inputs);
  // svelte-ignore state_referenced_locally
  const recipeSettings = settingsOf(source);
  let chosen = $state<Record<string, string>>({});
  let running = $state(false);

  const generates = $derived(step.do === "generate");
  const other = $derived(!["generate", "compose", "rewrite", "group"].includes(step.do));
  const top = $derived(step.step.split("/")[0]!);
  /** What it cost the last time, from this step on. */
  const alone = $derived(cost((s) => s.step === step.step || s.step.startsWith(top + "/")));
  const following = $derived(cost((s) => s.start >= step.start - 1e-9));
  function cost(of: (s: Schemas["Span"]) => boolean): number {
    return trace.spans
      .filter(of)
      .reduce((sum, s) => sum + (s.calls ?? []).reduce((c, m) => c + m.cost, 0), 0);
  }

  function edits(): Edits {
    const e: Edits = {};
    const set: Record<string, unknown> = {};
    const sampling: Record<string, unknown> = {};
    if (newBrief !== original.brief) e.brief = newBrief;
    if (step.do === "compose") {
      if (system !== String(original.set.system ?? "")) set.system = system;
      if (user !== String(original.set.user ?? "")) set.user = user;
    }
    if (step.do === "rewrite" && instruction !== String(original.set.instruction ?? ""))
      set.instruction = instruction;
    if (generates) {
      // What the step does not set itself is the desk's to set.
      const put = (key: string, v: unknown) => ((key in original.set ? set : sampling)[key] = v);
      if (model !== original.call?.model) {
        if ("model" in original.set || step.step.includes("/")) set.model = model;
        else e.model = model;
      }
      if (temperature !== String(settings.temperature ?? "") && temperature !== "")
        put("temperature", Number(temperature));
      if (longest !== String(settings.max_tokens ?? "") && longest !== "") put("max_tokens", Number(longest));
      if (byHand && JSON.stringify(messages) !== JSON.stringify(original.call?.messages))
        e.inputs = { [step.step]: { prompt: messages } };
    }
    if (other) {
      const typed = JSON.parse(settingsText) as Record<string, unknown>;
      for (const [key, v] of Object.entries(typed))
        if (JSON.stringify(v) !== JSON.stringify(original.set[key])) set[key] = v;
      const given = JSON.parse(inputsText) as Record<string, unknown>;
      const changed = Object.entries(given).filter(
        ([key, v]) => JSON.stringify(v) !== JSON.stringify(step.in?.[key]),
      );
      if (changed.length) e.inputs = { [step.step]: Object.fromEntries(changed) as Record<string, never> };
    }
    if (Object.keys(set).length) e.set = { [step.step]: set as Record<string, never> };
    const settled = Object.entries(chosen).filter(([, v]) => v?.trim());
    if (settled.length)
      e.settings = Object.fromEntries(settled.map(([k, v]) => [k, written(v)])) as Edits["settings"];
    if (Object.keys(sampling).length) e.sampling = sampling as Edits["sampling"];
    return e;
  }

  async function run(onlyThis: boolean) {
    let e: Edits;
    try {
      e = edits();
    } catch {
      toast.error("What you typed is not JSON. Look for a missing comma or quotation mark.");
      return;
    }
    running = true;
    // Another brief is another prompt: what is made of it runs too.
    const from = e.brief !== undefined && step.do !== "compose" ? composer() : top;
    try {
      ran(await making.rerun(trace.id, { ...e, step: from, alone: onlyThis && from === top }), e);
    } catch (err) {
      complain(err);
    } finally {
      running = false;
    }
  }

  /** The first step that composes a prompt, or the first of all. */
  const composer = () =>
    trace.spans.find((s) => s.do === "compose" && s.parent < 0)?.step ?? trace.spans[0]!.step.split("/")[0]!;
  const models = $derived(app.models.filter((m) => m.can.includes("chat")));
</script>

<form
  class="mt-3 rounded border border-rule bg-leaf px-4 py-3 text-note"
  onsubmit={(e) => (e.preventDefault(), run(false))}>
  <p class="font-semibold">Change something and run it again</p>
  <p class="text-fine text-faded">The visitor’s conversation is not touched.</p>
  <label class="mt-3 block text-fine"
    >Brief <textarea class="field mt-1 font-serif" rows="4" bind:value={newBrief}></textarea></label>
  {#if step.do === "compose"}
    <label class="mt-2 block text-fine"
      >Template of the instructions <textarea
        class="field mt-1 font-mono !text-fine"
        rows="4"
        bind:value={system}></textarea
      ></label>
    <label class="mt-2 block text-fine"
      >Template of the question <textarea class="field mt-1 font-mono !text-fine" rows="2" bind:value={user}
      ></textarea
      ></label>
  {/if}
  {#if step.do === "rewrite"}
    <label class="mt-2 block text-fine"
      >Instruction (empty: the usual one) <textarea class="field mt-1" rows="3" bind:value={instruction}
      ></textarea
      ></label>
  {/if}
  {#if other}
    {#if Object.keys(original.set).length}<label class="mt-2 block text-fine"
        >Settings, as JSON <textarea
          class="field mt-1 font-mono !text-fine"
          rows="5"
          bind:value={settingsText}></textarea
        ></label
      >{/if}
    {#if inputs !== "{}"}<label class="mt-2 block text-fine"
        >Inputs, as JSON, for this question only <textarea
          class="field mt-1 font-mono !text-fine"
          rows="5"
          bind:value={inputsText}></textarea
        ></label
      >{/if}
  {/if}
  {#if generates && original.call}
    <div class="mt-2 flex flex-wrap gap-3">
      <label class="text-fine"
        >Model
        <select class="field mt-1" bind:value={model}>
          {#each models as m (m.connection + "/" + m.name)}<option value="{m.connection}/{m.name}"
              >{m.name}</option
            >{/each}
        </select>
      </label>
      <label class="w-28 text-fine"
        >Temperature <input
          class="field mt-1"
          type="number"
          min="0"
          max="2"
          step="0.1"
          bind:value={temperature} /></label>
      <label class="w-28 text-fine"
        >Longest, tokens <input class="field mt-1" type="number" min="1" bind:value={longest} /></label>
    </div>
    <label class="mt-3 flex min-h-7 items-center gap-2 text-fine"
      ><input type="checkbox" bind:checked={byHand} /> Write the prompt by hand, for this question only</label>
    {#if byHand}
      {#each messages as m, i (i)}
        <label class="mt-2 block text-fine text-faded"
          >{m.role}
          <textarea
            class="field mt-1 font-serif text-ink"
            rows={m.role === "system" ? 4 : 2}
            bind:value={m.content}></textarea
          ></label>
      {/each}
    {/if}
  {/if}
  {#if recipeSettings.length}
    <fieldset class="mt-3 border-t border-rule pt-2">
      <legend class="text-fine font-semibold">Settings of the recipe</legend>
      <p class="text-fine text-faded">With one of these changed all of it runs again.</p>
      <div class="mt-1 flex flex-wrap gap-3">
        {#each recipeSettings as s (s.name)}
          <label class="max-w-64 min-w-40 text-fine"
            >{s.title}
            {#if s.choices}
              <select class="field mt-1" bind:value={chosen[s.name]}>
                <option value={undefined}>as the desk has it</option>
                {#each s.choices as c (c)}<option value={c}>{c}</option>{/each}
              </select>
            {:else}
              <input class="field mt-1" placeholder="as the desk has it" bind:value={chosen[s.name]} />
            {/if}
          </label>
        {/each}
      </div>
    </fieldset>
  {/if}
  <div class="mt-3 flex flex-wrap items-center gap-3">
    <button class="button-main" disabled={running}
      ><Play size={14} aria-hidden="true" /> {running ? "Running …" : "Run this and what follows"}</button>
    <button type="button" class="button-plain bg-paper" disabled={running} onclick={() => run(true)}
      >This step alone</button>
    {#if following}<span class="text-fine text-faded"
        >{aboutMoney(following)}, alone {aboutMoney(alone)}, going by the last time</span
      >{/if}
  </div>
</form>
