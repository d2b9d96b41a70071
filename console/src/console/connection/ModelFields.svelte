<!-- Which models of a connection desks may use. -->
<script lang="ts">
  import type { Schemas } from "../../pageData";

  interface Props {
    /** Those that are chosen. */
    models: Schemas["ModelSettings"][];
    /** Those that the server has, as it says. Default: it was not asked. */
    found?: string[];
    /** What stands above them. */
    title: string;
    /** A name that is being written. */
    own: string;
    /** Asks the server. Default: it cannot be asked. */
    look?: () => void;
    /** Whether it is being asked. Default: false. */
    busy?: boolean;
  }

  let { models = $bindable(), found = [], title, own = $bindable(), look, busy = false }: Props = $props();

  const names = $derived([...new Set([...found, ...models.map((m) => m.name)])]);
  const abilities: Record<string, string> = {
    chat: "chats",
    "chat see": "chats and sees",
    "chat hear": "chats and hears",
    pictures: "makes pictures",
    hear: "writes down what it hears",
    speech: "speaks",
    embeddings: "embeds",
  };
  const abilityOf = (m: Schemas["ModelSettings"]) => m.can.join(" ") || "chat";
  const minds = (m: Schemas["ModelSettings"], what: string) => m.can.includes(what);

  /** Writes something that a model takes of pictures; what is empty is left out. */
  function takes(m: Schemas["ModelSettings"], change: Schemas["Takes"]) {
    const all = Object.entries({ ...m.takes, ...change }).filter(([, v]) => v || v === 0);
    m.takes = all.length ? Object.fromEntries(all) : undefined;
  }

  /** Writes how a model takes sound; what is empty is left out. */
  function hears(m: Schemas["ModelSettings"], change: Schemas["Hears"]) {
    const all = Object.entries({ ...m.hears, ...change }).filter(([, v]) =>
      Array.isArray(v) ? v.length : v !== undefined && v !== null && v !== 0,
    );
    m.hears = all.length ? Object.fromEntries(all) : undefined;
  }

  function choose(name: string, on: boolean) {
    if (on)
      models.push({
        name,
        can: [/embed/i.test(name) ? "embeddings" : "chat"],
        context: 8192,
        vocabulary: "",
        price: { in: 0, out: 0 },
      });
    else models = models.filter((m) => m.name !== name);
  }

  export function addOwn() {
    const name = own.trim();
    if (name && !models.some((m) => m.name === name)) choose(name, true);
    own = "";
  }
</script>

<div>
  <div class="flex items-center gap-3">
    <h3 class="flex-1 text-sm font-semibold">{title}</h3>
    {#if look}
      <button type="button" class="button-plain !min-h-8" disabled={busy} onclick={look}
        >{busy ? "Asking …" : "Ask the server"}</button>
    {/if}
  </div>
  {#if models.length}
    <p class="mt-1 text-fine text-faded">
      Context is how much a model can read at once, in tokens (pieces of words), like 8192. A price is what a
      million tokens cost, read (in) and written (out), like 0.5 and 1.5; 0 if it costs nothing.
    </p>
  {/if}
  <ul class="mt-2 space-y-1.5">
    {#each names as name (name)}
      {@const m = models.find((m) => m.name === name)}
      <li class="flex flex-wrap items-center gap-x-3 gap-y-1 text-sm">
        <label class="flex min-w-28 flex-1 items-center gap-2"
          ><input
            type="checkbox"
            class="size-4 accent-(--accent)"
            checked={!!m}
            onchange={(e) => choose(name, e.currentTarget.checked)} />
          <span class="break-all">{name}</span></label>
        {#if m}
          <select
            class="field !w-auto !py-1"
            aria-label="What {name} does"
            bind:value={() => abilityOf(m), (v) => (m.can = v.split(" "))}>
            {#each Object.entries(abilities) as [what, says] (what)}<option value={what}>{says}</option
              >{/each}
            {#if !abilities[abilityOf(m)]}<option value={abilityOf(m)}>{m.can.join(", ")}</option>{/if}
          </select>
          <label class="flex items-center gap-1.5 text-faded"
            >context <input
              class="field !w-20 !py-1"
              type="number"
              min="256"
              bind:value={m.context}
              aria-label="Context of {name}, in tokens" /></label>
          {#if minds(m, "pictures")}
            <label class="flex items-center gap-1.5 text-faded"
              >price of a picture <input
                class="field !w-20 !py-1"
                type="number"
                min="0"
                step="any"
                bind:value={() => m.price.picture ?? 0, (v) => (m.price.picture = v || undefined)}
                aria-label="Price of {name} per picture" /></label>
          {/if}
          {#if minds(m, "hear") || minds(m, "speech")}
            <label class="flex items-center gap-1.5 text-faded"
              >price of a minute <input
                class="field !w-20 !py-1"
                type="number"
                min="0"
                step="any"
                bind:value={() => m.price.minute ?? 0, (v) => (m.price.minute = v || undefined)}
                aria-label="Price of {name} per minute of sound" /></label>
          {/if}
          {#if m.can.some((what) => !["pictures", "hear", "speech"].includes(what))}
            <span class="flex items-center gap-x-3">
              <label class="flex items-center gap-1.5 text-faded"
                >price in <input
                  class="field !w-16 !py-1"
                  type="number"
                  min="0"
                  step="any"
                  bind:value={m.price.in}
                  aria-label="Price of {name} per million tokens in" /></label>
              <label class="flex items-center gap-1.5 text-faded"
                >out <input
                  class="field !w-16 !py-1"
                  type="number"
                  min="0"
                  step="any"
                  bind:value={m.price.out}
                  aria-label="Price of {name} per million tokens out" /></label>
            </span>
          {/if}
          {#if minds(m, "hear")}
            <details class="basis-full text-faded">
              <summary class="min-h-7 cursor-pointer text-fine">How it takes sound</summary>
              <div class="mt-1 mb-2 flex flex-wrap items-center gap-x-4 gap-y-2">
                <label class="flex items-center gap-1.5"
                  >files <select
                    class="field !w-auto !py-1"
                    bind:value={
                      () => m.hears?.kind ?? "",
                      (v) => hears(m, { kind: (v || undefined) as Schemas["Hears"]["kind"] })
                    }>
                    <option value="">WAV</option>
                    <option value="mp3">MP3</option>
                    <option value="flac">FLAC</option>
                    <option value="ogg">OGG (Opus)</option>
                  </select></label>
                <label class="flex items-center gap-1.5"
                  >longest piece, seconds <input
                    class="field !w-20 !py-1"
                    type="number"
                    min="5"
                    placeholder="300"
                    bind:value={
                      () => m.hears?.seconds ?? null, (seconds) => hears(m, { seconds: seconds ?? undefined })
                    } /></label>
                <label class="flex items-center gap-1.5"
                  >pieces at once <input
                    class="field !w-16 !py-1"
                    type="number"
                    min="1"
                    placeholder="3"
                    bind:value={
                      () => m.hears?.at_once ?? null, (n) => hears(m, { at_once: n ?? undefined })
                    } /></label>
                <label class="flex items-center gap-1.5"
                  >languages <input
                    class="field !w-28 !py-1"
                    placeholder="many"
                    value={m.hears?.languages?.join(", ") ?? ""}
                    onchange={(e) =>
                      hears(m, {
                        languages: e.currentTarget.value.split(/[\s,]+/).filter(Boolean),
                      })} /></label>
                <label class="flex items-center gap-1.5"
                  ><input
                    type="checkbox"
                    class="size-4 accent-(--accent)"
                    bind:checked={
                      () => !!m.hears?.into_english, (v) => hears(m, { into_english: v || undefined })
                    } /> translates into English</label>
              </div>
            </details>
          {/if}
          {#if minds(m, "speech")}
            <label class="flex basis-full items-center gap-1.5 text-fine text-faded"
              >voices <input
                class="field !w-64 !py-1"
                placeholder="its usual one"
                value={m.speaks?.voices?.join(", ") ?? ""}
                onchange={(e) => {
                  const voices = e.currentTarget.value.split(/[\s,]+/).filter(Boolean);
                  m.speaks = voices.length || m.speaks?.kind ? { ...m.speaks, voices } : undefined;
                }} /></label>
          {/if}
          {#if minds(m, "see") || minds(m, "pictures")}
            <details class="basis-full text-faded">
              <summary class="min-h-7 cursor-pointer text-fine">What it takes of pictures</summary>
              <div class="mt-1 mb-2 flex flex-wrap items-center gap-x-4 gap-y-2">
                <label class="flex items-center gap-1.5"
                  >longer side, dots <input
                    class="field !w-24 !py-1"
                    type="number"
                    min="64"
                    placeholder="2048"
                    bind:value={
                      () => m.takes?.side ?? null, (side) => takes(m, { side: side ?? undefined })
                    } /></label>
                <label class="flex items-center gap-1.5"
                  >shape <select
                    class="field !w-auto !py-1"
                    bind:value={
                      () => m.takes?.shape ?? "",
                      (v) => takes(m, { shape: (v || undefined) as Schemas["Takes"]["shape"] })
                    }>
                    <option value="">any</option>
                    <option value="cut">square: the middle is taken</option>
                    <option value="fill">square: white is put beside it</option>
                  </select></label>
                <label class="flex items-center gap-1.5"
                  >files <select
                    class="field !w-auto !py-1"
                    bind:value={
                      () => (m.takes?.kinds?.length === 1 ? m.takes.kinds[0]! : ""),
                      (v) => takes(m, { kinds: v ? [v as "jpeg" | "png"] : undefined })
                    }>
                    <option value="">JPEG and PNG</option>
                    <option value="jpeg">JPEG alone</option>
                    <option value="png">PNG alone</option>
                  </select></label>
                {#if minds(m, "pictures")}
                  <label class="flex items-center gap-1.5"
                    ><input
                      type="checkbox"
                      class="size-4 accent-(--accent)"
                      bind:checked={() => !!m.takes?.seeds, (seeds) => takes(m, { seeds })} /> takes a seed</label>
                {:else}
                  <label class="flex items-center gap-1.5"
                    >pictures at once <input
                      class="field !w-20 !py-1"
                      type="number"
                      min="1"
                      placeholder="any"
                      bind:value={
                        () => m.takes?.most ?? null, (most) => takes(m, { most: most ?? undefined })
                      } /></label>
                {/if}
              </div>
            </details>
          {/if}
        {/if}
      </li>
    {/each}
  </ul>
  <div class="mt-2 flex gap-2">
    <input
      class="field"
      bind:value={own}
      placeholder={look ? "or write a model's name" : "a name of your choice"}
      aria-label="A model's name"
      onkeydown={(e) => e.key === "Enter" && (e.preventDefault(), addOwn())} />
    <button type="button" class="button-plain" onclick={addOwn}>Add</button>
  </div>
</div>
