<script lang="ts">
  import Page from "../ui/Page.svelte";
  import CopyButton from "../ui/CopyButton.svelte";
  import * as making from "../api/making";
  import type { Schemas } from "../pageData";
  import { act, complain } from "./state.svelte";
  import { ago } from "./time";
  import Link from "../ui/Link.svelte";

  let tokens = $state<Schemas["Token"][] | null>(null);
  let browsers = $state<Schemas["Browser"][] | null>(null);
  let fresh = $state<Schemas["Token"] | null>(null);
  let name = $state("");
  let days = $state("90");
  let scopes = $state<NonNullable<Schemas["NewToken"]["scopes"]>>(["ask"]);
  let old = $state("");
  let wanted = $state("");
  let tokensToo = $state(false);

  const meanings = {
    ask: "ask at desks",
    read: "see desks, models and conversations",
    publish: "change desks",
    manage: "tokens and connections",
  } as const;

  async function read() {
    try {
      [tokens, browsers] = await Promise.all([making.listTokens(), making.listBrowsers()]);
    } catch (e) {
      complain(e);
    }
  }
  void read();

  async function add(e: SubmitEvent) {
    e.preventDefault();
    const expires_at = Number(days)
      ? new Date(Date.now() + Number(days) * 86_400_000).toISOString()
      : undefined;
    await act(async () => {
      fresh = await making.addToken({ name, scopes, expires_at });
      name = "";
      await read();
    }, "The token is made");
  }

  const remove = (t: Schemas["Token"]) =>
    act(
      async () => (await making.removeToken(t.name), await read()),
      `${t.name} is worthless now`,
      async () => (await making.restoreToken(t.name), await read()),
    );
  const signOut = (b: Schemas["Browser"]) =>
    act(async () => (await making.endSession(b.id), await read()), `${b.what} is signed out`);

  async function changePassword(e: SubmitEvent) {
    e.preventDefault();
    if (
      await act(
        () => making.setPassword(old, wanted, tokensToo),
        tokensToo
          ? "The password is changed; all other browsers and your command lines are signed out"
          : "The password is changed; all other browsers are signed out",
      )
    ) {
      old = wanted = "";
      await read();
    }
  }

  const about =
    "Who and what may come in: tokens for programs and the " +
    "command line, the browsers you are signed in with, your password.";
</script>

<Page title="Access" {about} narrow>
  <section class="mt-6" aria-labelledby="tokens">
    <h2 id="tokens" class="font-serif text-title font-semibold">Tokens for programs</h2>
    <p class="mt-1 text-note text-faded">
      A program shows its token with every request. It is shown to you once; only its hash is kept.
    </p>
    {#if fresh?.secret}
      <div class="mt-4 border-l-2 border-accent bg-leaf px-4 py-3" role="status">
        <p class="text-note">
          This is the token <strong>{fresh.name}</strong>. Copy it now; it is not shown again.
        </p>
        <p class="mt-2 flex flex-wrap items-center gap-3">
          <code class="break-all">{fresh.secret}</code>
          <CopyButton text={fresh.secret} label="Copy the token" class="text-sm" />
        </p>
      </div>
    {/if}
    <ul class="mt-4">
      {#each tokens ?? [] as t (t.name)}
        <li class="flex flex-wrap items-baseline gap-x-5 gap-y-0.5 border-t border-rule py-2.5">
          <p class="w-56 font-semibold break-words">{t.name}</p>
          <p class="min-w-48 flex-1 text-note text-faded">
            {t.scopes.join(", ")}; last used {ago(t.used_at)}; {t.expires_at
              ? `until ${new Date(t.expires_at).toLocaleDateString("en", { day: "numeric", month: "long", year: "numeric" })}`
              : "does not expire"}
          </p>
          <Link class="min-h-7 text-sm" onclick={() => remove(t)} aria-label="Remove {t.name}">Remove</Link>
        </li>
      {/each}
    </ul>
    <form class="mt-4 rounded border border-rule p-4" onsubmit={add}>
      <h3 class="text-sm font-semibold">Make a token</h3>
      <div class="mt-3 grid gap-4 sm:grid-cols-[1fr_10rem]">
        <label class="block text-sm font-semibold"
          >What it is for <input
            class="field mt-1.5"
            bind:value={name}
            required
            maxlength="60"
            placeholder="newsletter script" /></label>
        <label class="block text-sm font-semibold"
          >Lasts <select class="field mt-1.5" bind:value={days}
            ><option value="30">30 days</option><option value="90">90 days</option><option value="365"
              >a year</option
            ><option value="0">for ever</option></select
          ></label>
      </div>
      <fieldset class="mt-4">
        <legend class="text-sm font-semibold">Good for</legend>
        <div class="mt-1.5 grid gap-1.5 sm:grid-cols-2">
          {#each Object.entries(meanings) as [scope, meaning] (scope)}
            <label class="flex items-center gap-2 text-sm"
              ><input type="checkbox" class="size-4 accent-(--accent)" value={scope} bind:group={scopes} />
              {meaning} <span class="text-faded">({scope})</span></label>
          {/each}
        </div>
      </fieldset>
      <button class="button-main mt-4" disabled={!scopes.length}>Make it</button>
    </form>
  </section>

  <section class="mt-12" aria-labelledby="browsers">
    <h2 id="browsers" class="font-serif text-title font-semibold">Browsers that are signed in</h2>
    <ul class="mt-3">
      {#each browsers ?? [] as b (b.id)}
        <li class="flex flex-wrap items-baseline gap-x-5 border-t border-rule py-2.5">
          <p class="w-56 font-semibold">{b.what}</p>
          <p class="min-w-40 flex-1 text-note text-faded">
            {b.here ? "this one" : `seen ${ago(b.seen_at)}`}; signed in {ago(b.made_at)}
          </p>
          {#if !b.here}<Link class="min-h-7 text-sm" onclick={() => signOut(b)}>Sign it out</Link>{/if}
        </li>
      {/each}
    </ul>
  </section>

  <section class="mt-12 max-w-[26rem]" aria-labelledby="password">
    <h2 id="password" class="font-serif text-title font-semibold">Password</h2>
    <form class="mt-3 space-y-4" onsubmit={changePassword}>
      <label class="block text-sm font-semibold"
        >The one you have <input
          class="field mt-1.5"
          type="password"
          bind:value={old}
          required
          autocomplete="current-password" /></label>
      <label class="block text-sm font-semibold"
        >The one you want <input
          class="field mt-1.5"
          type="password"
          bind:value={wanted}
          required
          minlength="10"
          autocomplete="new-password" /></label>
      <label class="flex items-start gap-2 text-sm"
        ><input type="checkbox" class="mt-0.5 size-4 accent-(--accent)" bind:checked={tokensToo} />
        <span
          >Also sign out my command lines
          <span class="block text-faded">Those that signed in with <code>juvalogos login</code>.</span></span
        ></label>
      <button class="button-main">Change it</button>
    </form>
  </section>
</Page>
