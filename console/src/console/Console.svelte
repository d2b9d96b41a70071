<script lang="ts">
  import { onMount } from "svelte";
  import { Toaster } from "svelte-sonner";
  import { theme } from "../theme.svelte";
  import AccessPage from "./AccessPage.svelte";
  import Away from "./Away.svelte";
  import CommandPalette from "./CommandPalette.svelte";
  import ConnectionsPage from "./connection/ConnectionsPage.svelte";
  import DeskPage from "./DeskPage.svelte";
  import DesksPage from "./DesksPage.svelte";
  import Door from "./Door.svelte";
  import ShelfPage from "./shelf/ShelfPage.svelte";
  import ShelvesPage from "./ShelvesPage.svelte";
  import RepliesPage from "./RepliesPage.svelte";
  import { hrefOf, router } from "./router.svelte";
  import Late from "../ui/Late.svelte";
  import Link from "../ui/Link.svelte";
  import Page from "../ui/Page.svelte";
  import { state } from "./state.svelte";
  import TopBar from "./TopBar.svelte";
  import Troubles from "./Troubles.svelte";

  onMount(() => state.begin());

  const usage = () => import("./UsagePage.svelte");
  const recording = () => import("./RecordingPage.svelte");
  const quizzes = () => import("./quiz/QuizzesPage.svelte");
  const givenQuiz = () => import("./quiz/GivenQuizPage.svelte");
  const quizRun = () => import("./quiz/RunPage.svelte");
  const verdicts = () => import("./VerdictsPage.svelte");

  const parts = $derived(router.path.split("/"));
  const titles: Record<string, string> = {
    "": "Desks",
    desks: "Desk",
    shelves: "Shelves",
    replies: "Replies",
    recordings: "Recording",
    verdicts: "Verdicts",
    quizzes: "Quizzes",
    usage: "Usage",
    connections: "Connections",
    access: "Access",
  };
  $effect(() => {
    document.title = `${((["recordings", "quizzes"].includes(parts[0]!) ? "" : parts[1]) || titles[parts[0]!]) ?? "Console"} · Juvalogos`;
  });
</script>

{#if !state.known}
  <p class="px-6 pt-24 text-center text-faded">One moment …</p>
{:else if !state.session}
  <Door />
{:else}
  <CommandPalette />
  <TopBar />
  <Away />
  <Troubles />
  {#if parts[0] === "desks" && parts[1]}
    {#key parts[1]}<DeskPage slug={parts[1]} part={parts[2] ?? "edit"} record={parts[3]} />{/key}
  {:else if parts[0] === "shelves" && parts[1]}
    {#key parts[1]}<ShelfPage slug={parts[1]} />{/key}
  {:else if parts[0] === "shelves"}
    <ShelvesPage />
  {:else if parts[0] === "connections"}
    <ConnectionsPage />
  {:else if parts[0] === "replies"}
    <RepliesPage />
  {:else if parts[0] === "verdicts" || parts[0] === "usage"}
    {#key parts[0]}
      <Late part={parts[0] === "usage" ? usage : verdicts} page />
    {/key}
  {:else if parts[0] === "quizzes"}
    {#key parts[1] === "runs" ? parts[2] : parts[1]}
      {#if parts[1] === "runs" && parts[2]}
        <Late part={quizRun} given={{ id: parts[2] }} page />
      {:else if parts[1]}
        <Late part={givenQuiz} given={{ id: parts[1], part: parts[2] ?? "questions" }} page />
      {:else}
        <Late part={quizzes} page />
      {/if}
    {/key}
  {:else if parts[0] === "recordings" && parts[1]}
    {#key parts[1]}<Late part={recording} given={{ id: parts[1] }} page />{/key}
  {:else if parts[0] === "access"}
    <AccessPage />
  {:else if ["", "desks", "new", "welcome"].includes(parts[0]!)}
    <DesksPage />
  {:else}
    <Page title="No page here" about="The console has no page at this address." narrow>
      <p class="mt-6"><Link href={hrefOf("")} onclick={router.follow}>All desks</Link></p>
    </Page>
  {/if}
{/if}
<Toaster
  position="bottom-right"
  theme={theme.choice === "auto" ? "system" : theme.choice}
  toastOptions={{
    unstyled: true,
    classes: { toast: "slip", title: "slip-title", actionButton: "slip-do", error: "slip-wrong" },
  }} />
