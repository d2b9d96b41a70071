<!-- A desk before the first question. -->
<script lang="ts">
  import { say } from "../words";
  import type { Snippet } from "svelte";
  import { openerPicture } from "../api/visiting";
  import Link from "../ui/Link.svelte";
  import StandingList from "./StandingList.svelte";
  import Mark from "../ui/Mark.svelte";
  import type { Schemas } from "../pageData";

  interface Props {
    /** The desk. */
    desk: Schemas["Face"];
    /** Asks one of the ready questions; opener is its number, from 1, if it has a picture. */
    ask: (question: string, opener?: number) => void;
    /** Where a visitor says what is to be read, and what was brought. Default: nothing. */
    reading?: Snippet;
    /** Shows what is in the desk's tables. Default: there are none. */
    tables?: () => void;
  }

  let { desk, ask, reading, tables }: Props = $props();

  const pictured = $derived(new Set(desk.pictures.openers ?? []));
</script>

<div class="mt-10 sm:mt-16 wide:grid wide:grid-cols-[minmax(0,42rem)_14rem] wide:gap-x-9">
  <div class="min-w-0">
    <div class="mb-4"><Mark size={40} /></div>
    <h1
      class={[
        "font-serif text-hero leading-[1.15] font-semibold tracking-[-0.01em] text-balance",
        "break-words sm:text-display",
      ]}>
      {desk.title}
    </h1>
    <p class="mt-4 max-w-[36rem] font-serif text-lead leading-relaxed text-pretty">{desk.purpose}</p>

    {#if tables}<p class="mt-4"><Link class="min-h-7" onclick={tables}>{say.tables.see}</Link></p>{/if}

    {@render reading?.()}

    {#if desk.openers.length && (!desk.sound.take || desk.own_documents)}
      <h2 class="mt-9 mb-1 text-sm font-semibold text-faded">
        {say.welcome.begin}
      </h2>
      <ol class="border-t border-rule">
        {#each desk.openers as opener, i (opener)}
          <li class="border-b border-rule">
            <button
              class={[
                "group flex w-full gap-4 py-[0.7rem] text-left hover:bg-leaf",
                pictured.has(i + 1) ? "items-center" : "items-baseline",
              ]}
              onclick={() => ask(opener, pictured.has(i + 1) ? i + 1 : undefined)}>
              <span class="w-4 shrink-0 text-right font-serif text-accent tabular-nums" aria-hidden="true"
                >{i + 1}</span>
              <span class="min-w-0 font-serif text-text leading-snug break-words group-hover:text-accent"
                >{opener}</span>
              {#if pictured.has(i + 1)}
                <img
                  class="ml-auto size-14 shrink-0 self-center rounded border border-rule object-cover"
                  src={openerPicture(i + 1)}
                  alt={say.pictures.withThis} />
              {/if}
            </button>
          </li>
        {/each}
      </ol>
    {/if}

    {#if desk.standing}<StandingList />{/if}
  </div>

  <div class={["mt-8 space-y-3 text-fine leading-relaxed text-faded wide:mt-[1.2rem]", "wide:pl-4"]}>
    {#each desk.known as sentence (sentence)}<p>{sentence}</p>{/each}
    <p>{say.welcome.remembers}</p>
    <p>{say.welcome.kept}</p>
    <p>{say.desk.machine}</p>
  </div>
</div>
