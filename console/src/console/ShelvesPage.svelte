<script lang="ts">
  import Page from "../ui/Page.svelte";
  import Table from "../ui/Table.svelte";
  import Plus from "@lucide/svelte/icons/plus";
  import * as shelves from "../api/shelves";
  import type { Schemas } from "../pageData";
  import { hrefOf, router } from "./router.svelte";
  import { act, complain } from "./state.svelte";

  let list = $state<Schemas["Shelf"][] | null>(null);
  let name = $state("");
  shelves
    .listShelves()
    .then((l) => (list = l))
    .catch(complain);

  const slugOf = (title: string) =>
    title
      .toLowerCase()
      .normalize("NFKD")
      .replace(/[^a-z0-9]+/g, "-")
      .replace(/^-+|-+$/g, "")
      .slice(0, 60);

  async function make(e: SubmitEvent) {
    e.preventDefault();
    const slug = slugOf(name);
    if (!slug) return;
    await act(async () => {
      await shelves.makeShelf(slug, name.trim());
      router.go(`shelves/${slug}`);
    }, `The shelf ${slug} is made`);
  }

  const wide = "hidden sm:table-cell";
  const columns = [
    { title: "Shelf" },
    { title: "Documents", number: true },
    { title: "Passages", number: true, class: wide },
    { title: "Words", number: true, class: wide },
    { title: "State" },
  ];

  const about =
    "A shelf holds documents that desks answer from. Put files on it, see " +
    "what a question would find, then choose it where you edit a desk.";
</script>

<Page title="Shelves" {about}>
  {#if list?.length}
    <Table label="Shelves" class="mt-6" least="34rem" {columns}>
      {#each list as s (s.shelf)}
        <tr class="border-t border-rule align-baseline">
          <td class="py-2.5"
            ><a
              class="font-serif text-lead font-semibold no-underline hover:text-accent"
              href={hrefOf(`shelves/${s.shelf}`)}
              onclick={router.follow}>{s.title}</a> <span class="ml-2 text-faded">{s.shelf}</span></td>
          <td class="text-right tabular-nums">{s.documents}</td>
          <td class={[wide, "text-right tabular-nums"]}>{s.passages}</td>
          <td class={[wide, "text-right tabular-nums"]}>{s.words.toLocaleString("en")}</td>
          <td
            >{s.waiting
              ? `${s.waiting} to be read`
              : s.failed
                ? `${s.failed} could not be read`
                : "ready"}</td>
        </tr>
      {/each}
    </Table>
  {:else if list}
    <p class="mt-10 max-w-[36rem] border-l-2 border-margin pl-5 font-serif text-lead leading-relaxed">
      There is no shelf yet. Make one and put the first documents on it: PDF, Word, slides, sheets, web pages,
      Markdown, captions of talks, ZIPs of these.
    </p>
  {/if}
  <form class="mt-8 flex max-w-[30rem] flex-wrap items-end gap-2" onsubmit={make}>
    <label class="min-w-0 flex-1 text-note"
      >A new shelf
      <input
        class="mt-1 w-full rounded border border-field bg-leaf px-3 py-2"
        bind:value={name}
        maxlength="80"
        placeholder="The members’ handbook" />
    </label>
    <button class="button-main" disabled={!slugOf(name)}
      ><Plus size={16} aria-hidden="true" /> Make it</button>
  </form>
</Page>
