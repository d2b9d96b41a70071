<!-- Adds a connection, or changes one. -->
<script lang="ts">
  import Dialog from "../../ui/Dialog.svelte";
  import Field from "../../ui/Field.svelte";
  import * as making from "../../api/making";
  import { Trouble } from "../../api/service";
  import type { Schemas } from "../../pageData";
  import { router } from "../router.svelte";
  import { act, sentence, state as app } from "../state.svelte";
  import EndpointFields from "./EndpointFields.svelte";
  import { fitting, headersOf, kinds, linesOf, nameOf, newEndpoint, newProgram, type Kind } from "./kinds";
  import ModelFields from "./ModelFields.svelte";
  import ProgramFields from "./ProgramFields.svelte";
  import TryResult from "./TryResult.svelte";

  interface Props {
    /** The connection to change. Default: a new one is added. */
    was?: Schemas["Connection"];
    /** Called when it is kept. */
    done: () => Promise<void>;
  }

  let { was, done }: Props = $props();

  const empty: Schemas["Connection"] = {
    name: "",
    protocol: "chat-completions",
    address: "",
    patience: 60,
    at_once: 0,
    models: [],
    keyed: false,
    fixed: false,
  };
  // svelte-ignore state_referenced_locally
  let c = $state<Schemas["Connection"]>($state.snapshot(was) ?? empty);
  let key = $state("");
  let line = $state("");
  let found = $state<string[]>([]);
  let tried = $state<Schemas["Probe"] | null>(null);
  let problem = $state("");
  let busy = $state<"" | "look" | "try" | "curl">("");
  let own = $state("");
  let models: ReturnType<typeof ModelFields> | undefined = $state();

  const kind = $derived((c.protocol || "chat-completions") as Kind);
  const close = () => router.go("connections");
  const body = () => ({ ...fitting($state.snapshot(c)), name: c.name || "new", ...(key && { key }) });
  /** Programs and endpoints have one model as a rule, and its name is anybody's choice. */
  const named = $derived(!!c.models.length || !!own.trim() || kind !== "chat-completions");
  const mayTry = $derived((kind === "program" ? !!c.program?.run[0]?.trim() : !!c.address) && named);

  function nameModels() {
    if (!c.models.length && !own.trim() && kind !== "chat-completions")
      own = c.name || nameOf(c.program?.run[0] ?? "") || "model";
    models?.addOwn();
  }

  function turnInto(k: Kind) {
    c.protocol = k;
    if (k === "endpoint") c.endpoint ??= newEndpoint();
    if (k === "program") c.program ??= newProgram();
    tried = null;
    problem = "";
  }

  /** Does something that may fail, and says how. */
  async function doing(what: typeof busy, work: () => Promise<void>) {
    busy = what;
    problem = "";
    try {
      await work();
    } catch (e) {
      problem =
        e instanceof Trouble && e.problems.length ? e.problems.map((p) => p.message).join("; ") : sentence(e);
    }
    busy = "";
  }

  const look = () =>
    doing("look", async () => {
      found = await making.look(body());
      if (!found.length) problem = "The server answers, but lists no models. Write their names yourself.";
    });

  const tryIt = () =>
    doing("try", async () => {
      nameModels();
      tried = null;
      tried = await making.tryConnection(body());
    });

  const takeLine = () =>
    doing("curl", async () => {
      const { key: typed, ...made } = await making.fromCurl(line);
      if (made.models[0]?.name === made.name) made.models = []; // it is called as the connection will be
      c = { ...c, ...made, name: c.name || made.name, patience: c.patience, at_once: c.at_once };
      if (typed) key = typed;
      line = "";
      tried = null;
    });

  function takeManners(manners: Schemas["Manners"]) {
    if (c.models[0]) c.models[0].manners = manners;
    tried = null;
    void tryIt();
  }

  function takePlace(at: string) {
    if (c.endpoint) c.endpoint.reply = at;
    void tryIt();
  }

  async function keep(e: SubmitEvent) {
    e.preventDefault();
    nameModels();
    let kept = false;
    await doing("", async () => {
      await making.keepConnection(body());
      kept = true;
    });
    if (!kept) return;
    await act(() => Promise.all([done(), app.readModels()]), `${c.name} is kept`);
    close();
  }
</script>

<Dialog bind:open={() => true, close} title={was ? `Change ${was.name}` : "Add a connection"} width="46rem">
  <form class="mt-5 space-y-4" onsubmit={keep}>
    <fieldset class="grid gap-2 sm:grid-cols-3">
      <legend class="sr-only">What answers there</legend>
      {#each kinds as k (k.kind)}
        <label
          class={[
            "flex cursor-pointer gap-2.5 rounded-sm border p-2.5 text-sm",
            kind === k.kind ? "border-accent" : "border-rule",
          ]}>
          <input
            type="radio"
            name="kind"
            class="mt-0.5 size-4 shrink-0 accent-(--accent)"
            checked={kind === k.kind}
            disabled={!!was && kind !== k.kind}
            onchange={() => turnInto(k.kind)} />
          <span
            ><strong class="block font-semibold">{k.title}</strong><span class="text-fine text-faded"
              >{k.about}</span
            ></span>
        </label>
      {/each}
    </fieldset>
    {#if !was && kind !== "program"}
      <details class="text-sm" open={kind === "endpoint"}>
        <summary class="min-h-7 cursor-pointer font-semibold">Begin with a curl line that works</summary>
        <div class="mt-1.5 flex flex-col gap-2 sm:flex-row sm:items-end">
          <textarea
            class="field min-h-24 font-mono !text-sm"
            spellcheck="false"
            bind:value={line}
            aria-label="A curl line"
            placeholder={"curl https://… -H 'Authorization: Bearer …' -d '{\"prompt\": \"Hello\"}'"}
          ></textarea>
          <button
            type="button"
            class="button-plain shrink-0"
            disabled={!line.trim() || !!busy}
            onclick={takeLine}>{busy === "curl" ? "Reading …" : "Take it over"}</button>
        </div>
      </details>
    {/if}
    <div class="grid gap-4 sm:grid-cols-[12rem_1fr]">
      <Field label="Name">
        <input
          class="field"
          bind:value={c.name}
          readonly={!!was}
          required
          pattern="[a-z0-9]+(-[a-z0-9]+)*"
          title="Small letters, digits and single hyphens"
          placeholder="shed" />
      </Field>
      {#if kind !== "program"}
        <Field label="Address">
          <input
            class="field"
            bind:value={c.address}
            required
            placeholder={kind === "endpoint" ? "https://models.example.org" : "http://127.0.0.1:8000/v1"}
            inputmode="url" />
        </Field>
      {/if}
    </div>
    {#if kind === "program" && c.program}
      <ProgramFields
        bind:program={c.program}
        written={() => !c.name && (c.name = nameOf(c.program?.run[0] ?? ""))} />
    {/if}
    {#if kind !== "program"}
      <Field label="Key" help="It is encrypted before it is kept, and never shown again.">
        <input
          class="field"
          type="password"
          bind:value={key}
          autocomplete="off"
          placeholder={c.keyed ? "kept; type another to replace it" : "if the server wants one"} />
      </Field>
    {/if}
    {#if kind === "endpoint" && c.endpoint}<EndpointFields bind:endpoint={c.endpoint} />{/if}
    <ModelFields
      bind:this={models}
      bind:models={c.models}
      bind:own
      {found}
      title={kind === "chat-completions" ? "Models there" : "What desks call it"}
      busy={busy === "look"}
      look={kind === "chat-completions" && c.address ? look : undefined} />
    <div class="grid gap-4 sm:grid-cols-2">
      <Field
        label="Patience, in seconds"
        help={"How long it may say nothing before a question is given up. A model that has to be loaded first " +
          "needs more, like 180."}>
        <input class="field" type="number" min="1" bind:value={c.patience} />
      </Field>
      <Field
        label="Replies at once"
        help="How many it writes side by side; more wait in line. 1 for a small machine, 0 for any number.">
        <input class="field" type="number" min="0" bind:value={c.at_once} />
      </Field>
    </div>
    {#if kind !== "program"}
      <details class="text-sm">
        <summary class="min-h-7 cursor-pointer font-semibold"
          >Its pace, headers, certificates, a proxy</summary>
        <div class="mt-3 grid gap-4 sm:grid-cols-2">
          <Field
            label="Requests a minute"
            help="0 for any number. What the server says of its own bounds is heeded too.">
            <input
              class="field"
              type="number"
              min="0"
              bind:value={() => c.requests_a_minute ?? 0, (v) => (c.requests_a_minute = v)} />
          </Field>
          <Field label="Tokens a minute" help="0 for any number.">
            <input
              class="field"
              type="number"
              min="0"
              bind:value={() => c.tokens_a_minute ?? 0, (v) => (c.tokens_a_minute = v)} />
          </Field>
          <Field
            class="sm:col-span-2"
            label="Headers, one a line"
            help={"{key} stands for the key, which then goes nowhere else."}>
            <textarea
              class="field min-h-16 font-mono !text-sm"
              spellcheck="false"
              bind:value={() => linesOf(c.headers), (v) => (c.headers = headersOf(v))}
              placeholder={"X-Api-Key: {key}"}></textarea>
          </Field>
          <Field label="File with certificates" help="Trusted beside the system's; on the service's machine.">
            <input class="field" bind:value={c.ca} />
          </Field>
          <Field label="Proxy"
            ><input class="field" bind:value={c.proxy} placeholder="http://proxy.example:3128" /></Field>
        </div>
      </details>
    {/if}
    {#if tried}<TryResult
        probe={tried}
        take={takeManners}
        choose={kind === "endpoint" && c.endpoint && !c.endpoint.reply ? takePlace : undefined} />{/if}
    {#if problem}<p class="problem text-note break-words" role="alert">
        {problem}
      </p>{/if}
    <div class="flex flex-wrap justify-end gap-3">
      <button type="button" class="button-plain mr-auto" disabled={!mayTry || !!busy} onclick={tryIt}
        >{busy === "try" ? "Asking …" : "Try it"}</button>
      <button type="button" class="button-plain" onclick={close}>Cancel</button>
      <button class="button-main" disabled={!named}>Save</button>
    </div>
  </form>
</Dialog>
