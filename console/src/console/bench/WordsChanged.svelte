<!-- Two texts in one, word by word: what went is struck out, what came is marked. -->
<script lang="ts">
  import { diff } from "@codemirror/merge";

  interface Props {
    /** The earlier text. */
    older: string;
    /** The later text. */
    newer: string;
  }

  let { older, newer }: Props = $props();

  /** Both texts as words, and each word as a sign of its own that can be compared. */
  const pieces = $derived.by(() => {
    const was = older.split(/\s+/).filter(Boolean);
    const is = newer.split(/\s+/).filter(Boolean);
    const signs = new Map<string, string>();
    const signed = (words: string[]) =>
      words
        .map((w) => {
          // Signs that no text has, one unit each.
          if (!signs.has(w)) signs.set(w, String.fromCharCode(0xe000 + (signs.size % 6000)));
          return signs.get(w)!;
        })
        .join("");
    const out: { kind: "same" | "out" | "in"; text: string }[] = [];
    let at = 0;
    for (const c of diff(signed(was), signed(is))) {
      out.push({ kind: "same", text: is.slice(at, c.fromB).join(" ") });
      out.push({ kind: "out", text: was.slice(c.fromA, c.toA).join(" ") });
      out.push({ kind: "in", text: is.slice(c.fromB, c.toB).join(" ") });
      at = c.toB;
    }
    out.push({ kind: "same", text: is.slice(at).join(" ") });
    return out.filter((p) => p.text);
  });
</script>

<p class="font-serif text-note leading-relaxed break-words">
  {#each pieces as p, i (i)}{i ? " " : ""}{#if p.kind === "same"}{p.text}{:else if p.kind === "in"}<ins
        class="bg-accent/15 decoration-accent underline-offset-4">{p.text}</ins
      >{:else}<del class="bg-wrong/10 text-faded decoration-wrong">{p.text}</del>{/if}{/each}
</p>
