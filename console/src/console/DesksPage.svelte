<script lang="ts">
  import Page from "../ui/Page.svelte";
  import Table from "../ui/Table.svelte";
  import Plus from "@lucide/svelte/icons/plus";
  import Upload from "@lucide/svelte/icons/upload";
  import { onMount } from "svelte";
  import { toast } from "svelte-sonner";
  import * as making from "../api/making";
  import type { Schemas } from "../pageData";
  import FirstRun from "./FirstRun.svelte";
  import FolderNews from "./FolderNews.svelte";
  import NewDesk from "./NewDesk.svelte";
  import { hrefOf, router } from "./router.svelte";
  import { complain, state as app } from "./state.svelte";
  import { ago } from "./time";

  let folder = $state<{ folder: string; files: Schemas["FolderFile"][] } | null>(null);
  let chooser: HTMLInputElement;

  // The figures are read anew as long as somebody looks at them.
  onMount(() => {
    const read = () => {
      if (document.hidden || !app.session) return;
      Promise.all([
        app.readDesks(),
        app.readMilestones(),
        making.readFolder().then((f) => (folder = f)),
      ]).catch(complain);
    };
    read();
    const timer = setInterval(read, 5000);
    return () => clearInterval(timer);
  });

  const desks = $derived(app.desks ?? []);

  function stateOf(d: Schemas["Desk"]): string {
    if (d.published && d.draft) return `Published, with a draft`;
    if (d.published) return "Published";
    return d.newest ? "Withdrawn" : "Draft";
  }

  async function importFile(e: Event & { currentTarget: HTMLInputElement }) {
    const file = e.currentTarget.files?.[0];
    e.currentTarget.value = "";
    if (!file) return;
    try {
      const { slug, problems } = await making.importDesk(await file.text());
      if (problems.length)
        toast.error(`The desk is here, but not published: ${problems[0]!.message}`, { duration: 10_000 });
      else toast("The desk is here");
      router.go(`desks/${slug}`);
    } catch (e) {
      complain(e);
    }
  }

  const columns = [
    { title: "Desk" },
    { title: "Model", class: "hidden md:table-cell" },
    { title: "State" },
    { title: "Questions today", number: true, class: "hidden sm:table-cell" },
    {
      title: "Helped",
      number: true,
      class: "hidden sm:table-cell",
      hint: "Of the replies of the last thirty days that visitors judged",
    },
    { title: "Last used", class: "hidden lg:table-cell" },
  ];

  const about =
    "A desk is a page where colleagues ask a model things. Visitors " +
    "see the revision that is published; you go on working at the draft.";
</script>

<Page title="Desks" {about}>
  {#snippet actions()}
    <input
      bind:this={chooser}
      class="hidden"
      type="file"
      accept=".json,application/json"
      onchange={importFile}
      aria-label="An exported desk"
      tabindex="-1" />
    <button class="button-plain" onclick={() => chooser.click()}
      ><Upload size={15} aria-hidden="true" /> Import</button>
    <button class="button-main" onclick={() => router.go("new")}
      ><Plus size={16} aria-hidden="true" /> Make a desk</button>
  {/snippet}
  {#if app.milestones && !app.milestones.published}
    <FirstRun milestones={app.milestones} desks={app.desks ?? []} />
  {/if}

  {#if folder?.folder}<FolderNews {folder} />{/if}

  {#if desks.length}
    <Table label="Desks" class="mt-6" {columns}>
      {#each desks as d (d.slug)}
        <tr class="border-b border-rule align-baseline hover:bg-leaf">
          <td class="py-3">
            <a
              class="block font-serif text-text font-semibold no-underline hover:text-accent"
              href={hrefOf(`desks/${d.slug}`)}
              onclick={router.follow}>{d.title}</a>
            <span class="text-fine wrap-anywhere text-faded">/at/{d.slug}</span>
          </td>
          <td class="hidden py-3 md:table-cell">{d.model || "–"}</td>
          <td class="py-3">
            {stateOf(d)}
            {#if d.published}<span class="block text-fine text-faded"
                >revision {d.published}, {ago(d.changed_at)}</span
              >{/if}
          </td>
          <td class="hidden py-3 text-right tabular-nums sm:table-cell">{d.questions_today}</td>
          <td class="hidden py-3 text-right tabular-nums sm:table-cell">
            {#if d.judged}{Math.round((100 * d.helped) / d.judged)} %<span class="block text-fine text-faded"
                >of {d.judged}</span
              >{:else}<span class="text-faded">no verdicts</span>{/if}
          </td>
          <td class="hidden py-3 lg:table-cell">{ago(d.last_asked)}</td>
        </tr>
      {/each}
    </Table>
  {:else if app.desks}
    <div class="mt-10 max-w-[36rem] border-l-2 border-margin pl-5">
      <p class="font-serif text-lead leading-relaxed">
        A desk is a page where people ask a model things. You say in a short file which model answers and how;
        visitors get a link.
      </p>
      <p class="mt-3 text-sm text-faded">
        Make one here, publish a file with <code>juvalogos desk publish FILE</code>, or start the service with
        <code>-desks FOLDER</code> and save files there.
      </p>
    </div>
  {/if}
</Page>

<NewDesk open={router.path === "new"} />
