<!-- Which program answers, and how it is run. -->
<script lang="ts">
  import Field from "../../ui/Field.svelte";
  import type { Schemas } from "../../pageData";

  interface Props {
    /** What is filled in. */
    program: Schemas["Program"];
    /** Called when the program has been named. */
    written: () => void;
  }

  let { program = $bindable(), written }: Props = $props();
</script>

<Field
  label="Program"
  help={"Its path on the service's machine, with its arguments. It has to be in the folder that the service was " +
    "started with (-programs)."}>
  <input
    class="field font-mono !text-sm"
    bind:value={() => program.run.join(" "), (v) => (program.run = v.split(" "))}
    onchange={written}
    placeholder="/srv/models/answer.py"
    required />
</Field>
<div class="grid gap-4 sm:grid-cols-[1fr_8rem]">
  <Field
    label="How it speaks"
    help={program.speaks === "plain"
      ? "It is run for each question, reads it, and writes the reply."
      : "It stays, and gets and gives one message a line; docs/programs.md has them."}>
    <select
      class="field"
      bind:value={() => program.speaks || "lines", (v) => (program.speaks = v as "lines")}>
      <option value="lines">JSON lines</option>
      <option value="plain">plain text</option>
    </select>
  </Field>
  <Field label="Side by side">
    <input
      class="field"
      type="number"
      min="1"
      max="64"
      bind:value={() => program.copies || 1, (v) => (program.copies = v)} />
  </Field>
</div>
{#if program.speaks !== "plain"}
  <label class="flex items-start gap-2.5 text-sm">
    <input type="checkbox" class="mt-0.5 size-4 accent-(--accent)" bind:checked={program.warm} />
    <span
      ><strong class="font-semibold">Keep it running.</strong> Otherwise it starts with the first question, and
      stops when nobody has asked for ten minutes.</span>
  </label>
{/if}
