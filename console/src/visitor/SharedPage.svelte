<script lang="ts">
  import { say } from "../words";
  import { readShared } from "../api/visiting";
  import { pageData, type Schemas } from "../pageData";
  import StandingNews from "./StandingNews.svelte";
  import NoDesk from "./NoDesk.svelte";
  import { Turn } from "./turn.svelte";
  import TurnView from "./TurnView.svelte";
  import Mark from "../ui/Mark.svelte";
  import Link from "../ui/Link.svelte";
  import PictureViewer from "./PictureViewer.svelte";

  // What somebody shared, to be read and nothing else.
  const desk = pageData.desk;
  let title = $state("");
  let standing = $state.raw<Schemas["Standing"] | null>(null);
  let turns = $state<Turn[]>([]);
  let problem = $state<Schemas["Trouble"] | null>(pageData.problem);

  if (!pageData.problem) {
    readShared().then(
      (c) => {
        title = document.title = c.title;
        standing = c.standing ?? null;
        turns = (c.turns ?? []).filter((t) => t.outcome.state !== "running").map(Turn.recorded);
      },
      (e) => (problem = e),
    );
  }
</script>

{#if problem || !desk}
  <NoDesk {problem} />
{:else}
  <main class="margined relative mx-auto max-w-[64rem] px-4 pb-16 sm:px-8">
    <div class="mt-10 mb-4 sm:mt-16"><Mark size={34} /></div>
    <h1 class="max-w-[42rem] font-serif text-head leading-tight font-semibold text-balance break-words">
      {title}
    </h1>
    {#if standing}<StandingNews {standing} />{/if}
    <p class="mt-3 max-w-[42rem] text-note text-faded">
      {(standing ? say.standing.at : say.share.withYou)[0]}<Link href="{pageData.base}/at/{pageData.slug}"
        >{desk.title}</Link
      >{(standing ? say.standing.at : say.share.withYou)[1]}
    </p>
    {#each turns as turn, i (turn)}
      <TurnView {turn} number={i + 1} />
    {/each}
  </main>
  <PictureViewer />
{/if}
