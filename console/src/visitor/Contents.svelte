<script lang="ts">
  import { pathOf, type Conversation } from "./conversation.svelte";
  import type { Schemas } from "../given";

  let { conversation, open, untitled = false }: { conversation: Conversation; open: (id: string) => void; untitled?: boolean } = $props();

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

  function dayOf(date: Date): string {
    const now = new Date();
    const midnight = new Date(now.getFullYear(), now.getMonth(), now.getDate()).getTime();
    if (date.getTime() >= midnight) return "Today";
    if (date.getTime() >= midnight - 24 * 3600 * 1000) return "Yesterday";
    return date.toLocaleDateString(undefined, { day: "numeric", month: "long", year: "numeric" });
  }

  function choose(e: MouseEvent, id: string) {
    if (e.metaKey || e.ctrlKey || e.shiftKey) return;
    e.preventDefault();
    open(id);
  }
</script>

<nav aria-label="Earlier conversations">
  {#if !untitled}<h2 class="mb-3 text-sm font-semibold">Earlier conversations</h2>{/if}
  {#each days as day (day.name)}
    <h3 class="mt-4 mb-1 text-xs font-medium text-faded first-of-type:mt-0">{day.name}</h3>
    <ul>
      {#each day.list as c (c.id)}
        <li>
          <a
            class={["-ml-2.5 block rounded-r border-l-2 px-2 py-1.5 font-serif text-[0.9rem] leading-snug hover:bg-leaf", c.id === conversation.id ? "border-accent" : "border-transparent"]}
            href={pathOf(c.id)}
            aria-current={c.id === conversation.id ? "page" : undefined}
            onclick={(e) => choose(e, c.id)}><span class="line-clamp-2 break-words">{c.title}</span></a
          >
        </li>
      {/each}
    </ul>
  {:else}
    <p class="text-[0.84rem] leading-relaxed text-faded">What you ask here will be listed, so that you can come back to it.</p>
  {/each}
</nav>
