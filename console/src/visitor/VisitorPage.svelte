<script lang="ts">
  import { fromService, say } from "../words";
  import Info from "@lucide/svelte/icons/info";
  import Menu from "@lucide/svelte/icons/menu";
  import Moon from "@lucide/svelte/icons/moon";
  import Plus from "@lucide/svelte/icons/plus";
  import Sun from "@lucide/svelte/icons/sun";
  import SunMoon from "@lucide/svelte/icons/sun-moon";
  import ArrowDown from "@lucide/svelte/icons/arrow-down";
  import { tick } from "svelte";
  import { pageData } from "../pageData";
  import { theme, turnTheme } from "../theme.svelte";
  import { askedByLink } from "./linked";
  import Attachments from "./Attachments.svelte";
  import ChoiceMenu from "./ChoiceMenu.svelte";
  import Contents from "./Contents.svelte";
  import BringPanel from "./BringPanel.svelte";
  import { Conversation, offersBringing } from "./conversation.svelte";
  import ErrandCard from "./ErrandCard.svelte";
  import LinkedCard from "./LinkedCard.svelte";
  import RestsOn from "./RestsOn.svelte";
  import Link from "../ui/Link.svelte";
  import PictureStrip from "./PictureStrip.svelte";
  import { viewing } from "./pictures.svelte";
  import NoDesk from "./NoDesk.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import QuestionBox from "./QuestionBox.svelte";
  import { followDraft, tellBench } from "./preview";
  import { Stickiness } from "./stickiness.svelte";
  import type { Turn } from "./turn.svelte";
  import InputFields from "./InputFields.svelte";
  import { visit } from "./visited";
  import Welcome from "./Welcome.svelte";

  let desk = $state(pageData.desk);
  if (pageData.desk && pageData.preview) followDraft((face) => (desk = face));
  const conversation = pageData.desk ? new Conversation() : null;
  // The document whose tables are looked at, 0 for all; and whether they are.
  let tableShown = $state(0);
  let tablesOpen = $state(false);
  // Questions that fit what was attached, before the first one is asked.
  const proposed = $derived(
    conversation && !conversation.turns.length && conversation.tables.documents.some((d) => d.own)
      ? conversation.tables.openers.filter((o) => !desk?.openers.includes(o))
      : [],
  );
  let offline = $state(!navigator.onLine);
  let back = $state(false);
  const end = new Stickiness();
  let box: QuestionBox | undefined = $state();
  let drawerOpen = $state(false);
  // How high the foot with the question box is; what gets the focus keeps clear of it.
  let foot = $state(0);
  $effect(() => document.documentElement.style.setProperty("--foot", `${foot}px`));

  let infoOpen = $state(false);
  if (pageData.desk && !pageData.preview) visit(pageData.desk);

  // What the first look at a page does not need comes with the first touch of
  // it, so that it is there before a reply is.
  const later = () => import("./later");
  let touched = $state(false);

  const blank = $derived(!conversation?.turns.length && !conversation?.loading && !conversation?.id);
  // Something of a recording is written down.
  const askable = $derived(
    desk?.sound.asks &&
      conversation?.recordings?.list.some((r) => ["ready", "partly"].includes(r.facts.state)),
  );
  const ThemeIcon = $derived({ auto: SunMoon, light: Sun, dark: Moon }[theme.choice]);

  // The offer to bring back what was removed does not stay for ever.
  $effect(() => {
    if (!conversation?.undo) return;
    const timer = setTimeout(() => (conversation!.undo = null), 15_000);
    return () => clearTimeout(timer);
  });

  $effect(() => {
    if (desk) document.title = conversation?.title ? `${conversation.title} · ${desk.title}` : desk.title;
  });

  // The bench around a preview looks into the newest turn, or the one that is clicked.
  const newest = $derived(conversation?.turns.at(-1)?.id ?? "");
  $effect(() => {
    if (pageData.preview && newest) tellBench(newest);
  });
  function lookInto(e: MouseEvent) {
    const turn =
      pageData.preview && (e.target as HTMLElement).closest<HTMLElement>("[data-turn]")?.dataset.turn;
    if (turn) tellBench(turn);
  }

  // A conversation that was opened is shown from its end.
  $effect(() => {
    if (conversation?.shown) void tick().then(() => end.stick());
  });

  // What the visitor fills in beside the question.
  // svelte-ignore state_referenced_locally
  let inputs = $state<Record<string, string>>(
    Object.fromEntries((desk?.inputs ?? []).map((t) => [t.name, t.default ?? ""])),
  );
  const filledIn = () =>
    Object.fromEntries(
      Object.entries(inputs)
        .filter(([, v]) => v !== "" && v !== null)
        .map(([k, v]) => [k, String(v)]),
    );

  // A picture came where none is looked at.
  let blind = $state(false);

  async function ask(question: string, opener?: number) {
    blind = false;
    if (opener) void conversation!.pictures.addOpener(opener);
    const asked = conversation!.ask(question, undefined, filledIn());
    await tick();
    end.stick();
    box?.focus(); // the opener that was pressed is gone
    if (!(await asked)) box?.giveBack(question);
  }

  async function edit(turn: Turn, question: string) {
    const asked = conversation!.ask(question, turn, filledIn());
    await tick();
    end.stick();
    box?.focus();
    if (!(await asked)) box?.giveBack(question);
  }

  // What is to be read: on a page that is about nothing else yet it stands first.
  const brought = $derived(conversation && desk && offersBringing(desk) ? conversation.brought : null);
  let bringing = $state(false);
  // svelte-ignore state_referenced_locally
  let linked = $state(desk ? askedByLink(desk) : null);
  const opens = $derived(blank && !!brought && (desk?.bring.opens || brought.errands.length > 0 || !!linked));

  function bringIn() {
    bringing = !bringing;
    if (bringing) void tick().then(() => document.getElementById("bring-below")?.focus());
  }

  function done() {
    bringing = false;
    box?.focus();
  }

  function online() {
    offline = false;
    back = true;
    setTimeout(() => (back = false), 4000);
  }

  function again(turn: Turn) {
    box?.focus();
    void conversation!.again(turn);
  }

  async function takeBack(turn: Turn) {
    const question = await conversation!.takeBack(turn);
    if (question) box?.giveBack(question);
  }

  async function open(id: string) {
    drawerOpen = false;
    end.stuck = false;
    await conversation!.open(id, true);
    box?.focus();
  }

  function keydown(e: KeyboardEvent) {
    if (e.key === "Escape" && conversation?.running && !drawerOpen) {
      e.preventDefault();
      void conversation.stop();
    }
  }

  // Screen readers hear that a reply has begun and ended, not every word.
  const spoken = $derived.by(() => {
    const last = conversation?.turns.at(-1);
    if (!last) return "";
    if (last.running) return last.note || say.page.spokenWriting;
    if (last.problem) return fromService(last.problem.phrase, last.problem.detail);
    return last.state === "stopped" ? say.page.spokenStopped : say.page.spokenDone;
  });
</script>

<svelte:window
  onclick={(e) => ((touched = true), lookInto(e))}
  onpointerdown={() => (touched = true)}
  onkeydown={(e) => ((touched = true), keydown(e))}
  onoffline={() => (offline = true)}
  ononline={online} />

{#snippet giving()}
  {#if desk && conversation?.recordings}
    {@const recordings = conversation.recordings}
    {@const hearing = desk.sound}
    {#await later() then { SoundIn }}<SoundIn {recordings} {hearing} first />{/await}
  {/if}
{/snippet}

{#snippet reading()}
  {#if desk && brought}
    <div class="mt-6 max-w-[36rem] space-y-3">
      {#if linked}<LinkedCard {linked} {brought} close={() => (linked = null)} {done} />{/if}
      {#each brought.errands as errand (errand.id)}<ErrandCard {errand} {brought} {ask} />{/each}
      {#if !brought.errands.length && !linked}
        <div>
          <h2 class="mb-2 font-serif text-lead font-semibold">{say.bring.field}</h2>
          <BringPanel offered={desk.bring} {brought} {done} id="bring-first" first />
        </div>
      {/if}
    </div>
  {/if}
{/snippet}

{#if !desk || !conversation}
  <NoDesk problem={pageData.problem} />
{:else}
  <div class="mx-auto flex min-h-dvh max-w-[84rem] flex-col">
    <header
      class={[
        "print:hidden sticky top-0 z-20 flex h-13 items-center gap-1 border-b bg-paper px-3 sm:px-5",
        blank ? "border-transparent" : "border-rule",
      ]}>
      <button class="icon wide:hidden" aria-label={say.contents.earlier} onclick={() => (drawerOpen = true)}>
        <Menu size={20} aria-hidden="true" />
      </button>
      <p class="flex min-w-0 flex-1 items-center gap-1.5 px-1 font-serif text-note">
        {#if !blank}<a
            class="min-w-0 truncate no-underline hover:text-accent"
            href={pageData.base + "/at/" + pageData.slug}
            onclick={(e) => (e.preventDefault(), open(""))}>{desk.title}</a
          >{/if}
      </p>
      {#if pageData.preview}<span class="rounded bg-leaf px-2 py-0.5 text-mini text-faded"
          >{say.page.draft}</span
        >{/if}
      <button
        class="icon"
        aria-label={say.desk.canDo}
        title={say.desk.canDo}
        onclick={() => (infoOpen = true)}><Info size={18} aria-hidden="true" /></button>
      <button
        class="icon"
        title={say.page.theme(theme.choice)}
        aria-label={say.page.themeChange(say.page.theme(theme.choice))}
        onclick={turnTheme}>
        <ThemeIcon size={18} aria-hidden="true" />
      </button>
      {#if conversation.id && !blank}
        {#await later() then { ConversationMenu }}
          <ConversationMenu
            {conversation}
            remove={() => void conversation.remove()}
            startOver={() => void open("")} />
        {/await}
      {/if}
      {#if !blank}
        <button
          class="flex h-9 items-center gap-1.5 rounded px-2.5 text-sm hover:bg-leaf"
          onclick={() => open("")}>
          <Plus size={16} aria-hidden="true" />
          <span
            >{say.page.newConversation[0]}<span class="hidden sm:inline">{say.page.newConversation[1]}</span
            ></span>
        </button>
      {/if}
    </header>

    <div class="flex flex-1">
      <aside
        class={[
          "print:!hidden sticky top-13 hidden h-[calc(100dvh-3.25rem)] w-60 shrink-0",
          "overflow-y-auto border-r border-rule py-6 pr-3 pl-5 wide:block",
        ]}>
        <Contents {conversation} {open} />
      </aside>

      <main
        class={[
          "relative flex min-w-0 flex-1 flex-col px-4 sm:px-8",
          !conversation.turns.some((t) => t.show === "columns") && "margined",
        ]}>
        <div class="flex-1 pb-10">
          {#if blank}
            <Welcome
              {desk}
              {ask}
              tables={conversation.tables.documents.some((d) => !d.own)
                ? () => ((tableShown = 0), (tablesOpen = true))
                : undefined}
              reading={desk.sound.take ? giving : opens ? reading : undefined} />
          {:else}
            <h1
              class="sr-only print:not-sr-only print:mt-4 print:font-serif print:text-head print:font-semibold">
              {conversation.title || desk.title}
            </h1>
            {#if conversation.recordings && !conversation.loading}
              {@const recordings = conversation.recordings}
              <div class="measure space-y-4 pt-8" data-recordings>
                {#await later() then { RecordingCard, SoundIn }}
                  {#each recordings.list as recording (recording.id)}
                    <RecordingCard
                      {recording}
                      hearing={desk.sound}
                      remove={() => void recordings.remove(recording)} />
                  {/each}
                  <SoundIn
                    {recordings}
                    hearing={desk.sound}
                    zip={recordings.list.length > 1 ? conversation.id : ""} />
                {/await}
                {#if !conversation.turns.length && askable && desk.openers.length}
                  <div>
                    <h2 class="mb-1 text-sm font-semibold text-faded">{say.sound.askAbout}</h2>
                    <ul class="flex flex-wrap gap-x-5">
                      {#each desk.openers as opener (opener)}
                        <li>
                          <button
                            class="min-h-8 text-left font-serif text-accent underline-offset-2 hover:underline"
                            onclick={() => ask(opener)}>{opener}</button>
                        </li>
                      {/each}
                    </ul>
                  </div>
                {/if}
              </div>
            {/if}
            {#await later() then { TurnView }}
              {#each conversation.turns as turn, i (turn)}
                <TurnView
                  {turn}
                  number={i + 1}
                  last={i === conversation.turns.length - 1}
                  {conversation}
                  again={() => again(turn)}
                  edit={conversation.running ? undefined : (question) => edit(turn, question)}
                  takeBack={() => takeBack(turn)} />
              {/each}
            {:catch}
              <p class="problem mt-9" role="alert">{say.conversation.broken}</p>
            {/await}
            {#if conversation.loading}<p class="mt-10 text-faded">{say.conversation.fetching}</p>{/if}
          {/if}
          {#if conversation.problem}
            <div class="measure mt-8"><ProblemNote problem={conversation.problem} /></div>
          {/if}
        </div>

        <div class="print:hidden sticky bottom-0 z-10 bg-paper pt-2 pb-3" bind:clientHeight={foot}>
          {#if !end.stuck && !blank && !end.whole}
            <div class="measure mb-1 flex justify-end">
              <button
                class="inline-flex min-h-8 items-center gap-1.5 text-sm text-accent hover:underline"
                onclick={() => end.stick()}>
                <ArrowDown size={15} aria-hidden="true" />
                {say.page.toTheEnd}
              </button>
            </div>
          {/if}
          {#if offline || back}
            <p class="measure mb-2 rounded border border-rule bg-leaf px-4 py-2 text-sm" role="status">
              {offline ? say.notices.offline : say.notices.back}
            </p>
          {/if}
          {#if conversation.undo}
            <div
              class={[
                "measure mb-2 flex items-center justify-between rounded border border-rule bg-leaf py-1.5",
                "pr-1.5 pl-4 text-sm",
              ]}
              role="status">
              <span class="min-w-0 truncate">{conversation.undo.what}</span>
              <button
                class="min-h-8 shrink-0 rounded px-3 font-semibold text-accent hover:bg-paper"
                onclick={() => conversation.bringBack()}>{say.conversation.undo}</button>
            </div>
          {/if}
          <div class="measure">
            {#if desk.inputs.length}<InputFields inputs={desk.inputs} bind:values={inputs} />{/if}
            {#if desk.foretold && !conversation.running}
              {#await import("./Forecast.svelte") then { default: Forecast }}
                <Forecast
                  draft={() => box?.drafted() ?? ""}
                  foretell={(question) => conversation.foretell(question, filledIn())} />
              {/await}
            {/if}
            {#if proposed.length}
              <div class="mb-2 text-fine">
                <span class="text-faded">{say.tables.ask}</span>
                {#each proposed as opener (opener)}
                  <button
                    class="ml-3 min-h-7 text-left text-accent underline-offset-2 hover:underline"
                    onclick={() => ask(opener)}>{opener}</button>
                {/each}
              </div>
            {/if}
            {#if desk.attachments}<Attachments
                attached={conversation.attached}
                tables={desk.tables ? conversation.tables : undefined}
                showTables={(document) => ((tableShown = document), (tablesOpen = true))}
                look={desk.pictures.take
                  ? (document, page) => void conversation.pictures.addPage(document, page)
                  : undefined} />{/if}
            {#if brought}
              <RestsOn
                {brought}
                elsewhere={opens}
                {bringing}
                ownDocuments={desk.own_documents ?? false}
                {ask} />
              {#if bringing}
                <div class="mb-2">
                  <BringPanel
                    offered={desk.bring}
                    {brought}
                    {done}
                    id="bring-below"
                    close={() => ((bringing = false), box?.focus())} />
                </div>
              {/if}
            {/if}
            {#if desk.pictures.take}<PictureStrip
                pictures={conversation.pictures}
                looking={desk.pictures} />{/if}
            {#if blind}
              <p class="mb-2 rounded border border-wrong px-3 py-2 text-fine" role="alert">
                {#if desk.pictures.elsewhere?.slug}
                  {say.pictures.blindBut[0]}<Link href="{pageData.base}/at/{desk.pictures.elsewhere.slug}"
                    >{desk.pictures.elsewhere.title}</Link
                  >{say.pictures.blindBut[1]}
                {:else}{say.pictures.blind}{/if}
              </p>
            {/if}
            {#if desk.sound.asks}<QuestionBox
                bind:this={box}
                look={desk.pictures.take
                  ? (files) =>
                      void conversation.pictures.add(files.map((file) => ({ name: file.name, file })))
                  : undefined}
                blind={() => (blind = true)}
                attach={desk.attachments
                  ? (files) =>
                      void conversation.attached.add(files.map((file) => ({ name: file.name, file })))
                  : undefined}
                bring={brought && (brought.errands.length > 0 || !opens) ? bringIn : undefined}
                {bringing}
                hear={desk.sound.take ? (files) => void conversation.recordings?.add(files) : undefined}
                dictate={desk.sound.dictate}
                running={!!conversation.running}
                last={conversation.turns.at(-1)?.question ?? ""}
                {ask}
                stop={() => conversation.stop()}
                deskTitle={desk.title}>
                <ChoiceMenu {conversation} offered={desk.choices} />
              </QuestionBox>{/if}
          </div>
        </div>
      </main>
    </div>
  </div>

  {#if touched}
    {#await later() then { DeskInfo, Drawer }}
      <DeskInfo {desk} bind:open={infoOpen} />
      <Drawer bind:open={drawerOpen} title={say.contents.earlier}>
        <Contents {conversation} {open} untitled />
      </Drawer>
    {/await}
  {/if}
  {#if tablesOpen}
    {#await later() then { TablesPanel }}
      <TablesPanel tables={conversation.tables} document={tableShown} bind:open={tablesOpen} />
    {/await}
  {/if}
  {#if viewing.pictures.length}
    {#await later() then { PictureViewer }}<PictureViewer />{/await}
  {/if}
  <div class="sr-only" role="status" aria-live="polite">{spoken}</div>
{/if}
