/** Signs that are put into a reply's text before it is rendered, and made elements afterwards. */
export interface Mark {
  /** In bytes of UTF-8. */
  at: number;
  /** Of several at one place, the least first. */
  order: number;
  /** What is put there. */
  sign: string;
}

/** Puts signs into a text. */
export function withMarks(text: string, marks: Mark[]): string {
  const bytes = new TextEncoder().encode(text);
  const decoder = new TextDecoder();
  let out = "";
  let last = 0;
  for (const m of marks.toSorted((a, b) => a.at - b.at || a.order - b.order)) {
    if (m.at < last || m.at > bytes.length) continue;
    out += decoder.decode(bytes.subarray(last, m.at)) + m.sign;
    last = m.at;
  }
  return out + decoder.decode(bytes.subarray(last));
}
