<script lang="ts">
  import { Command } from "bits-ui";
  import Dialog from "../ui/Dialog.svelte";
  import * as making from "../api/making";
  import { turnTheme } from "../theme.svelte";
  import { palette, type Command as Entry } from "./palette.svelte";
  import { router } from "./router.svelte";
  import { act, state } from "./state.svelte";

  const everywhere: Entry[] = [
    { group: "Go to", name: "Desks", run: () => router.go("") },
    { group: "Go to", name: "Quizzes", run: () => router.go("quizzes") },
    { group: "Go to", name: "Connections", run: () => router.go("connections") },
    { group: "Go to", name: "Access: tokens, browsers, password", run: () => router.go("access") },
    { group: "Do", name: "Make a desk", run: () => router.go("new") },
    { group: "Do", name: "Change the theme", run: turnTheme },
    {
      group: "Do",
      name: "Sign out",
      run: async () => (await act(making.signOut, "Signed out")) && state.signedOut(),
    },
  ];
  const all = $derived([
    ...palette.commands,
    ...(state.desks ?? []).map((d) => ({
      group: "Desks",
      name: `${d.title} (${d.slug})`,
      run: () => router.go(`desks/${d.slug}`),
    })),
    ...everywhere,
  ]);
  const groups = $derived([...new Set(all.map((c) => c.group))]);

  function keydown(e: KeyboardEvent) {
    if (e.key.toLowerCase() === "k" && (e.ctrlKey || e.metaKey)) {
      e.preventDefault();
      palette.open = !palette.open;
      if (palette.open && !state.desks) void state.readDesks().catch(() => {});
    }
  }

  function run(c: Entry) {
    palette.open = false;
    setTimeout(c.run); // once the focus is back
  }
</script>

<svelte:window onkeydown={keydown} />

<Dialog bind:open={palette.open} title="Find or do" silent place="high" width="36rem">
  <Command.Root label="Find or do">
    <Command.Input
      class={[
        "w-full border-b border-rule bg-transparent px-5 py-3.5 font-serif text-text",
        "outline-none placeholder:text-faded",
      ]}
      placeholder="Find a desk, or do something"
      aria-label="Find a desk, or do something" />
    <Command.List class="max-h-[50vh] overflow-y-auto p-2">
      <Command.Viewport>
        <Command.Empty class="px-3 py-6 text-center text-sm text-faded"
          >Nothing is called that.</Command.Empty>
        {#each groups as group (group)}
          <Command.Group>
            <Command.GroupHeading class="px-3 pt-2 pb-1 text-mini font-medium text-faded"
              >{group}</Command.GroupHeading>
            <Command.GroupItems>
              {#each all.filter((c) => c.group === group) as c (c.name)}
                <Command.Item
                  value="{group} {c.name}"
                  class="cursor-pointer rounded px-3 py-2 text-sm data-selected:bg-leaf"
                  onSelect={() => run(c)}>{c.name}</Command.Item>
              {/each}
            </Command.GroupItems>
          </Command.Group>
        {/each}
      </Command.Viewport>
    </Command.List>
  </Command.Root>
</Dialog>
