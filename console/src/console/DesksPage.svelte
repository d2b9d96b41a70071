<script lang="ts">
  import Plus from "@lucide/svelte/icons/plus";
  import Upload from "@lucide/svelte/icons/upload";
  import { onMount } from "svelte";
  import { toast } from "svelte-sonner";
  import * as making from "../api/making";
  import type { Schemas } from "../given";
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
</script>

<main class="mx-auto max-w-[76rem] px-4 pt-8 pb-20 sm:px-8">
  {#if app.milestones && !app.milestones.published}
    <FirstRun milestones={app.milestones} desks={app.desks ?? []} />
  {/if}

  <div class="flex flex-wrap items-end gap-3">
    <h1 class="flex-1 font-serif text-[1.8rem] font-semibold">Desks</h1>
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
  </div>

  {#if folder?.folder}<FolderNews {folder} />{/if}

  {#if desks.length}
    <div class="relative mt-6 overflow-x-auto" role="region" aria-label="Desks" tabindex="-1">
      <table class="w-full text-left text-[0.92rem]">
        <thead class="text-[0.82rem] text-faded">
          <tr class="border-b border-rule">
            <th class="py-2 pr-4 font-medium">Desk</th>
            <th class="hidden px-4 py-2 font-medium md:table-cell">Model</th>
            <th class="px-4 py-2 font-medium">State</th>
            <th class="hidden px-4 py-2 text-right font-medium sm:table-cell">Questions today</th>
            <th
              class="hidden px-4 py-2 text-right font-medium sm:table-cell"
              title="Of the replies of the last thirty days that visitors judged">Helped</th>
            <th class="hidden py-2 pl-4 font-medium lg:table-cell">Last used</th>
          </tr>
        </thead>
        <tbody>
          {#each desks as d (d.slug)}
            <tr class="border-b border-rule align-baseline hover:bg-leaf">
              <td class="py-3 pr-4">
                <a
                  class="block font-serif text-[1.08rem] font-semibold no-underline hover:text-accent"
                  href={hrefOf(`desks/${d.slug}`)}
                  onclick={router.follow}>{d.title}</a>
                <span class="text-[0.82rem] text-faded">/at/{d.slug}</span>
              </td>
              <td class="hidden px-4 py-3 md:table-cell">{d.model || "–"}</td>
              <td class="px-4 py-3">
                {stateOf(d)}
                {#if d.published}<span class="block text-[0.82rem] text-faded"
                    >revision {d.published}, {ago(d.changed_at)}</span
                  >{/if}
              </td>
              <td class="hidden px-4 py-3 text-right tabular-nums sm:table-cell">{d.questions_today}</td>
              <td class="hidden px-4 py-3 text-right tabular-nums sm:table-cell">
                {#if d.judged}{Math.round((100 * d.helped) / d.judged)} %<span
                    class="block text-[0.82rem] text-faded">of {d.judged}</span
                  >{:else}<span class="text-faded">no verdicts</span>{/if}
              </td>
              <td class="hidden py-3 pl-4 lg:table-cell">{ago(d.last_asked)}</td>
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
  {:else if app.desks}
    <div class="mt-10 max-w-[36rem] border-l-2 border-accent pl-5">
      <p class="font-serif text-lg leading-relaxed">
        A desk is a page where people ask a model things. You say in a short file which model answers and how;
        visitors get a link.
      </p>
      <p class="mt-3 text-sm text-faded">
        Make one here, publish a file with <code>juvalogos desk publish FILE</code>, or start the service with
        <code>-desks FOLDER</code> and save files there.
      </p>
    </div>
  {/if}
</main>

<NewDesk open={router.path === "new"} />
