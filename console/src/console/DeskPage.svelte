<!-- A desk with its tabs. -->
<script lang="ts">
  import { onMount } from "svelte";
  import * as making from "../api/making";
  import type { Schemas } from "../pageData";
  import ConversationsTab from "./ConversationsTab.svelte";
  import DeskMenu from "./DeskMenu.svelte";
  import EditTab from "./EditTab.svelte";
  import { offer } from "./palette.svelte";
  import PartLinks from "./PartLinks.svelte";
  import RecipeTab from "./RecipeTab.svelte";
  import RevisionsTab from "./RevisionsTab.svelte";
  import { hrefOf, router } from "./router.svelte";
  import { sentence } from "./state.svelte";
  import { ago } from "./time";
  import Late from "../ui/Late.svelte";
  import Link from "../ui/Link.svelte";

  interface Props {
    /** Its address. */
    slug: string;
    /** Which tab is open. */
    part: string;
    /** What is open in the tab. Default: nothing. */
    record?: string;
  }

  let { slug, part, record }: Props = $props();

  let desk = $state<Schemas["Desk"] | null>(null);
  let problem = $state("");

  const refresh = async () => {
    try {
      desk = await making.readDesk(slug);
    } catch (e) {
      problem = sentence(e);
    }
  };
  onMount(refresh);

  const tabs = [
    [
      "edit",
      "Edit",
      "Write the desk file, as text or as a form; the page beside it is what visitors will see.",
    ],
    ["bench", "Bench", "Ask at the draft, and look inside each reply: what was sent to the model, and why."],
    ["recipe", "Recipe", "The steps in which a reply is made, from the question to the last word."],
    [
      "revisions",
      "Revisions",
      "Every version that was published. One of them is what visitors see; you can go back.",
    ],
    ["conversations", "Conversations", "What visitors asked here, and what they were told."],
    ["standing", "Kept current", "Replies that are made anew when what they rest on changes."],
    [
      "wanted",
      "Wanted",
      "What visitors wanted to read here, what was found of it, and what fetching and embedding took.",
    ],
  ] as const;

  const pathOf = (part: string) => `desks/${slug}${part === "edit" ? "" : "/" + part}`;

  offer(() => tabs.map(([key, name]) => ({ group: `This desk`, name, run: () => router.go(pathOf(key)) })));
</script>

{#if problem}
  <main class="mx-auto max-w-[36rem] px-6 pt-20">
    <h1 class="font-serif text-head font-semibold">No desk here</h1>
    <p class="mt-3 font-serif text-lead">{problem}</p>
    <p class="mt-6">
      <Link href={hrefOf("")} onclick={router.follow}>All desks</Link>
    </p>
  </main>
{:else if desk}
  <main>
    <div class="border-b border-rule px-4 pt-4 sm:px-6">
      <div class="flex flex-wrap items-baseline gap-x-4 gap-y-1">
        <h1 class="min-w-0 flex-1 truncate font-serif sm:flex-none text-title font-semibold">
          {desk.title}
        </h1>
        <p class="order-last basis-full text-fine text-faded sm:order-none sm:flex-1 sm:basis-0">
          {#if desk.published}<Link href={desk.page} target="_blank" rel="noopener">{desk.page}</Link>,
            revision {desk.published}, {ago(desk.changed_at)} by {desk.changed_by}
          {:else if desk.newest}Withdrawn: visitors find no desk here.
          {:else}A draft: nobody sees it yet.{/if}
        </p>
        <DeskMenu {desk} {refresh} />
      </div>
      <PartLinks
        label="This desk"
        parts={tabs.map(([key, name, about]) => ({ path: pathOf(key), name, about }))}
        here={pathOf(part)} />
    </div>
    <p class="border-b border-rule bg-leaf px-4 py-1.5 text-fine text-faded sm:px-6">
      {tabs.find(([key]) => key === part)?.[2] ?? tabs[0][2]}
    </p>
    {#if part === "revisions"}
      <RevisionsTab {desk} {refresh} />
    {:else if part === "bench"}
      <Late part={() => import("./bench/BenchTab.svelte")} given={{ slug, id: record }} />
    {:else if part === "recipe"}
      <RecipeTab {slug} />
    {:else if part === "conversations"}
      <ConversationsTab {slug} {record} />
    {:else if part === "standing"}
      <Late part={() => import("./StandingTab.svelte")} given={{ slug }} />
    {:else if part === "wanted"}
      <Late part={() => import("./WantedTab.svelte")} given={{ slug }} />
    {:else}
      <EditTab {desk} {refresh} />
    {/if}
  </main>
{:else}
  <p class="px-6 pt-24 text-center text-faded">Fetching the desk …</p>
{/if}
