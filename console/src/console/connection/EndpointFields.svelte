<!-- How an address of any kind is asked. -->
<script lang="ts">
  import Field from "../../ui/Field.svelte";
  import type { Schemas } from "../../pageData";
  import { headersOf, linesOf, newJob, wordsOf } from "./kinds";

  interface Props {
    /** What is filled in. */
    endpoint: Schemas["Endpoint"];
  }

  let { endpoint = $bindable() }: Props = $props();

  const job = $derived(endpoint.job);
</script>

<div class="grid gap-4 sm:grid-cols-[8rem_1fr_9rem]">
  <Field label="Method">
    <select class="field" bind:value={() => endpoint.method || "POST", (v) => (endpoint.method = v)}>
      {#each ["POST", "GET", "PUT", "PATCH"] as method (method)}<option>{method}</option>{/each}
    </select>
  </Field>
  <Field label="Path">
    <input class="field font-mono !text-sm" bind:value={endpoint.path} placeholder="/models/oak/generate" />
  </Field>
  <Field label="Body">
    <select class="field" bind:value={() => endpoint.form || "json", (v) => (endpoint.form = v as "json")}>
      <option value="json">JSON</option>
      <option value="form">a form</option>
      <option value="parts">a form with files</option>
      <option value="raw">as it is</option>
    </select>
  </Field>
</div>
<Field
  label="What is sent"
  help={"Where {{json .prompt}} stands, the whole prompt is put. There are also .question, .brief, .messages, " +
    ".model, .max_tokens, .temperature, .top_p, .seed, .stop, .picture and .sound."}>
  <textarea
    class="field min-h-28 font-mono !text-sm"
    spellcheck="false"
    bind:value={endpoint.body}
    placeholder={'{"prompt": {{json .prompt}}}'}></textarea>
</Field>
<div class="grid gap-4 sm:grid-cols-[1fr_10rem_10rem]">
  <Field
    label="Where the reply stands"
    help="A JSON Pointer, like /results/0/text. Empty: the whole answer is the reply.">
    <input class="field font-mono !text-sm" bind:value={endpoint.reply} placeholder="/results/0/text" />
  </Field>
  <Field label="The answer comes">
    <select class="field" bind:value={() => endpoint.stream || "", (v) => (endpoint.stream = v as "")}>
      <option value="">at once</option>
      <option value="events">as an event stream</option>
      <option value="lines">as JSON lines</option>
      <option value="text">as plain text</option>
    </select>
  </Field>
  <Field label="The reply is">
    <select
      class="field"
      bind:value={() => endpoint.reply_is || "text", (v) => (endpoint.reply_is = v as "text")}>
      <option value="text">a text</option>
      <option value="base64">a file, as base64</option>
      <option value="link">a link to a file</option>
    </select>
  </Field>
</div>
<details class="text-sm">
  <summary class="min-h-7 cursor-pointer font-semibold">Errors, headers, counts</summary>
  <div class="mt-3 grid gap-4 sm:grid-cols-2">
    <Field label="Where its words about an error stand">
      <input class="field font-mono !text-sm" bind:value={endpoint.error} placeholder="/error/message" />
    </Field>
    <Field label="Statuses that mean: not yet" help="429 and 503 if left empty.">
      <input
        class="field"
        bind:value={
          () => (endpoint.wait ?? []).join(", "),
          (v) => (endpoint.wait = wordsOf(v).map(Number).filter(Boolean))
        } />
    </Field>
    <Field label="Where thinking aloud stands">
      <input class="field font-mono !text-sm" bind:value={endpoint.thought} placeholder="/reasoning" />
    </Field>
    <Field label="Where it says how the reply ended">
      <input class="field font-mono !text-sm" bind:value={endpoint.finish} placeholder="/finish" />
    </Field>
    <Field class="sm:col-span-2" label="Headers, one a line" help={"{key} stands for the key."}>
      <textarea
        class="field min-h-16 font-mono !text-sm"
        spellcheck="false"
        bind:value={() => linesOf(endpoint.headers), (v) => (endpoint.headers = headersOf(v))}
        placeholder={"X-Api-Key: {key}"}></textarea>
    </Field>
  </div>
</details>
<label class="flex items-start gap-2.5 text-sm">
  <input
    type="checkbox"
    class="mt-0.5 size-4 accent-(--accent)"
    checked={!!job}
    onchange={(e) => (endpoint.job = e.currentTarget.checked ? newJob() : undefined)} />
  <span><strong class="font-semibold">The answer is a job</strong> that is asked for until it is done</span>
</label>
{#if job}
  <div class="grid gap-4 border-l-2 border-margin pl-4 sm:grid-cols-2">
    <Field label="Where its address stands" help={"Or a template of it, like /jobs/{{.answer.id}}."}>
      <input class="field font-mono !text-sm" bind:value={job.address} placeholder="/urls/get" required />
    </Field>
    <Field label="Where it says how it is">
      <input class="field font-mono !text-sm" bind:value={job.state} placeholder="/status" required />
    </Field>
    <Field label="Words for: done">
      <input
        class="field"
        bind:value={() => job.done.join(", "), (v) => (job.done = wordsOf(v))}
        placeholder="succeeded"
        required />
    </Field>
    <Field label="Words for: failed">
      <input
        class="field"
        bind:value={() => (job.failed ?? []).join(", "), (v) => (job.failed = wordsOf(v))}
        placeholder="failed, canceled" />
    </Field>
    <Field label="Where it says how far it is">
      <input class="field font-mono !text-sm" bind:value={job.progress} placeholder="/progress" />
    </Field>
    <Field label="Where the address stands that ends it">
      <input class="field font-mono !text-sm" bind:value={job.cancel} placeholder="/urls/cancel" />
    </Field>
  </div>
{/if}
