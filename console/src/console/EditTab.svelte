<!-- The desk file, its form and a preview, side by side. -->
<script lang="ts">
  import Dialog from "../ui/Dialog.svelte";
  import { onMount } from "svelte";
  import { toast } from "svelte-sonner";
  import * as making from "../api/making";
  import { pageData, type Schemas } from "../pageData";
  import { namesOf } from "./models";
  import DeskForm from "./form/DeskForm.svelte";
  import { complain, state as app } from "./state.svelte";
  import Link from "../ui/Link.svelte";

  interface Props {
    /** The desk. */
    desk: Schemas["Desk"];
    /** Reads the desk anew. */
    refresh: () => Promise<void>;
  }

  let { desk, refresh }: Props = $props();

  // The text is the truth; form, file and preview follow it.
  let text = $state("");
  let problems = $state<Schemas["FileProblems"]>([]);
  let schema = $state<making.DeskSchema | null>(null);
  let loaded = $state(false);
  let saved = $state(true);
  let refused = $state(false); // the last try to save it failed
  let published = $state("");
  let changedAt = "";
  let publishing = $state(false);
  let note = $state("");
  let pane = $state<"form" | "file" | "preview">("form"); // where there is room for one only
  let editor: { show: (p: Schemas["FileProblems"][number]) => void } | undefined = $state();

  onMount(() => {
    void load();
    const follow = setInterval(followOthers, 2000);
    return () => (clearInterval(follow), clearTimeout(timer));
  });

  async function load() {
    try {
      const [draft, s] = await Promise.all([
        making.readDraft(desk.slug),
        making.readDeskSchema(),
        app.readModels(),
      ]);
      text = draft.file;
      problems = draft.problems;
      changedAt = draft.changed_at;
      schema = s;
      published = desk.published ? (desk.file ?? "") : "";
      loaded = true;
    } catch (e) {
      complain(e);
    }
  }

  // A file of the watched folder, the command line or another browser may have
  // changed the desk: what is shown follows, unless something is being typed.
  async function followOthers() {
    if (!loaded || !saved || document.hidden) return;
    try {
      const draft = await making.readDraft(desk.slug);
      if (!saved || (draft.file === text && draft.changed_at === changedAt)) return;
      text = draft.file;
      problems = draft.problems;
      changedAt = draft.changed_at;
      await refresh(); // somebody may have published it
      published = desk.published ? (desk.file ?? "") : "";
    } catch {
      // The next look tells.
    }
  }

  let timer = 0;
  let asked = 0;
  function changed(now: string) {
    text = now;
    saved = false;
    clearTimeout(timer);
    timer = window.setTimeout(save, 250);
  }

  /** Keeps the draft and marks what is wrong with it. */
  async function save() {
    const mine = ++asked;
    const now = text;
    try {
      const found = await making.saveDraft(desk.slug, now);
      if (mine !== asked || now !== text) return;
      problems = found;
      saved = true;
      refused = false;
    } catch (e) {
      if (mine === asked && !refused) complain(e);
      refused = true;
      timer = window.setTimeout(save, 3000);
    }
  }

  const unpublished = $derived(text !== published);
  const status = $derived(
    !saved
      ? refused
        ? "Not kept yet; it is tried again"
        : "Saving …"
      : problems.length
        ? `${problems.length} ${problems.length === 1 ? "mistake" : "mistakes"}`
        : unpublished
          ? "Draft, kept; not published"
          : "As published",
  );

  async function publish(e: SubmitEvent) {
    e.preventDefault();
    try {
      const now = text;
      const was = desk.published;
      const done = await making.publish(now, note);
      publishing = false;
      note = "";
      published = now;
      await refresh();
      toast(`Revision ${done.published} is published`, {
        duration: 10_000,
        action: { label: "Open the page", onClick: () => window.open(done.page, "_blank", "noopener") },
        cancel: was
          ? {
              label: "Undo",
              onClick: async () => {
                await making.returnTo(desk.slug, was).catch(complain);
                await making.saveDraft(desk.slug, now).catch(complain);
                await refresh();
                published = desk.file ?? "";
              },
            }
          : undefined,
      });
    } catch (e) {
      complain(e);
    }
  }

  const panes = { form: "Form", file: "File", preview: "Preview" } as const;

  function keydown(e: KeyboardEvent) {
    if (e.key.toLowerCase() === "s" && (e.ctrlKey || e.metaKey)) {
      e.preventDefault(); // kept already; what is meant is to publish it
      if (!problems.length && unpublished && saved) publishing = true;
    }
  }
</script>

<svelte:window onkeydown={keydown} />

<div class="flex flex-wrap items-center gap-x-4 gap-y-2 border-b border-rule px-4 py-2 text-sm sm:px-6">
  <div class="flex rounded border border-rule xl:hidden" role="group" aria-label="What is shown">
    {#each Object.entries(panes) as [key, name] (key)}
      <button
        class={["px-3 py-1.5", pane === key ? "bg-leaf font-semibold" : "", key === "preview" && "lg:hidden"]}
        aria-pressed={pane === key}
        onclick={() => (pane = key as typeof pane)}>{name}</button>
    {/each}
  </div>
  <p
    class="order-last min-w-0 basis-full truncate text-faded sm:order-none sm:flex-1 sm:basis-0"
    role="status">
    {#if saved && problems.length}
      <Link onclick={() => ((pane = "file"), editor?.show(problems[0]!))}>{status}</Link>: {problems[0]!
        .message}
    {:else}{status}{/if}
  </p>
  <button
    class="button-main ml-auto"
    disabled={!saved || problems.length > 0 || !unpublished}
    onclick={() => (publishing = true)}>Publish</button>
</div>

<div
  class={[
    "grid min-h-0 grid-cols-[minmax(0,1fr)] lg:h-[calc(100dvh-14.3rem)] lg:grid-cols-[minmax(0,1fr)_minmax(0,26rem)]",
    "xl:grid-cols-[minmax(0,23rem)_minmax(0,1fr)_minmax(0,26rem)]",
  ]}>
  {#if loaded}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <section
      class={[
        "min-h-0 overflow-y-auto border-r border-rule",
        pane === "form" ? "block" : "hidden",
        pane !== "file" && "lg:block",
        "xl:block",
      ]}
      aria-label="Form"
      tabindex="0">
      <DeskForm {text} {problems} models={app.models} change={changed} />
    </section>
    <section
      class={[
        "h-[calc(100dvh-13rem)] min-h-0 border-r border-rule lg:h-auto",
        pane === "file" ? "block" : "hidden",
        "xl:block",
      ]}
      aria-label="File">
      {#await import("./editor/DeskEditor.svelte") then { default: DeskEditor }}
        <DeskEditor bind:this={editor} {text} {problems} {schema} models={namesOf(app.models)} {changed} />
      {:catch}
        <p class="p-4 text-note">
          The editor could not be fetched. The form works without it; reload the page to try again.
        </p>
      {/await}
    </section>
    <section
      class={[
        "h-[calc(100dvh-13rem)] min-h-0 bg-leaf lg:h-auto",
        pane === "preview" ? "block" : "hidden",
        "lg:block",
      ]}
      aria-label="Preview">
      <iframe
        class="size-full"
        title="Preview of the desk as visitors will see it"
        src="{pageData.base}/at/~{desk.slug}"></iframe>
    </section>
  {:else}
    <p class="px-6 pt-16 text-faded">Fetching the file …</p>
  {/if}
</div>

<Dialog bind:open={publishing} title={`Publish revision ${desk.newest + 1}`}>
  <p class="mt-2 text-note text-faded">
    From their next question on, visitors ask at it. You can go back to an earlier revision at any time.
  </p>
  <form class="mt-5" onsubmit={publish}>
    <label class="block text-sm font-semibold"
      >What is new <input
        class="field mt-1.5"
        bind:value={note}
        maxlength="300"
        placeholder="in a few words, if you like" /></label>
    <div class="mt-5 flex justify-end gap-3">
      <button type="button" class="button-plain" onclick={() => (publishing = false)}>Not yet</button>
      <button class="button-main">Publish</button>
    </div>
  </form>
</Dialog>
