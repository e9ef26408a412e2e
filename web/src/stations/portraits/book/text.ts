import type { Part } from "@/stations/portraits/book/use-book";

const KEY = "data-figure";

/** A figure within a text that is being changed: one piece, which cannot be typed into. */
export function figureNode(key: string, words: string, about: string): HTMLElement {
  const node = document.createElement("span");
  node.contentEditable = "false";
  node.setAttribute(KEY, key);
  node.title = about;
  node.className = "rounded bg-paper px-0.5 font-semibold ring-1 ring-line";
  node.textContent = words;
  return node;
}

/** What stands in a field while a part is changed. */
export function nodesOf(part: Part): Node[] {
  return part.sentences.flatMap((sentence, n) => [
    ...(n > 0 ? [document.createTextNode(" ")] : []),
    ...sentence.runs.map((run) =>
      run.key ? figureNode(run.key, run.text, run.about) : document.createTextNode(run.text),
    ),
  ]);
}

/** The text of a field, figures as their keys in braces; braces that were typed are none. */
export function textOf(field: Node): string {
  let told = "";
  for (const node of field.childNodes) {
    if (node instanceof HTMLElement) {
      const key = node.getAttribute(KEY);
      if (key !== null) told += `{${key}}`;
      else if (node.tagName === "BR") told += "\n";
      else told += `${told === "" ? "" : "\n"}${textOf(node)}`;
    } else told += (node.textContent ?? "").replace(/\{/g, "(").replace(/\}/g, ")");
  }
  return told.replace(/\u00a0/g, " ").trim();
}
