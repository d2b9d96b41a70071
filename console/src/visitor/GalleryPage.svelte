<!-- The page of a desk that makes pictures: a wish, what became of it, and all that were
     made before. -->
<script lang="ts">
  import { say } from "../words";
  import Download from "@lucide/svelte/icons/download";
  import Info from "@lucide/svelte/icons/info";
  import Moon from "@lucide/svelte/icons/moon";
  import Sun from "@lucide/svelte/icons/sun";
  import SunMoon from "@lucide/svelte/icons/sun-moon";
  import { zipOf, share as shareLink } from "../api/visiting";
  import CopyButton from "../ui/CopyButton.svelte";
  import Dialog from "../ui/Dialog.svelte";
  import Mark from "../ui/Mark.svelte";
  import { pageData } from "../pageData";
  import { theme, turnTheme } from "../theme.svelte";
  import DeskInfo from "./DeskInfo.svelte";
  import { Gallery, type Wish } from "./gallery.svelte";
  import MakingCard from "./MakingCard.svelte";
  import PictureActions from "./PictureActions.svelte";
  import PictureViewer from "./PictureViewer.svelte";
  import { altOf, fileOf, view, viewing, type Picture } from "./pictures.svelte";
  import { followDraft, tellBench } from "./preview";
  import { visit } from "./visited";
  import WishForm from "./WishForm.svelte";

  let desk = $state(pageData.desk!);
  if (pageData.preview) followDraft((face) => (desk = face));
  else visit(pageData.desk!);

  const gallery = new Gallery();
  const depicts = $derived(desk.depicts!);
  let wish = $state<Wish>({ words: "", number: 1, format: "square", seed: "", mask: "" });
  let form: WishForm | undefined = $state();
  let infoOpen = $state(false);
  let shared = $state("");
  let sharing = $state(false);
  let choosing = $state(false);
  let chosen = $state<string[]>([]);
  let offline = $state(!navigator.onLine);
  const ThemeIcon = $derived({ auto: SunMoon, light: Sun, dark: Moon }[theme.choice]);

  const newest = $derived(gallery.search ? undefined : gallery.list[0]);
  const older = $derived(gallery.search ? gallery.list : gallery.list.slice(1));

  $effect(() => {
    document.title = desk.title;
  });
  $effect(() => {
    if (pageData.preview && newest?.turn) tellBench(newest.turn);
  });
  $effect(() => {
    if (!gallery.undo) return;
    const timer = setTimeout(() => (gallery.undo = null), 15_000);
    return () => clearTimeout(timer);
  });

  let timer: ReturnType<typeof setTimeout> | undefined;
  function searched() {
    clearTimeout(timer);
    timer = setTimeout(() => void gallery.refresh(), 200);
  }

  /** Has older ones fetched before the end of the list is reached. */
  function more(end: HTMLElement) {
    const watch = new IntersectionObserver(
      (entries) => entries.some((e) => e.isIntersecting) && void gallery.extend().catch(() => {}),
      { rootMargin: "1500px" },
    );
    watch.observe(end);
    return () => watch.disconnect();
  }

  function again(p: Picture, same: boolean) {
    viewing.pictures = [];
    wish.words = p.made?.words ?? "";
    wish.seed = same && p.made?.seed !== undefined ? String(p.made.seed) : "";
    wish.number = 1;
    const { width = 1, height = 1 } = p.made ?? {};
    wish.format = width > height ? "lying" : width < height ? "upright" : "square";
    scrollTo({ top: 0 });
    if (depicts.from === "picture" && p.made?.of && !gallery.given.list.length)
      return void gallery.like({ ...p, id: p.made.of });
    form?.focus();
  }

  async function like(p: Picture) {
    viewing.pictures = [];
    wish = { ...wish, words: "", mask: "", seed: "" };
    await gallery.like(p);
    scrollTo({ top: 0 });
    form?.focus();
  }

  async function share(p: Picture) {
    viewing.pictures = [];
    try {
      shared = new URL(await shareLink(p.conversation!), location.origin).href;
      sharing = true;
    } catch {
      gallery.problem = say.general.onTheWay;
    }
  }

  function remove(p: Picture) {
    viewing.pictures = [];
    void gallery.remove(p);
  }

  function press(p: Picture, i: number) {
    if (!choosing) {
      if (pageData.preview && p.turn) tellBench(p.turn);
      return view(older, i, true);
    }
    chosen = chosen.includes(p.id) ? chosen.filter((id) => id !== p.id) : [...chosen, p.id];
  }

  async function opener(words: string) {
    wish.words = words;
    await gallery.make({ ...wish });
  }
</script>

<svelte:window onoffline={() => (offline = true)} ononline={() => (offline = false)} />

{#snippet actions(p: Picture)}
  <PictureActions
    picture={p}
    {depicts}
    again={(same) => again(p, same)}
    like={() => like(p)}
    goOn={(slug) => gallery.goOn(slug, p)}
    share={() => share(p)}
    remove={() => remove(p)} />
{/snippet}

<header class="sticky top-0 z-20 mx-auto flex h-13 max-w-[72rem] items-center gap-1 bg-paper px-3 sm:px-5">
  <p class="min-w-0 flex-1 truncate px-1 font-serif text-note"></p>
  {#if pageData.preview}<span class="rounded bg-leaf px-2 py-0.5 text-mini text-faded">{say.page.draft}</span
    >{/if}
  <button class="icon" aria-label={say.desk.canDo} title={say.desk.canDo} onclick={() => (infoOpen = true)}
    ><Info size={18} aria-hidden="true" /></button>
  <button
    class="icon"
    title={say.page.theme(theme.choice)}
    aria-label={say.page.themeChange(say.page.theme(theme.choice))}
    onclick={turnTheme}><ThemeIcon size={18} aria-hidden="true" /></button>
</header>

<main class="mx-auto max-w-[72rem] px-4 pb-16 sm:px-6">
  {#if !gallery.list.length}<div class="mt-4 mb-3 sm:mt-8"><Mark size={34} /></div>{/if}
  <h1
    class={[
      "font-serif leading-tight font-semibold text-balance break-words",
      gallery.list.length ? "text-head" : "text-hero",
    ]}>
    {desk.title}
  </h1>
  <p
    class={[
      "mt-2 max-w-[52rem] font-serif leading-relaxed text-pretty",
      gallery.list.length ? "text-note text-faded" : "text-lead",
    ]}>
    {desk.purpose}
  </p>

  <div class="mt-5 max-w-[52rem]">
    <WishForm bind:this={form} bind:wish {gallery} {depicts} />
    {#if offline}<p class="mt-3 rounded border border-rule bg-leaf px-4 py-2 text-sm" role="status">
        {say.notices.offline}
      </p>{/if}
    {#if gallery.problem}<p class="problem mt-3" role="alert">{gallery.problem}</p>{/if}
    {#if gallery.turn}
      <MakingCard
        turn={gallery.turn}
        stop={() => gallery.stop()}
        again={() => gallery.make({ ...wish, words: gallery.turn!.question })}
        close={() => (gallery.turn = null)} />
    {/if}
  </div>
  <p class="sr-only" role="status">
    {gallery.running ? say.gallery.spokenMaking : newest ? say.gallery.spokenNewest(altOf(newest)) : ""}
  </p>

  {#if gallery.loaded && !gallery.list.length && !gallery.search && !gallery.turn}
    <p class="mt-8 max-w-[42rem] text-note text-faded">{say.gallery.empty}</p>
    {#if desk.openers.length && depicts.from === "words"}
      <h2 class="mt-6 mb-1 text-sm font-semibold text-faded">{say.gallery.begin}</h2>
      <ol class="max-w-[42rem] border-t border-rule">
        {#each desk.openers as o (o)}
          <li class="border-b border-rule">
            <button
              class="w-full py-[0.7rem] text-left font-serif text-text hover:bg-leaf hover:text-accent"
              onclick={() => opener(o)}>{o}</button>
          </li>
        {/each}
      </ol>
    {/if}
  {/if}

  {#if newest}
    <section class="mt-8 gap-7 md:flex" aria-label={say.gallery.newest}>
      <button
        class="block shrink-0 overflow-hidden rounded border border-rule bg-leaf hover:border-accent"
        aria-label={say.pictures.large(altOf(newest))}
        onclick={() => view(gallery.list, 0, true)}>
        <img
          class="max-h-[34rem] w-full object-contain md:max-w-[34rem]"
          style="aspect-ratio: {newest.width} / {newest.height}"
          src={fileOf(newest.id)}
          alt={altOf(newest)} />
      </button>
      <div class="mt-4 min-w-0 md:mt-0">
        <h2 class="font-serif text-lead leading-snug font-semibold break-words whitespace-pre-wrap">
          {newest.made?.words || say.gallery.variations}
        </h2>
        <p class="mt-2 text-fine text-faded">{say.gallery.how(newest)}</p>
        <div class="mt-4">{@render actions(newest)}</div>
      </div>
    </section>
  {/if}

  {#if older.length || gallery.search}
    <div class="mt-10 flex flex-wrap items-end gap-x-4 gap-y-2 border-t border-rule pt-4">
      <h2 class="mr-auto font-serif text-title font-semibold">{say.gallery.earlier}</h2>
      <input
        class="field !min-h-9 w-56 max-w-full"
        type="search"
        placeholder={say.gallery.searchShort}
        aria-label={say.gallery.search}
        bind:value={gallery.search}
        oninput={searched} />
      {#if choosing}
        <a
          class={[
            "button-main inline-flex items-center gap-2 no-underline",
            !chosen.length && "pointer-events-none opacity-50",
          ]}
          aria-disabled={!chosen.length}
          href={chosen.length ? zipOf(chosen) : undefined}
          ><Download size={15} aria-hidden="true" />{say.gallery.zip(chosen.length)}</a>
        <button class="button-plain" onclick={() => ((choosing = false), (chosen = []))}
          >{say.gallery.doneChoosing}</button>
      {:else}
        <button class="button-plain" onclick={() => (choosing = true)}>{say.gallery.chooseSome}</button>
        <a class="button-plain no-underline" href={zipOf([])}>{say.gallery.zipAll}</a>
      {/if}
    </div>
    {#if gallery.search && !gallery.list.length}<p class="mt-4 text-faded">{say.gallery.notFound}</p>{/if}
    {#each gallery.days as { day, pictures } (day)}
      <section class="mt-5 [contain-intrinsic-size:auto_12rem] [content-visibility:auto]">
        <h3 class="mb-2 text-sm font-semibold text-faded">{day}</h3>
        <ul class="grid grid-cols-3 gap-2 sm:grid-cols-5 lg:grid-cols-7">
          {#each pictures as p (p.id)}
            {@const on = chosen.includes(p.id)}
            <li>
              <button
                class={[
                  "relative block aspect-square w-full overflow-hidden rounded border bg-leaf",
                  on ? "border-accent ring-2 ring-accent" : "border-rule hover:border-accent",
                ]}
                aria-label={choosing ? say.gallery.chooseOne(altOf(p)) : say.pictures.large(altOf(p))}
                aria-pressed={choosing ? on : undefined}
                title={p.made?.words}
                onclick={() => press(p, older.indexOf(p))}>
                <img
                  class="size-full object-cover"
                  loading="lazy"
                  decoding="async"
                  src={fileOf(p.id, true)}
                  alt="" />
              </button>
            </li>
          {/each}
        </ul>
      </section>
    {/each}
    {#if gallery.more}<div {@attach more} class="h-10"></div>{/if}
  {/if}
</main>

{#if gallery.undo}
  <div
    class={[
      "fixed inset-x-0 bottom-3 z-20 mx-auto flex w-[min(34rem,94vw)] items-center justify-between",
      "rounded border border-rule bg-leaf py-1.5 pr-1.5 pl-4 text-sm shadow-lg",
    ]}
    role="status">
    <span class="min-w-0 truncate">{gallery.undo.what}</span>
    <button
      class="min-h-8 shrink-0 rounded px-3 font-semibold text-accent hover:bg-paper"
      onclick={() => gallery.bringBack()}>{say.conversation.undo}</button>
  </div>
{/if}

<DeskInfo {desk} bind:open={infoOpen} />
<PictureViewer {actions} />
<Dialog bind:open={sharing} title={say.gallery.share} place="high" cross={say.general.close}>
  <p class="mt-2 text-note leading-relaxed">{say.gallery.shared}</p>
  <div class="mt-4 flex items-center gap-2">
    <input
      class="min-w-0 flex-1 rounded border border-field bg-leaf px-3 py-2 text-sm"
      readonly
      value={shared}
      aria-label={say.share.link}
      onfocus={(e) => e.currentTarget.select()} />
    <CopyButton
      text={shared}
      label={say.share.copy}
      class="min-h-9 rounded bg-accent px-4 text-sm font-semibold text-on-accent hover:!text-on-accent" />
  </div>
</Dialog>
