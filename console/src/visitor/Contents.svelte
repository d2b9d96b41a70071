<!-- The earlier conversations of a visitor. -->
<script lang="ts">
  import { say } from "../words";
  import Search from "@lucide/svelte/icons/search";
  import { pathOf, type Conversation } from "./conversation.svelte";
  import { Trouble } from "../api/service";
  import { upload } from "../api/upload";
  import { savedConversations } from "../api/visiting";
  import { pageData, type Schemas } from "../pageData";
  import Link from "../ui/Link.svelte";

  interface Props {
    /** The one that is open. */
    conversation: Conversation;
    /** Opens another. */
    open: (id: string) => void;
    /** Whether the heading is left out. Default: false. */
    untitled?: boolean;
  }

  let { conversation, open, untitled = false }: Props = $props();

  type Day = { name: string; list: Schemas["Conversation"][] };

  const days = $derived.by(() => {
    const all: Day[] = [];
    for (const c of conversation.earlier) {
      const name = dayOf(new Date(c.asked_at));
      if (all.at(-1)?.name !== name) all.push({ name, list: [] });
      all.at(-1)!.list.push(c);
    }
    return all;
  });
  // The search stays as long as there is something to search.
  const searchable = $derived(conversation.earlier.length > 3 || !!conversation.search);

  function dayOf(date: Date): string {
    const now = new Date();
    const midnight = new Date(now.getFullYear(), now.getMonth(), now.getDate()).getTime();
    if (date.getTime() >= midnight) return say.contents.today;
    if (date.getTime() >= midnight - 24 * 3600 * 1000) return say.contents.yesterday;
    return say.contents.day(date);
  }

  function choose(e: MouseEvent, id: string) {
    if (e.metaKey || e.ctrlKey || e.shiftKey) return;
    e.preventDefault();
    open(id);
  }

  const { desk } = pageData;
  let problem = $state("");

  async function bringIn(field: HTMLInputElement) {
    const file = field.files?.[0];
    field.value = "";
    problem = "";
    if (!file) return;
    try {
      const { conversation: id } = await upload<Schemas["ConversationBroughtIn"]>(
        savedConversations,
        [{ name: file.name, file }],
        () => {},
      );
      await conversation.refresh();
      open(id);
    } catch (e) {
      problem = e instanceof Trouble ? e.detail : say.general.onTheWay;
    }
  }

  let timer = 0;
  function typed(e: Event & { currentTarget: HTMLInputElement }) {
    conversation.search = e.currentTarget.value;
    clearTimeout(timer);
    timer = window.setTimeout(() => conversation.refresh(), 150);
  }
</script>

<nav aria-label={say.contents.earlier}>
  {#if !untitled}<h2 class="mb-3 text-sm font-semibold">{say.contents.earlier}</h2>{/if}
  {#if searchable}
    <label class="mb-3 flex items-center gap-2 rounded border border-rule px-2.5 focus-within:border-accent">
      <Search size={14} class="shrink-0 text-faded" aria-hidden="true" />
      <input
        type="search"
        class="min-w-0 flex-1 bg-transparent py-1.5 text-sm outline-none placeholder:text-faded"
        placeholder={say.contents.searchShort}
        aria-label={say.contents.search}
        value={conversation.search}
        oninput={typed} />
    </label>
  {/if}
  {#each days as day (day.name)}
    <h3 class="mt-4 mb-1 text-mini font-medium text-faded first-of-type:mt-0">{day.name}</h3>
    <ul>
      {#each day.list as c (c.id)}
        <li>
          <a
            class={[
              "-ml-2.5 block rounded-r border-l-2 px-2 py-1.5 font-serif text-note leading-snug hover:bg-leaf",
              c.id === conversation.id ? "border-accent" : "border-transparent",
            ]}
            href={pathOf(c.id)}
            aria-current={c.id === conversation.id ? "page" : undefined}
            onclick={(e) => choose(e, c.id)}
            ><span class="line-clamp-2 break-words">{c.title}</span>
            {#if c.found?.length}
              <span class="mt-0.5 line-clamp-3 font-sans text-mini break-words text-faded">
                {#each c.found as piece, i (i)}{#if piece.hit}<mark>{piece.text}</mark
                    >{:else}{piece.text}{/if}{/each}
              </span>
            {/if}</a>
        </li>
      {/each}
    </ul>
  {:else}
    <p class="text-fine leading-relaxed text-faded">
      {#if conversation.search}{say.contents.notFound}{:else}{say.contents.none}{/if}
    </p>
  {/each}
  {#if conversation.more}
    <Link class="mt-3 min-h-8 text-sm" onclick={() => conversation.extend()}>{say.contents.more}</Link>
  {/if}
  {#if desk?.pictures.take}
    <label
      class={[
        "mt-5 inline-flex min-h-8 cursor-pointer items-center text-fine text-faded",
        "has-focus-visible:outline-2 has-focus-visible:outline-accent hover:text-accent hover:underline",
      ]}>
      {say.conversation.bringIn}
      <input
        class="sr-only"
        type="file"
        accept=".zip,application/zip"
        onchange={(e) => bringIn(e.currentTarget)} />
    </label>
    {#if problem}<p class="text-fine text-wrong" role="alert">{problem}</p>{/if}
  {/if}
</nav>
