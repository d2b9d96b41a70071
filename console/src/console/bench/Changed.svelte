<!-- Two texts in one: what went is struck out, what came is marked. -->
<script lang="ts">
  import { presentableDiff } from "@codemirror/merge";

  interface Props {
    /** The earlier text. */
    older: string;
    /** The later text. */
    newer: string;
  }

  let { older, newer }: Props = $props();

  /** The newer text in pieces, with what went out between them. */
  const pieces = $derived.by(() => {
    const out: { kind: "same" | "out" | "in"; text: string }[] = [];
    let at = 0;
    for (const c of presentableDiff(older, newer)) {
      out.push({ kind: "same", text: newer.slice(at, c.fromB) });
      out.push({ kind: "out", text: older.slice(c.fromA, c.toA) });
      out.push({ kind: "in", text: newer.slice(c.fromB, c.toB) });
      at = c.toB;
    }
    out.push({ kind: "same", text: newer.slice(at) });
    return out.filter((p) => p.text);
  });
</script>

<p class="font-serif text-note leading-relaxed break-words whitespace-pre-wrap">
  {#each pieces as p, i (i)}{#if p.kind === "same"}{p.text}{:else if p.kind === "in"}<ins
        class="bg-accent/15 decoration-accent underline-offset-4">{p.text}</ins
      >{:else}<del class="bg-wrong/10 text-faded decoration-wrong">{p.text}</del>{/if}{/each}
</p>
