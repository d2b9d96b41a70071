<script lang="ts">
  import { exactMoney } from "../money";
  import Page from "../../ui/Page.svelte";
  import Plus from "@lucide/svelte/icons/plus";
  import { SvelteMap } from "svelte/reactivity";
  import * as making from "../../api/making";
  import type { Schemas } from "../../pageData";
  import { span } from "../time";
  import TryResult from "./TryResult.svelte";
  import ConnectionDialog from "./ConnectionDialog.svelte";
  import { router } from "../router.svelte";
  import { act, complain } from "../state.svelte";
  import Link from "../../ui/Link.svelte";

  let list = $state<Schemas["Connection"][] | null>(null);
  let probing = $state("");
  const probes = new SvelteMap<string, Schemas["Probe"]>();

  async function read() {
    try {
      list = await making.listConnections();
    } catch (e) {
      complain(e);
    }
  }
  void read();

  const part = $derived(router.path.split("/")[1] ?? "");
  const edited = $derived(list?.find((c) => c.name === part && !c.fixed));

  async function probe(path: string) {
    probing = path;
    try {
      for (const p of await making.probe(path)) probes.set(p.model, p);
    } catch (e) {
      complain(e);
    }
    probing = "";
  }

  async function remove(name: string) {
    await act(
      async () => (await making.removeConnection(name), await read()),
      `${name} is removed; in an hour its key is forgotten`,
      async () => (await making.restoreConnection(name), await read()),
    );
  }

  const priceOf = (m: Schemas["ModelSettings"]) =>
    m.price.in || m.price.out
      ? [m.price.in && `${exactMoney(m.price.in)} in`, m.price.out && `${exactMoney(m.price.out)} out`]
          .filter(Boolean)
          .join(", ") + " per million tokens"
      : "no price given";

  const about =
    "A connection is a place where models live: a server, any HTTP address, or a program on this machine. A " +
    "probe asks a model for a few words, or for a picture; that costs what they cost.";

  async function write(path: string, manners: Schemas["Manners"]) {
    const [connection, model] = [path.slice(0, path.indexOf("/")), path.slice(path.indexOf("/") + 1)];
    await act(
      async () => (await making.keepManners(connection, model, manners), probes.delete(path), await read()),
      `${model} is asked as it wants to be`,
    );
  }

  const said = (n: number) => (n < 0 ? "any number of" : String(n));
  const megabytes = (bytes: number) => `${Math.round(bytes / 1e6)} MB`;
  const states = { asleep: "asleep", waking: "waking up", ready: "ready", failing: "failing" } as const;
</script>

<Page title="Connections" {about}>
  {#snippet actions()}
    {#if list?.length}<button class="button-plain" disabled={!!probing} onclick={() => probe("")}
        >Probe all</button
      >{/if}
    <button class="button-main" onclick={() => router.go("connections/new")}
      ><Plus size={16} aria-hidden="true" /> Add a connection</button>
  {/snippet}

  {#each list ?? [] as c (c.name)}
    <section class="mt-8 border-t border-rule pt-4" aria-labelledby="connection-{c.name}">
      <div class="flex flex-wrap items-baseline gap-x-4 gap-y-1">
        <h2 id="connection-{c.name}" class="flex-1 font-serif sm:flex-none text-lead font-semibold">
          {c.name}
        </h2>
        <p
          class={[
            "order-last line-clamp-2 min-w-0 basis-full text-note break-all text-faded sm:order-none",
            "sm:flex-1 sm:basis-0",
          ]}>
          {c.program ? c.program.run.join(" ") : c.address}
        </p>
        {#if c.fixed}
          <p class="text-fine text-faded">from the connection file</p>
        {:else}
          <Link class="min-h-7 text-sm" onclick={() => router.go(`connections/${c.name}`)}>Change</Link>
          <Link class="min-h-7 text-sm" onclick={() => remove(c.name)}>Remove</Link>
        {/if}
      </div>
      {#if c.state}
        <p class="mt-0.5 text-fine text-faded">
          A program, {states[c.state.state]}{c.state.running ? ` (${c.state.running} running)` : ""}{c.state
            .starts
            ? `; it woke in ${span(c.state.woke_ns / 1e9)}, takes ${megabytes(c.state.memory)} of memory (${megabytes(c.state.peak)} at most) and took ${span(c.state.cpu_ns / 1e9)} of processor time for ${c.state.asked} ${c.state.asked === 1 ? "question" : "questions"}`
            : "; it starts with the first question"}.
        </p>
        {#if c.state.ended}<p class="problem mt-1 text-fine break-words">{c.state.ended}</p>{/if}
      {/if}
      {#if c.pace}
        <p class="mt-0.5 text-fine text-faded">
          The server allows, as it says: {said(c.pace.requests)} requests and {said(c.pace.tokens)} tokens a minute;
          {said(c.pace.requests_left)} and {said(c.pace.tokens_left)} are left.
        </p>
      {/if}
      {#if !c.program}<p class="mt-0.5 text-fine text-faded">
          {c.keyed
            ? "The key is kept encrypted"
            : c.reference
              ? `The key is in ${c.reference.startsWith("env:") ? "the environment variable " + c.reference.slice(4) : "the file " + c.reference.slice(5)}`
              : "Without a key"}; waits {c.patience} s for a word{c.at_once
            ? `; at most ${c.at_once} replies at once`
            : ""}.
        </p>{/if}
      <ul class="mt-3">
        {#each c.models as m (m.name)}
          {@const path = `${c.name}/${m.name}`}
          {@const p = probes.get(path)}
          <li class="flex flex-wrap items-baseline gap-x-5 gap-y-1 border-t border-rule py-2.5">
            <p class="flex-1 font-semibold break-all sm:w-44 sm:flex-none">{m.name}</p>
            <p class="order-last basis-full text-note text-faded sm:order-none sm:flex-1 sm:basis-0">
              {m.can.join(", ")}; {m.context} tokens of context; {priceOf(m)}
            </p>
            <button class="button-plain !min-h-8" disabled={!!probing} onclick={() => probe(path)}
              >{probing === path ? "Asking …" : "Probe"}</button>
            {#if m.manners}<p class="order-last w-full text-fine break-words text-faded">
                Asked as it wants to be: <code>{JSON.stringify(m.manners)}</code>
              </p>{/if}
            {#if p}<div class="order-last w-full">
                <TryResult probe={p} take={(found) => write(path, found)} taking="Write it down" />
              </div>{/if}
          </li>
        {/each}
      </ul>
    </section>
  {:else}
    {#if list}
      <div class="mt-10 max-w-[36rem] border-l-2 border-margin pl-5">
        <p class="font-serif text-lead leading-relaxed">
          No model is connected yet. If one runs on this machine or in your network, its address often ends in <code
            >/v1</code
          >; a hosted one tells you address and key where you got them.
        </p>
      </div>
    {/if}
  {/each}
</Page>

{#if part === "new" || edited}
  {#key part}<ConnectionDialog was={edited} done={read} />{/key}
{/if}
