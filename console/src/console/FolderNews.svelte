<!-- What the watched folder holds, and what is wrong with it. -->
<script lang="ts">
  import FolderOpen from "@lucide/svelte/icons/folder-open";
  import type { Schemas } from "../pageData";
  import { ago } from "./time";

  interface Props {
    /** The folder, and its files. */
    folder: { folder: string; files: Schemas["FolderFile"][] };
  }

  let { folder }: Props = $props();

  const bad = $derived(folder.files.filter((f) => f.problems?.length));
</script>

<div class="mt-5 rounded border border-rule bg-leaf px-4 py-3 text-note">
  <p class="flex items-center gap-2">
    <FolderOpen size={16} class="shrink-0" aria-hidden="true" />
    <span
      >The folder <code>{folder.folder}</code> is watched: a desk file that is saved there is published. {folder
        .files.length}
      {folder.files.length === 1 ? "file" : "files"}{bad.length ? "" : ", none with mistakes"}.</span>
  </p>
  {#each bad as f (f.name)}
    <div class="mt-3 border-l-2 border-wrong pl-3">
      <p><strong>{f.name}</strong> has mistakes since {ago(f.at)}; the last good revision stays.</p>
      <ul class="mt-1 list-disc pl-5">
        {#each f.problems ?? [] as p (p.line + p.message)}<li>
            {p.line ? `Line ${p.line}: ` : ""}{p.message}
          </li>{/each}
      </ul>
    </div>
  {/each}
</div>
