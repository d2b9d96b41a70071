<!-- A form that writes into the desk file, and leaves the rest alone. -->
<script lang="ts">
  import { namesOf } from "../models";
  import { onMount } from "svelte";
  import { listShelves } from "../../api/shelves";
  import type { Schemas } from "../../pageData";
  import { read, set, valueAt, type Path, type Value } from "./deskText";
  import ListField from "./ListField.svelte";

  // The desk file as a form: every change is written into the text at its place.
  interface Props {
    /** The desk file. */
    text: string;
    /** Those that are connected. */
    models: Schemas["Model"][];
    /** The mistakes in the file. */
    problems: Schemas["FileProblems"];
    /** Called with the file as it was changed. */
    change: (text: string) => void;
  }

  let { text, models, problems, change }: Props = $props();

  const reading = $derived(read(text));
  const chatting = $derived(namesOf(models, "chat"));
  const drawing = $derived(namesOf(models, "pictures").filter((name) => !chatting.includes(name)));
  const listening = $derived(
    namesOf(models, "hear").filter(
      (name) => ![...chatting, ...drawing].includes(name) && checked("sound", "take"),
    ),
  );

  const put = (path: Path, value: Value) => change(set(text, path, value));
  const string = (...path: string[]) => String(valueAt(reading, path as Path) ?? "");
  const number = (...path: string[]) => {
    const v = valueAt(reading, path as Path);
    return typeof v === "number" ? v : undefined;
  };
  const list = (...path: string[]) => {
    const v = valueAt(reading, path as Path);
    return Array.isArray(v) ? v.map((x) => String(x ?? "")) : [];
  };
  const checked = (...path: string[]) => valueAt(reading, path as Path) === true;
  const choices = $derived.by(() => {
    const v = valueAt(reading, ["choices", "models"]);
    return Array.isArray(v)
      ? v.filter((m): m is { model: string; title: string } => !!m && typeof m === "object" && "model" in m)
      : [];
  });

  /** What visitors may change of how a recording is written down. */
  const changeable = [
    ["task", "what becomes of it"],
    ["language", "the language"],
    ["names", "all names"],
    ["temperature", "the temperature"],
  ] as const;

  const orNothing = (text: string) => (text === "" ? undefined : text);
  const numberOrNothing = (text: string) =>
    text.trim() === "" || Number.isNaN(Number(text)) ? undefined : Number(text);
  /** The first problem that speaks of a key. */
  const wrong = (key: string) =>
    problems.find((p) => p.message.startsWith(`${key}:`) || p.message.startsWith(`"${key}" `))?.message;

  // The shelves there are; those that the file names stay listed whatever happens.
  let there = $state<Schemas["Shelf"][]>([]);
  onMount(
    () =>
      void listShelves().then(
        (all) => (there = all),
        () => {},
      ),
  );
  const shelves = $derived([
    ...there.map((s) => ({ name: s.shelf, title: s.title })),
    ...list("shelves")
      .filter((n) => !there.some((s) => s.shelf === n))
      .map((name) => ({ name, title: name })),
  ]);

  function useShelf(name: string, on: boolean) {
    const all = on ? [...list("shelves"), name] : list("shelves").filter((n) => n !== name);
    put(["shelves"], all.length ? all : undefined);
  }

  type Source = { kind: string; title: string; address: string };
  const sources = $derived.by(() => {
    const v = valueAt(reading, ["bring", "sources"]);
    return Array.isArray(v)
      ? v.map((x) => ({ kind: "encyclopedia", title: "", address: "", ...(x as unknown as Partial<Source>) }))
      : [];
  });
  const embedding = $derived(namesOf(models, "embeddings"));

  function lookAt(all: Source[]) {
    put(["bring", "sources"], all.length ? (all as Record<string, string>[]) : undefined);
  }
  const changed = (i: number, part: Partial<Source>) =>
    lookAt(sources.map((s, at) => (at === i ? { ...s, ...part } : s)));

  const onPictures = $derived.by(() => {
    if (string("recipe") === "depict") return "words";
    if (string("recipe") === "vary") return "picture";
    return checked("pictures", "take") ? "ask" : "";
  });
  const lookingAt = $derived(["ask", "picture"].includes(onPictures));

  /** Writes what the desk is to do with pictures: its recipe, and whether it takes some. */
  function doWithPictures(what: string) {
    const made = { words: "depict", picture: "vary" }[what];
    let changed = text;
    if (made || ["words", "picture"].includes(onPictures)) changed = set(changed, ["recipe"], made);
    change(set(changed, ["pictures", "take"], ["ask", "picture"].includes(what) || undefined));
  }

  function offer(model: string, on: boolean) {
    const rest = choices.filter((c) => c.model !== model);
    const all = on ? [...rest, { model, title: model }] : rest;
    put(["choices", "models"], all.length ? all : undefined);
  }

  function name(model: string, title: string) {
    put(
      ["choices", "models"],
      choices.map((c) => (c.model === model ? { model, title } : { model: c.model, title: c.title })),
    );
  }
</script>

{#snippet mistake(key: string)}
  {#if wrong(key)}<span class="mt-1 block border-l-2 border-wrong pl-2 text-fine font-normal"
      >{wrong(key)}</span
    >{/if}
{/snippet}

{#snippet amount(label: string, path: Path, usual: string, help: string, step = 1)}
  <label class="block text-sm font-semibold">
    {label}
    <span class="mt-0.5 block text-fine font-normal text-faded">{help}</span>
    <input
      class="field mt-1.5"
      type="number"
      {step}
      min="0"
      value={number(...path) ?? ""}
      placeholder={usual}
      oninput={(e) => put(path, numberOrNothing(e.currentTarget.value))} />
    {@render mistake(path.at(-1)!)}
  </label>
{/snippet}

<form class="space-y-5 p-4 sm:p-5" onsubmit={(e) => e.preventDefault()} aria-label="Desk">
  {#if !reading.readable}
    <p class="problem text-note" role="status">
      The file cannot be read as it is now. The form follows again as soon as the mistake is gone; it is
      marked in the file.
    </p>
  {/if}
  <fieldset class="space-y-5" disabled={!reading.readable}>
    <label class="block text-sm font-semibold">
      Title
      <input
        class="field mt-1.5"
        value={string("title")}
        maxlength="80"
        oninput={(e) => put(["title"], e.currentTarget.value)} />
      {@render mistake("title")}
    </label>
    <label class="block text-sm font-semibold">
      What it answers
      <textarea
        class="field mt-1.5 field-sizing-content"
        rows="2"
        value={string("purpose")}
        oninput={(e) => put(["purpose"], e.currentTarget.value)}></textarea>
      {@render mistake("purpose")}
    </label>
    <label class="block text-sm font-semibold">
      Model
      <select
        class="field mt-1.5"
        value={string("model")}
        onchange={(e) => put(["model"], e.currentTarget.value)}>
        {#if ![...chatting, ...drawing, ...listening].includes(string("model"))}<option
            value={string("model")}>{string("model") || "choose one"}</option
          >{/if}
        {#each chatting as m (m)}<option value={m}>{m}</option>{/each}
        {#each drawing as m (m)}<option value={m}>{m}, which makes pictures</option>{/each}
        {#each listening as m (m)}<option value={m}>{m}, which hears and answers nothing</option>{/each}
      </select>
      {@render mistake("model")}
    </label>
    <label class="block text-sm font-semibold">
      Brief
      <span class="mt-0.5 block text-fine font-normal text-faded"
        >Standing instructions that the model gets with every question. Visitors do not see them.</span>
      <textarea
        class="field mt-1.5 field-sizing-content max-h-72"
        rows="4"
        value={string("brief")}
        oninput={(e) => put(["brief"], orNothing(e.currentTarget.value))}></textarea>
      {@render mistake("brief")}
    </label>
    <ListField
      label="Openers"
      help="Ready questions that a visitor can begin with."
      list={list("openers")}
      change={(l) => put(["openers"], l.length ? l : undefined)} />

    <details open={list("shelves").length > 0 || checked("attachments")}>
      <summary class="cursor-pointer text-sm font-semibold">Documents it answers from</summary>
      <div class="mt-3 space-y-2 text-sm">
        {#each shelves as s (s.name)}
          <label class="flex items-center gap-2"
            ><input
              type="checkbox"
              class="size-4 accent-(--accent)"
              checked={list("shelves").includes(s.name)}
              onchange={(e) => useShelf(s.name, e.currentTarget.checked)} />
            <span class="min-w-0 truncate">{s.title}</span></label>
        {:else}<p class="text-faded">There is no shelf yet. Make one under “Shelves”.</p>{/each}
        {@render mistake("shelves")}
        <label class="flex items-center gap-2 border-t border-rule pt-2"
          ><input
            type="checkbox"
            class="size-4 accent-(--accent)"
            checked={checked("attachments")}
            onchange={(e) => put(["attachments"], e.currentTarget.checked || undefined)} /> Visitors may attach
          documents of their own</label>
        <label class="flex items-center gap-2"
          ><input
            type="checkbox"
            class="size-4 shrink-0 accent-(--accent)"
            checked={valueAt(reading, ["readable"]) === "passages"}
            onchange={(e) => put(["readable"], e.currentTarget.checked ? "passages" : undefined)} /> Visitors read
          only the passages that replies rest on, no whole documents</label>
      </div>
    </details>

    <details open={valueAt(reading, ["bring"]) !== undefined}>
      <summary class="cursor-pointer text-sm font-semibold">What visitors may bring to read</summary>
      <div class="mt-3 space-y-3 text-sm">
        <p class="text-fine text-faded">
          A visitor names it, sees what it is, and asks about it. Which hosts are reached at all is a setting
          of the service (<code>visit</code>).
        </p>
        <label class="flex items-center gap-2"
          ><input
            type="checkbox"
            class="size-4 accent-(--accent)"
            checked={checked("bring", "addresses")}
            onchange={(e) => put(["bring", "addresses"], e.currentTarget.checked || undefined)} /> Addresses: pages,
          files, sitemaps, recorded talks</label>
        <label class="flex items-center gap-2"
          ><input
            type="checkbox"
            class="size-4 accent-(--accent)"
            checked={checked("bring", "documents")}
            onchange={(e) => put(["bring", "documents"], e.currentTarget.checked || undefined)} /> One of the desk’s
          documents, to talk about that alone</label>
        <ul class="space-y-3">
          {#each sources as s, i (i)}
            <li class="space-y-1.5 border-l-2 border-rule pl-3">
              <div class="flex flex-wrap gap-2">
                <select
                  class="field !w-auto"
                  aria-label="Kind of place {i + 1}"
                  value={s.kind}
                  onchange={(e) => changed(i, { kind: e.currentTarget.value })}>
                  <option value="encyclopedia">Topics of an encyclopedia</option>
                  <option value="papers">A search for papers</option>
                </select>
                <input
                  class="field min-w-0 flex-1 basis-32"
                  aria-label="What visitors read for place {i + 1}"
                  placeholder="What visitors read"
                  maxlength="60"
                  value={s.title}
                  oninput={(e) => changed(i, { title: e.currentTarget.value })} />
              </div>
              <div class="flex gap-2">
                <input
                  class="field min-w-0 flex-1"
                  aria-label="Address of place {i + 1}"
                  placeholder="https://encyclopedia.example.org/w/api.php"
                  value={s.address}
                  oninput={(e) => changed(i, { address: e.currentTarget.value })} />
                <button
                  type="button"
                  class="button-plain"
                  aria-label="Remove place {i + 1}"
                  onclick={() => lookAt(sources.filter((_, at) => at !== i))}>Remove</button>
              </div>
            </li>
          {/each}
        </ul>
        {#if sources.length < 6}
          <button
            type="button"
            class="button-plain"
            onclick={() =>
              lookAt([...sources, { kind: "encyclopedia", title: "The encyclopedia", address: "https://" }])}
            >Add a place to look</button>
        {/if}
        {@render mistake("bring")}
        {@render mistake("sources")}
        <div class="grid items-end gap-4 sm:grid-cols-2">
          {@render amount(
            "At once",
            ["bring", "most"],
            "30",
            "The most pages of a sitemap, or papers of a search.",
          )}
          {@render amount(
            "Hours before it is looked at again",
            ["bring", "fresh_hours"],
            "24",
            "What was brought is kept for all visitors; after this time it is checked for change.",
          )}
        </div>
        <label class="block font-semibold">
          Finer search by a model’s embeddings
          <select
            class="field mt-1.5"
            value={string("bring", "embedding")}
            onchange={(e) => put(["bring", "embedding"], e.currentTarget.value || undefined)}>
            <option value="">the built-in ones alone</option>
            {#each embedding as m (m)}<option value={m}>{m}</option>{/each}
          </select>
        </label>
        <label class="flex items-center gap-2"
          ><input
            type="checkbox"
            class="size-4 accent-(--accent)"
            checked={checked("bring", "opens")}
            onchange={(e) => put(["bring", "opens"], e.currentTarget.checked || undefined)} /> The page opens with
          “What shall we read?”</label>
      </div>
    </details>

    <details open={onPictures !== ""}>
      <summary class="cursor-pointer text-sm font-semibold">Pictures</summary>
      <div class="mt-3 space-y-4 text-sm">
        <label class="block font-semibold">
          What the desk does with them
          <select
            class="field mt-1.5"
            value={onPictures}
            onchange={(e) => doWithPictures(e.currentTarget.value)}>
            <option value="">nothing</option>
            <option value="ask">answers questions about them; its model sees</option>
            <option value="words">makes them from words; its model makes pictures</option>
            <option value="picture">makes them from a picture; its model makes pictures</option>
          </select>
        </label>
        {@render mistake("pictures")}
        {#if lookingAt}
          <div class="grid items-end gap-4 sm:grid-cols-2">
            {@render amount("At once", ["pictures", "most"], "4", "Pictures that a question is asked with.")}
            {@render amount("Questions", ["pictures", "turns"], "20", "For which a picture is remembered.")}
            {@render amount("Hours", ["pictures", "hours"], "72", "For which a picture is remembered.")}
          </div>
        {/if}
        {#if onPictures === "ask"}
          <label class="flex items-center gap-2"
            ><input
              type="checkbox"
              class="size-4 accent-(--accent)"
              checked={string("pictures", "described") === "model"}
              onchange={(e) =>
                put(["pictures", "described"], e.currentTarget.checked ? "model" : undefined)} /> The model says
            what a picture shows, for those who cannot see it; this costs a call each</label>
        {:else if onPictures === ""}
          <label class="block font-semibold">
            The desk that looks at pictures, by the last part of its address
            <input
              class="field mt-1.5"
              placeholder="like frames"
              value={string("pictures", "elsewhere")}
              oninput={(e) => put(["pictures", "elsewhere"], orNothing(e.currentTarget.value.trim()))} />
          </label>
        {:else}
          {@render amount(
            "At once, at most",
            ["recipe_settings", "most"],
            "4",
            "Pictures that a visitor may have made at once.",
          )}
          <label class="block font-semibold">
            Desks to go on at with a picture, by the last parts of their addresses
            <input
              class="field mt-1.5"
              placeholder="like more-labels, frames"
              value={list("pictures", "onward").join(", ")}
              onchange={(e) => {
                const all = e.currentTarget.value.split(/[\s,]+/).filter(Boolean);
                put(["pictures", "onward"], all.length ? all : undefined);
              }} />
          </label>
        {/if}
      </div>
    </details>

    <details open={valueAt(reading, ["sound"]) !== undefined || string("aloud", "model") !== ""}>
      <summary class="cursor-pointer text-sm font-semibold">Sound</summary>
      <div class="mt-3 space-y-4 text-sm">
        <div class="space-y-2">
          <label class="flex items-center gap-2"
            ><input
              type="checkbox"
              class="size-4 accent-(--accent)"
              checked={checked("sound", "take")}
              onchange={(e) => put(["sound", "take"], e.currentTarget.checked || undefined)} /> Visitors may give
            recordings; they are written down, and can be asked about</label>
          <label class="flex items-center gap-2"
            ><input
              type="checkbox"
              class="size-4 accent-(--accent)"
              checked={checked("sound", "dictate") || checked("sound", "take")}
              disabled={checked("sound", "take")}
              onchange={(e) => put(["sound", "dictate"], e.currentTarget.checked || undefined)} /> Visitors may
            speak their questions</label>
        </div>
        {#if checked("sound", "take") || checked("sound", "dictate")}
          <label class="block font-semibold">
            The model that hears
            <select
              class="field mt-1.5"
              value={string("sound", "model")}
              onchange={(e) => put(["sound", "model"], orNothing(e.currentTarget.value))}>
              <option value="">the desk’s own</option>
              {#each namesOf(models, "hear") as m (m)}<option value={m}>{m}</option>{/each}
            </select>
            {@render mistake("sound.model")}
          </label>
        {/if}
        {#if checked("sound", "take")}
          <div class="grid items-end gap-4 sm:grid-cols-2">
            <label class="block font-semibold">
              What becomes of a recording
              <select
                class="field mt-1.5"
                value={string("sound", "task")}
                onchange={(e) => put(["sound", "task"], orNothing(e.currentTarget.value))}>
                <option value="">written down as it is spoken</option>
                <option value="english">translated into English</option>
              </select>
            </label>
            <label class="block font-semibold">
              How long the sound is kept
              <select
                class="field mt-1.5"
                value={string("sound", "keep")}
                onchange={(e) => put(["sound", "keep"], orNothing(e.currentTarget.value))}>
                <option value="">as long as the conversation</option>
                <option value="days">for some days</option>
                <option value="until-text">until its text is there</option>
              </select>
            </label>
            {#if string("sound", "keep") === "days"}{@render amount(
                "Days",
                ["sound", "days"],
                "7",
                "For which the sound is kept.",
              )}{/if}
            {@render amount("Minutes", ["sound", "minutes"], "180", "Of the longest recording.")}
            <label class="block font-semibold">
              The language that is spoken
              <span class="mt-0.5 block text-fine font-normal text-faded">Two letters, like en.</span>
              <input
                class="field mt-1.5"
                maxlength="2"
                placeholder="found out"
                value={string("sound", "language")}
                oninput={(e) => put(["sound", "language"], orNothing(e.currentTarget.value.trim()))} />
              {@render mistake("sound.language")}
            </label>
          </div>
          <label class="block font-semibold">
            Names and spellings
            <span class="mt-0.5 block text-fine font-normal text-faded"
              >The model goes by them, if it heeds a prompt. Visitors may add to them.</span>
            <input
              class="field mt-1.5"
              maxlength="1000"
              value={string("sound", "names")}
              oninput={(e) => put(["sound", "names"], orNothing(e.currentTarget.value))} />
          </label>
          <fieldset>
            <legend class="font-semibold">What visitors may change</legend>
            <div class="mt-1.5 flex flex-wrap gap-x-5 gap-y-1">
              {#each changeable as [key, name] (key)}
                <label class="flex items-center gap-2"
                  ><input
                    type="checkbox"
                    class="size-4 accent-(--accent)"
                    checked={list("sound", "change").includes(key)}
                    onchange={(e) => {
                      const rest = list("sound", "change").filter((n) => n !== key);
                      const now = e.currentTarget.checked ? [...rest, key] : rest;
                      put(["sound", "change"], now.length ? now : undefined);
                    }} />
                  {name}</label>
              {/each}
            </div>
          </fieldset>
        {/if}
        <div class="grid gap-4 sm:grid-cols-2">
          <label class="block font-semibold">
            Replies are read aloud by
            <select
              class="field mt-1.5"
              value={string("aloud", "model")}
              onchange={(e) => put(["aloud", "model"], orNothing(e.currentTarget.value))}>
              <option value="">nobody</option>
              {#each namesOf(models, "speech") as m (m)}<option value={m}>{m}</option>{/each}
            </select>
            {@render mistake("aloud.model")}
          </label>
          {#if string("aloud", "model")}
            <label class="block font-semibold">
              Voice
              <input
                class="field mt-1.5"
                placeholder="its usual one"
                value={string("aloud", "voice")}
                oninput={(e) => put(["aloud", "voice"], orNothing(e.currentTarget.value.trim()))} />
              {@render mistake("aloud.voice")}
            </label>
          {/if}
        </div>
      </div>
    </details>

    <details class="group">
      <summary class="cursor-pointer text-sm font-semibold">What visitors read about it</summary>
      <div class="mt-4 space-y-5">
        <ListField
          label="Good for"
          list={list("good_for")}
          change={(l) => put(["good_for"], l.length ? l : undefined)} />
        <ListField
          label="Not for"
          list={list("not_for")}
          change={(l) => put(["not_for"], l.length ? l : undefined)} />
        <label class="block text-sm font-semibold">
          The model knows nothing after
          <input
            class="field mt-1.5"
            value={string("knowledge", "until")}
            placeholder="June 2026"
            oninput={(e) => put(["knowledge", "until"], orNothing(e.currentTarget.value))} />
        </label>
        <ListField
          label="What else it knows"
          list={list("knowledge", "sources")}
          placeholder="the handbook, as of October 2026"
          change={(l) => put(["knowledge", "sources"], l.length ? l : undefined)} />
      </div>
    </details>

    <details>
      <summary class="cursor-pointer text-sm font-semibold">What visitors may change</summary>
      <div class="mt-4 space-y-4">
        <fieldset>
          <legend class="text-sm font-semibold">Models to choose from</legend>
          <ul class="mt-1.5 space-y-1.5">
            {#each chatting as m (m)}
              {@const on = choices.find((c) => c.model === m)}
              <li class="flex items-center gap-2 text-sm">
                <label class="flex min-w-0 flex-1 items-center gap-2"
                  ><input
                    type="checkbox"
                    class="size-4 accent-(--accent)"
                    checked={!!on}
                    onchange={(e) => offer(m, e.currentTarget.checked)} />
                  <span class="truncate">{m}</span></label>
                {#if on}<input
                    class="field !w-36"
                    value={on.title}
                    aria-label="What visitors read for {m}"
                    oninput={(e) => name(m, e.currentTarget.value)} />{/if}
              </li>
            {/each}
          </ul>
        </fieldset>
        <label class="flex items-center gap-2 text-sm"
          ><input
            type="checkbox"
            class="size-4 accent-(--accent)"
            checked={checked("choices", "manner")}
            onchange={(e) => put(["choices", "manner"], e.currentTarget.checked || undefined)} /> More careful or
          more inventive</label>
        <label class="flex items-center gap-2 text-sm"
          ><input
            type="checkbox"
            class="size-4 accent-(--accent)"
            checked={checked("choices", "length")}
            onchange={(e) => put(["choices", "length"], e.currentTarget.checked || undefined)} /> Shorter or longer
          replies</label>
        <ListField
          label="Languages"
          list={list("choices", "languages")}
          most={24}
          placeholder="Deutsch"
          change={(l) => put(["choices", "languages"], l.length ? l : undefined)} />
      </div>
    </details>

    <details>
      <summary class="cursor-pointer text-sm font-semibold">How it writes and what it remembers</summary>
      <div class="mt-4 grid items-end gap-4 sm:grid-cols-2">
        {@render amount(
          "Temperature",
          ["sampling", "temperature"],
          "the server's own",
          "How freely the model words its replies: 0.2 stays close to the likeliest, 1 is inventive.",
          0.1,
        )}
        {@render amount(
          "Longest reply",
          ["sampling", "max_tokens"],
          "1024",
          "In tokens, pieces of words. 1024 is about a page and a half.",
        )}
        {@render amount(
          "Questions remembered word for word",
          ["memory", "turns"],
          "40",
          "With their replies, the last so many of a conversation. 0: each question stands alone.",
        )}
        {@render amount(
          "Room for them",
          ["memory", "tokens"],
          "4000",
          "In tokens: what is older than fits is left out, or summed up. 4000 is about six pages.",
        )}
        {@render amount(
          "Room for a summary",
          ["memory", "summary"],
          "400",
          "In tokens: what was said before them, in short. 400 is half a page, 0 is none.",
        )}
        <label class="block text-sm font-semibold">
          How much it thinks first
          <span class="mt-0.5 block text-fine font-normal text-faded"
            >Of models that think before they answer, where their server lets one say.</span>
          <select
            class="field mt-1.5"
            value={string("sampling", "effort")}
            onchange={(e) => put(["sampling", "effort"], e.currentTarget.value || undefined)}>
            <option value="">as its server has it</option>
            <option value="low">little</option>
            <option value="medium">some</option>
            <option value="high">much</option>
          </select>
          {@render mistake("effort")}
        </label>
      </div>
      <label class="mt-4 flex items-center gap-2 text-sm"
        ><input
          type="checkbox"
          class="size-4 accent-(--accent)"
          checked={string("thinking") === "hide"}
          onchange={(e) => put(["thinking"], e.currentTarget.checked ? "hide" : undefined)} />
        What a model thinks aloud is hidden from visitors</label>
    </details>
  </fieldset>
</form>
