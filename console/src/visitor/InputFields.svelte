<!-- What a visitor fills in beside the question. -->
<script lang="ts">
  import { say } from "../words";
  import type { Schemas } from "../pageData";

  interface Props {
    /** What they are, for this desk the question. */
    inputs: Schemas["Input"][];
    /** What was filled in, by name. */
    values: Record<string, string>;
  }

  let { inputs, values = $bindable() }: Props = $props();

  const kinds: Record<string, string> = { number: "number", address: "url" };
  const files: Record<string, string> = {
    picture: "image/*",
    audio: "audio/*",
    document: "",
    table: ".csv,.tsv,.xlsx,.ods,.json",
  };
  /** In bytes: what a question may bring along. */
  const largest = 2_500_000;
  let problem = $state("");

  function read(name: string, field: HTMLInputElement) {
    const file = field.files?.[0];
    problem = "";
    values[name] = "";
    if (!file) return;
    if (file.size > largest) {
      problem = say.fields.tooLarge(file.name);
      field.value = "";
      return;
    }
    const reader = new FileReader();
    reader.onload = () => {
      const kind = file.type || "application/octet-stream";
      values[name] =
        `data:${kind};name=${encodeURIComponent(file.name)};base64,${String(reader.result).split(",")[1] ?? ""}`;
    };
    reader.readAsDataURL(file);
  }
</script>

<div class="mb-2 flex flex-wrap items-end gap-x-5 gap-y-2">
  {#each inputs as input (input.name)}
    <label class="text-fine text-faded">
      {input.need ? say.fields.needed(input.title) : input.title}
      {#if input.type === "choice"}
        <select class="field mt-1 !min-h-9 text-ink" bind:value={values[input.name]}>
          {#if !input.need}<option value="">{say.fields.asUsual}</option>{/if}
          {#each input.choices ?? [] as choice (choice)}<option value={choice}>{choice}</option>{/each}
        </select>
      {:else if input.type === "truth"}
        <select class="field mt-1 !min-h-9 text-ink" bind:value={values[input.name]}>
          <option value="">{say.fields.asUsual}</option><option value="true">{say.fields.yes}</option><option
            value="false">{say.fields.no}</option>
        </select>
      {:else if input.type in files}
        <input
          class="field mt-1 !min-h-9 text-ink"
          type="file"
          accept={files[input.type]}
          onchange={(e) => read(input.name, e.currentTarget)} />
      {:else}
        <input
          class="field mt-1 !min-h-9 text-ink"
          type={kinds[input.type] ?? "text"}
          step="any"
          bind:value={values[input.name]} />
      {/if}
    </label>
  {/each}
  {#if problem}<p class="basis-full text-fine text-wrong" role="alert">{problem}</p>{/if}
</div>
