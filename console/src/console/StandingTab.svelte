<!-- The replies that a desk keeps current: when each was made, and why one could not be. -->
<script lang="ts">
  import RotateCw from "@lucide/svelte/icons/rotate-cw";
  import * as making from "../api/making";
  import type { Schemas } from "../pageData";
  import Link from "../ui/Link.svelte";
  import { hrefOf, router } from "./router.svelte";
  import { act, complain } from "./state.svelte";
  import { ago } from "./time";

  interface Props {
    /** The address of the desk. */
    slug: string;
  }

  let { slug }: Props = $props();

  let list = $state.raw<Schemas["Standing"][] | null>(null);
  let looking = $state(false);
  // svelte-ignore state_referenced_locally
  making.listStanding(slug).then((l) => (list = l), complain);

  async function look() {
    looking = true;
    await act(async () => (list = await making.lookNow(slug)), "Looked at");
    looking = false;
  }

  const news = (n: Schemas["News"]) =>
    [
      n.came?.length && `new: ${n.came.join("; ")}`,
      n.changed?.length && `changed: ${n.changed.join("; ")}`,
      n.went?.length && `gone: ${n.went.join("; ")}`,
    ]
      .filter(Boolean)
      .join(" · ");
</script>

<div class="mx-auto max-w-[60rem] px-4 py-6 sm:px-6">
  {#if list?.length}
    <button class="button-plain inline-flex items-center gap-2" disabled={looking} onclick={() => void look()}
      ><RotateCw size={15} aria-hidden="true" />{looking ? "Looking …" : "Look now"}</button>
    <ul class="mt-4">
      {#each list as s (s.title)}
        <li class="border-t border-rule py-4">
          <h2 class="font-serif text-lead font-semibold break-words">
            {#if s.page}<Link href={s.page} target="_blank" rel="noopener">{s.title}</Link
              >{:else}{s.title}{/if}
          </h2>
          <p class="mt-1 text-note text-faded">
            {s.made_at ? `Made ${ago(s.made_at)}` : "Not made yet"}{s.looked_at
              ? `, looked at ${ago(s.looked_at)}`
              : ""}.
            {#if s.turn}<Link href={hrefOf(`desks/${slug}/bench/${s.turn}`)} onclick={router.follow}
                >Open in the bench</Link
              >{/if}
          </p>
          {#if s.problem}<p class="mt-1 text-note text-wrong">{s.problem}</p>{/if}
          {#if news(s.news)}<p class="mt-1 text-note break-words">{news(s.news)}</p>{/if}
        </li>
      {/each}
    </ul>
  {:else if list}
    <p class="max-w-[36rem] border-l-2 border-margin pl-5 font-serif text-lead leading-relaxed">
      This desk keeps nothing current. Write <code>standing</code> into its file: what is asked, and it is asked
      anew when the documents of its shelves change. Visitors read the newest, with what is new at the top.
    </p>
  {:else}
    <p class="text-faded">Fetching what it keeps current …</p>
  {/if}
</div>
