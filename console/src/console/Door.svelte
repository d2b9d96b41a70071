<script lang="ts">
  import Mark from "../ui/Mark.svelte";
  import * as making from "../api/making";
  import { router } from "./router.svelte";
  import { sentence, state as app } from "./state.svelte";

  // Sign in, or with the one-time link make the first account.
  const link = location.hash.slice(1);
  const first = router.path === "welcome" && !!link;

  let name = $state("");
  let password = $state("");
  let problem = $state("");
  let busy = $state(false);

  async function submit(e: SubmitEvent) {
    e.preventDefault();
    busy = true;
    problem = "";
    try {
      app.signedIn(
        first ? await making.makeAccount({ name, password, link }) : await making.signIn({ name, password }),
      );
      if (router.path === "welcome") router.go("", true);
    } catch (e) {
      problem = sentence(e);
    } finally {
      busy = false;
    }
  }
</script>

<main class="mx-auto max-w-[24rem] px-6 pt-[14vh] pb-16">
  <div class="mb-4"><Mark size={40} /></div>
  <h1 class="font-serif text-hero font-semibold">{first ? "Make your account" : "Sign in"}</h1>
  <p class="mt-3 font-serif leading-relaxed">
    {#if first}You run this Juvalogos. With this account you make desks, connect models and read what visitors
      asked.
    {:else}The console is for those who make desks. If you only want to ask something, follow the link that
      you were given.{/if}
  </p>
  <form class="mt-7 space-y-4" onsubmit={submit}>
    <label class="block text-sm font-semibold">
      Name
      <!-- svelte-ignore a11y_autofocus -->
      <input
        class="field mt-1.5"
        bind:value={name}
        autocomplete="username"
        required
        maxlength="60"
        autofocus />
    </label>
    <label class="block text-sm font-semibold">
      Password
      <input
        class="field mt-1.5"
        type="password"
        bind:value={password}
        autocomplete={first ? "new-password" : "current-password"}
        required
        minlength={first ? 10 : undefined}
        aria-describedby={first ? "password-help" : undefined} />
    </label>
    {#if first}<p id="password-help" class="!mt-1.5 text-fine text-faded">
        At least 10 characters. Three or four words do well.
      </p>{/if}
    {#if problem}<p class="problem text-note" role="alert">
        {problem}
      </p>{/if}
    <button class="button-main" disabled={busy}>{first ? "Make the account" : "Sign in"}</button>
  </form>
  {#if !first}
    <p class="mt-8 text-fine leading-relaxed text-faded">
      No account yet? The first one is made with the link that the service prints when it starts.
    </p>
  {/if}
</main>
