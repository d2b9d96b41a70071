/** Puts text on the clipboard, also where the page is not served securely. */
export async function copy(text: string): Promise<void> {
  if (navigator.clipboard) return navigator.clipboard.writeText(text);
  const area = document.createElement("textarea");
  area.value = text;
  area.style.position = "fixed";
  document.body.append(area);
  area.select();
  document.execCommand("copy");
  area.remove();
}
