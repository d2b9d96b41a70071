<script lang="ts">
  import Page from "../ui/Page.svelte";
  import Table from "../ui/Table.svelte";
  import Search from "@lucide/svelte/icons/search";
  import { onMount } from "svelte";
  import * as making from "../api/making";
  import type { Schemas } from "../pageData";
  import { span } from "./bench/inside.svelte";
  import { exactMoney, shortMoney } from "./money";
  import { hrefOf, router } from "./router.svelte";
  import { act, complain, state as app } from "./state.svelte";
  import { ago } from "./time";

  let traces = $state<Schemas["Trace"][] | null>(null);
  let desk = $state("");
  let search = $state("");
  let only = $state("");
  let model = $state("");
  let since = $state("");
  let step = $state("");
  let more = $state(false);
  let days = $state(90);
  let kept = 90;

  const onlys: Record<string, [string, making.TraceQuery]> = {
    "": ["All", {}],
    failed: ["Failed", { state: "failed" }],
    flagged: ["Did not help", { flagged: "yes" }],
    slow: ["Slower than 5 s", { slow: "5" }],
    costly: [`Cost more than ${exactMoney(0.001)}`, { costly: "0.001" }],
  };
  const limit = 50;

  onMount(() => {
    void app.readDesks().catch(complain);
    void app.readModels().catch(complain);
    making.readKeeping().then((k) => (days = kept = k.days), complain);
  });

  const asked = $derived<making.TraceQuery>({
    desk,
    search,
    model,
    step: step.trim(),
    since,
    ...onlys[only]![1],
    limit: String(limit),
  });
  $effect(() => {
    const q = { ...asked };
    const timer = setTimeout(() => void read(q), 180);
    return () => clearTimeout(timer);
  });

  async function read(q: making.TraceQuery) {
    try {
      const list = await making.listTraces(q);
      traces = list;
      more = list.length === limit;
    } catch (e) {
      complain(e);
    }
  }

  async function extend() {
    const rest = await making
      .listTraces({ ...asked, before: traces!.at(-1)!.started_at })
      .catch((e) => (complain(e), []));
    traces = [...traces!, ...rest];
    more = rest.length === limit;
  }

  async function keep() {
    const before = kept;
    if (days === kept || !days) return;
    if (
      await act(
        () => making.setKeeping(days),
        `Traces are kept whole for ${days} days`,
        async () => ((days = kept = before), making.setKeeping(before)),
      )
    )
      kept = days;
    else days = kept;
  }

  /** How it ended, and what the visitor said of it. */
  const outcome = (t: Schemas["Trace"]) =>
    t.state + (t.helped === false ? ", did not help" : t.helped ? ", helped" : "");
  const wrong = (t: Schemas["Trace"]) => t.state === "failed" || t.helped === false;

  // Where there is little room, what these columns say stands below the question.
  const wide = "hidden sm:table-cell";
  const columns = [
    { title: "Question" },
    { title: "Desk", class: wide },
    { title: "When", class: wide },
    { title: "Ended", class: wide },
    { title: "Took", number: true, class: wide },
    { title: "Tokens", number: true, class: wide },
    { title: "Cost", number: true, class: wide },
  ];
</script>

<Page
  title="Replies"
  about="How every reply was made. Open one to see its steps, its prompt and where the time and the money went.">
  <form class="mt-5 flex flex-wrap items-end gap-3" onsubmit={(e) => e.preventDefault()}>
    <label class="relative min-w-52 flex-1 text-fine"
      >Words
      <Search size={15} class="absolute bottom-3 left-3 text-faded" aria-hidden="true" />
      <input class="field mt-1 !pl-9" bind:value={search} placeholder="in the question or the reply" />
    </label>
    <label class="text-fine"
      >Desk
      <select class="field mt-1 max-w-56" bind:value={desk}
        ><option value="">all</option>{#each app.desks ?? [] as d (d.slug)}<option value={d.slug}
            >{d.title}</option
          >{/each}</select>
    </label>
    <label class="text-fine"
      >Model
      <select class="field mt-1 max-w-56" bind:value={model}
        ><option value="">all</option>{#each app.models as m (m.connection + m.name)}<option
            value="{m.connection}/{m.name}">{m.name}</option
          >{/each}</select>
    </label>
    <label class="text-fine"
      >Which
      <select class="field mt-1 max-w-56" bind:value={only}
        >{#each Object.entries(onlys) as [key, [name]] (key)}<option value={key}>{name}</option
          >{/each}</select>
    </label>
    <label class="w-32 text-fine"
      >Step <input class="field mt-1" bind:value={step} placeholder="its name" /></label>
    <label class="text-fine">Since <input class="field mt-1" type="date" bind:value={since} /></label>
  </form>

  {#if traces?.length}
    <Table label="Replies" class="mt-5" {columns}>
      {#each traces as t (t.id)}
        <tr class="border-t border-rule align-top">
          <td class="max-w-[30rem] py-2"
            ><a
              class="font-serif text-text no-underline hover:text-accent"
              href={hrefOf(`desks/${t.desk}/bench/${t.id}`)}
              onclick={router.follow}><span class="line-clamp-2 wrap-anywhere">{t.question}</span></a
            ><span class="block text-fine wrap-anywhere text-faded sm:hidden"
              >{t.desk}, {ago(t.started_at)}, <span class={wrong(t) ? "text-wrong" : ""}>{outcome(t)}</span>, {span(
                t.seconds,
              )}, {shortMoney(t.cost)}</span
            ></td>
          <td class={[wide, "py-2 break-words text-faded"]}>{t.desk}</td>
          <td class={[wide, "py-2 whitespace-nowrap text-faded"]}>{ago(t.started_at)}</td>
          <td class={[wide, "py-2 pr-4 whitespace-nowrap", wrong(t) ? "text-wrong" : "text-faded"]}
            >{outcome(t)}</td>
          <td class={[wide, "py-2 text-right whitespace-nowrap tabular-nums"]}>{span(t.seconds)}</td>
          <td class={[wide, "py-2 text-right whitespace-nowrap tabular-nums"]}
            >{t.prompt_tokens} + {t.reply_tokens}</td>
          <td class={[wide, "py-2 text-right whitespace-nowrap tabular-nums"]} title={exactMoney(t.cost)}
            >{shortMoney(t.cost)}</td>
        </tr>
      {/each}
    </Table>
    {#if more}<button class="button-plain mt-4" onclick={extend}>Show older ones</button>{/if}
  {:else if traces}
    <p class="mt-10 font-serif text-lead">
      {Object.values(asked).filter(Boolean).length > 1
        ? "Nothing is like this."
        : "No reply has been made yet. Ask at a desk, and look here again."}
    </p>
  {:else}
    <p class="mt-10 text-faded">Fetching the replies …</p>
  {/if}

  <form
    class="mt-12 flex flex-wrap items-end gap-3 border-t border-rule pt-4 text-note"
    onsubmit={(e) => (e.preventDefault(), keep())}>
    <label
      >Keep prompts and answers for this many days <input
        class="field mt-1 max-w-32"
        type="number"
        min="1"
        max="36500"
        bind:value={days}
        onchange={keep} /></label>
    <p class="max-w-[34rem] pb-2 text-faded">
      After that only figures are left: times, tokens, cost. The conversations stay as they are.
    </p>
  </form>
</Page>
