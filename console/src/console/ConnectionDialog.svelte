<!-- Adds a connection, or changes one. -->
<script lang="ts">
  import Dialog from "../ui/Dialog.svelte";
  import * as making from "../api/making";
  import { Trouble } from "../api/service";
  import type { Schemas } from "../pageData";
  import { router } from "./router.svelte";
  import { act, sentence, state as app } from "./state.svelte";

  interface Props {
    /** The connection to change. Default: a new one is added. */
    was?: Schemas["Connection"];
    /** Called when it is kept. */
    done: () => Promise<void>;
  }

  let { was, done }: Props = $props();

  const empty: Schemas["Connection"] = {
    name: "",
    protocol: "",
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
  let found = $state<string[] | null>(null);
  let problem = $state("");
  let busy = $state(false);
  let own = $state("");

  const close = () => router.go("connections");
  const body = () => ({ ...$state.snapshot(c), name: c.name || "new", ...(key && { key }) });

  async function look() {
    busy = true;
    problem = "";
    try {
      found = await making.look(body());
      if (!found.length) problem = "The server answers, but lists no models. Write their names yourself.";
    } catch (e) {
      problem =
        e instanceof Trouble && e.problems.length ? e.problems.map((p) => p.message).join("; ") : sentence(e);
    }
    busy = false;
  }

  function choose(name: string, on: boolean) {
    if (on)
      c.models.push({
        name,
        can: [/embed/i.test(name) ? "embeddings" : "chat"],
        context: 8192,
        vocabulary: "",
        price: { in: 0, out: 0 },
      });
    else c.models = c.models.filter((m) => m.name !== name);
  }

  function addOwn() {
    const name = own.trim();
    if (name && !c.models.some((m) => m.name === name)) choose(name, true);
    own = "";
  }

  async function keep(e: SubmitEvent) {
    e.preventDefault();
    addOwn();
    problem = "";
    try {
      await making.keepConnection(body());
    } catch (e) {
      problem =
        e instanceof Trouble && e.problems.length ? e.problems.map((p) => p.message).join("; ") : sentence(e);
      return;
    }
    await act(() => Promise.all([done(), app.readModels()]), `${c.name} is kept`);
    close();
  }

  const names = $derived([...new Set([...(found ?? []), ...c.models.map((m) => m.name)])]);
</script>

<Dialog bind:open={() => true, close} title={was ? `Change ${was.name}` : "Add a connection"} width="42rem">
  <form class="mt-5 space-y-4" onsubmit={keep}>
    <div class="grid gap-4 sm:grid-cols-[12rem_1fr]">
      <label class="block text-sm font-semibold"
        >Name <input
          class="field mt-1.5"
          bind:value={c.name}
          readonly={!!was}
          required
          pattern="[a-z0-9]+(-[a-z0-9]+)*"
          title="Small letters, digits and single hyphens"
          placeholder="shed" /></label>
      <label class="block text-sm font-semibold"
        >Address <input
          class="field mt-1.5"
          bind:value={c.address}
          required
          placeholder="http://127.0.0.1:8000/v1"
          inputmode="url" /></label>
    </div>
    <label class="block text-sm font-semibold">
      Key
      <input
        class="field mt-1.5"
        type="password"
        bind:value={key}
        autocomplete="off"
        placeholder={c.keyed ? "kept; type another to replace it" : "if the server wants one"}
        aria-describedby="key-help" />
      <span id="key-help" class="mt-1 block text-fine font-normal text-faded"
        >It is encrypted before it is kept, and never shown again.</span>
    </label>
    <div>
      <div class="flex items-center gap-3">
        <h3 class="flex-1 text-sm font-semibold">Models there</h3>
        <button type="button" class="button-plain !min-h-8" disabled={busy || !c.address} onclick={look}
          >{busy ? "Asking …" : "Ask the server"}</button>
      </div>
      {#if c.models.length}
        <p class="mt-1 text-fine text-faded">
          Context is how much a model can read at once, in tokens (pieces of words), like 8192. A price is
          what a million tokens cost, read (in) and written (out), like 0.5 and 1.5; 0 if it costs nothing.
        </p>
      {/if}
      <ul class="mt-2 space-y-1.5">
        {#each names as name (name)}
          {@const m = c.models.find((m) => m.name === name)}
          <li class="flex flex-wrap items-center gap-x-3 gap-y-1 text-sm">
            <label class="flex min-w-40 flex-1 items-center gap-2"
              ><input
                type="checkbox"
                class="size-4 accent-(--accent)"
                checked={!!m}
                onchange={(e) => choose(name, e.currentTarget.checked)} />
              <span class="break-all">{name}</span></label>
            {#if m}
              <label class="flex items-center gap-1.5 text-faded"
                >context <input
                  class="field !w-24 !py-1"
                  type="number"
                  min="256"
                  bind:value={m.context}
                  aria-label="Context of {name}, in tokens" /></label>
              <label class="flex items-center gap-1.5 text-faded"
                >price in <input
                  class="field !w-20 !py-1"
                  type="number"
                  min="0"
                  step="any"
                  bind:value={m.price.in}
                  aria-label="Price of {name} per million tokens in" /></label>
              <label class="flex items-center gap-1.5 text-faded"
                >out <input
                  class="field !w-20 !py-1"
                  type="number"
                  min="0"
                  step="any"
                  bind:value={m.price.out}
                  aria-label="Price of {name} per million tokens out" /></label>
            {/if}
          </li>
        {/each}
      </ul>
      <div class="mt-2 flex gap-2">
        <input
          class="field"
          bind:value={own}
          placeholder="or write a model's name"
          aria-label="A model's name"
          onkeydown={(e) => e.key === "Enter" && (e.preventDefault(), addOwn())} />
        <button type="button" class="button-plain" onclick={addOwn}>Add</button>
      </div>
    </div>
    <div class="grid gap-4 sm:grid-cols-2">
      <label class="block text-sm font-semibold"
        >Patience, in seconds <input
          class="field mt-1.5"
          type="number"
          min="1"
          bind:value={c.patience}
          aria-describedby="patience-help" /><span
          id="patience-help"
          class="mt-1 block text-fine font-normal text-faded"
          >How long the server may say nothing before a question is given up. A model that has to be loaded
          first needs more, like 180.</span
        ></label>
      <label class="block text-sm font-semibold"
        >Replies at once <input
          class="field mt-1.5"
          type="number"
          min="0"
          bind:value={c.at_once}
          aria-describedby="once-help" /><span
          id="once-help"
          class="mt-1 block text-fine font-normal text-faded"
          >How many it writes side by side; more wait in line. 1 for a small machine, 0 for any number.</span
        ></label>
    </div>
    {#if problem}<p class="problem text-note" role="alert">
        {problem}
      </p>{/if}
    <div class="flex justify-end gap-3">
      <button type="button" class="button-plain" onclick={close}>Cancel</button>
      <button class="button-main" disabled={!c.models.length && !own.trim()}>Save</button>
    </div>
  </form>
</Dialog>
