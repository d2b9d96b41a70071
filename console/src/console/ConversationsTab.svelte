<!-- The conversations of a desk, for makers. -->
<script lang="ts">
  import Search from "@lucide/svelte/icons/search";
  import * as making from "../api/making";
  import type { Schemas } from "../pageData";
  import RecordView from "./RecordView.svelte";
  import { hrefOf, router } from "./router.svelte";
  import { act, complain } from "./state.svelte";
  import { ago } from "./time";
  import Link from "../ui/Link.svelte";

  interface Props {
    /** The address of the desk. */
    slug: string;
    /** The one that is read. Default: none. */
    record?: string;
  }

  let { slug, record }: Props = $props();

  let list = $state<Schemas["Conversation"][] | null>(null);
  let search = $state("");
  let more = $state(false);
  const atOnce = 40;

  async function read() {
    const wanted = search;
    try {
      const found = await making.listRecords(slug, wanted);
      if (wanted !== search) return;
      list = found;
      more = found.length === atOnce;
    } catch (e) {
      complain(e);
    }
  }
  void read();

  async function extend() {
    const rest = await making.listRecords(slug, search, list!.at(-1)!.asked_at);
    list!.push(...rest);
    more = rest.length === atOnce;
  }

  let timer = 0;
  function typed() {
    clearTimeout(timer);
    timer = window.setTimeout(read, 150);
  }

  async function remove(id: string) {
    const done = await act(
      async () => (await making.removeRecord(id), await read()),
      "The conversation is removed; it is deleted for good in 30 days",
      async () => (await making.restoreRecord(id), await read()),
    );
    if (done) router.go(`desks/${slug}/conversations`);
  }
</script>

<div class="grid grid-cols-[minmax(0,1fr)] lg:grid-cols-[22rem_minmax(0,1fr)]">
  <div
    class={[
      "border-rule lg:block lg:h-[calc(100dvh-11.1rem)] lg:overflow-y-auto lg:border-r",
      record && "hidden",
    ]}>
    <label class="m-4 flex items-center gap-2 rounded border border-field px-2.5 focus-within:border-accent">
      <Search size={14} class="shrink-0 text-faded" aria-hidden="true" />
      <input
        type="search"
        class="min-w-0 flex-1 bg-transparent py-1.5 text-sm outline-none"
        placeholder="Search what was asked and said"
        aria-label="Search the conversations"
        bind:value={search}
        oninput={typed} />
    </label>
    <ul>
      {#each list ?? [] as c (c.id)}
        <li class={["border-b border-rule", c.id === record && "bg-leaf"]}>
          <a
            class="block px-4 py-2.5 no-underline hover:bg-leaf"
            href={hrefOf(`desks/${slug}/conversations/${c.id}`)}
            aria-current={c.id === record ? "page" : undefined}
            onclick={router.follow}>
            <span class="line-clamp-2 font-serif leading-snug break-words">{c.title}</span>
            {#if c.found?.length}
              <span class="line-clamp-2 text-fine text-faded"
                >{#each c.found as p, i (i)}{#if p.hit}<mark>{p.text}</mark>{:else}{p.text}{/if}{/each}</span>
            {/if}
            <span class="text-fine text-faded"
              >{ago(c.asked_at)}, {c.questions}
              {c.questions === 1 ? "question" : "questions"}{c.channel === "page"
                ? ""
                : `, by ${c.channel === "api" ? "the API" : "the chat-completions protocol"}`}</span>
          </a>
        </li>
      {/each}
    </ul>
    {#if list && !list.length}
      <p class="px-4 py-2 text-note leading-relaxed text-faded">
        {search
          ? "No question or reply has these words."
          : "Nobody has asked here yet. Share the link of the page; what visitors ask will be listed here."}
      </p>
    {/if}
    {#if more}<Link class="m-4 min-h-8 text-sm" onclick={extend}>Show earlier ones</Link>{/if}
  </div>
  {#if record}
    {#key record}<RecordView id={record} {slug} {remove} />{/key}
  {:else}
    <p class="hidden px-8 pt-10 text-faded lg:block">Choose a conversation to read it.</p>
  {/if}
</div>
