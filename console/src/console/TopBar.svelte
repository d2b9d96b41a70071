<script lang="ts">
  import Moon from "@lucide/svelte/icons/moon";
  import Search from "@lucide/svelte/icons/search";
  import Sun from "@lucide/svelte/icons/sun";
  import SunMoon from "@lucide/svelte/icons/sun-moon";
  import { DropdownMenu } from "bits-ui";
  import * as making from "../api/making";
  import { theme, turnTheme } from "../theme.svelte";
  import Mark from "../ui/Mark.svelte";
  import { palette } from "./palette.svelte";
  import { hrefOf, router } from "./router.svelte";
  import { act, state } from "./state.svelte";

  const pages = [
    ["", "Desks", "The pages that visitors ask at"],
    ["shelves", "Shelves", "The documents that desks answer from"],
    ["replies", "Replies", "Every reply, and how it was made"],
    ["verdicts", "Verdicts", "What visitors said of replies"],
    ["quizzes", "Quizzes", "Questions that people take, and models sit"],
    ["usage", "Usage", "What models were asked, and what it cost"],
    ["connections", "Connections", "Where models live"],
    ["access", "Access", "Your password, browsers and tokens"],
  ] as const;
  const here = $derived(router.path.split("/")[0] === "desks" ? "" : router.path.split("/")[0]);
  const themes = { auto: "as your device has them", light: "light", dark: "dark" };
  const ThemeIcon = $derived({ auto: SunMoon, light: Sun, dark: Moon }[theme.choice]);

  async function signOut() {
    if (await act(making.signOut, "Signed out")) state.signedOut();
  }
</script>

<header
  class={[
    "sticky top-0 z-20 flex min-h-13 flex-wrap items-center gap-x-1 border-b border-rule",
    "bg-paper px-3 sm:h-13 sm:flex-nowrap sm:px-6",
  ]}>
  <a
    class="mr-auto flex items-center gap-2 px-1 py-3 font-serif text-text no-underline sm:mr-5 sm:py-0"
    href={hrefOf("")}
    onclick={router.follow}><Mark size={24} /> Juvalogos</a>
  <nav
    class={[
      "order-last flex w-full min-w-0 items-center overflow-x-auto pb-1.5 sm:order-none",
      "sm:gap-1 sm:w-auto sm:flex-1 sm:pb-0",
    ]}
    aria-label="Console">
    {#each pages as [path, name, about] (path)}
      <a
        class={[
          "rounded px-1 py-1.5 text-mini no-underline hover:bg-leaf sm:px-2.5 sm:text-sm",
          here === path && "font-semibold text-accent",
        ]}
        href={hrefOf(path)}
        title={about}
        aria-current={here === path ? "page" : undefined}
        onclick={router.follow}>{name}</a>
    {/each}
  </nav>
  <button
    class={[
      "hidden h-8 items-center gap-2 rounded border border-rule px-2.5 text-fine",
      "text-faded hover:bg-leaf sm:flex",
    ]}
    onclick={() => (palette.open = true)}>
    <Search size={14} aria-hidden="true" /> Find or do <kbd class="ml-2 text-mini">Ctrl K</kbd>
  </button>
  <button class="icon sm:!hidden" aria-label="Find or do" onclick={() => (palette.open = true)}
    ><Search size={18} aria-hidden="true" /></button>
  <button
    class="icon"
    title="Colours: {themes[theme.choice]}"
    aria-label="Colours: {themes[theme.choice]}. Change them."
    onclick={turnTheme}><ThemeIcon size={18} aria-hidden="true" /></button>
  <DropdownMenu.Root>
    <DropdownMenu.Trigger
      class="h-9 max-w-32 truncate rounded px-2.5 text-sm hover:bg-leaf"
      aria-label="Your account, {state.session?.name}">{state.session?.name}</DropdownMenu.Trigger>
    <DropdownMenu.Portal disabled>
      <DropdownMenu.Content align="end" sideOffset={4} strategy="fixed" preventScroll={false} class="menu">
        <DropdownMenu.Item class="menu-item" onSelect={() => router.go("access")}
          >Password and browsers</DropdownMenu.Item>
        <DropdownMenu.Item class="menu-item" onSelect={signOut}>Sign out</DropdownMenu.Item>
      </DropdownMenu.Content>
    </DropdownMenu.Portal>
  </DropdownMenu.Root>
</header>
