import type { SheetEntry } from "../core/change/index.ts";
import { inWords } from "./clauses/index.ts";
import { visible } from "./safe.ts";
import type { Style } from "./style.ts";

export const TITLES: Readonly<Record<SheetEntry["action"], string>> = {
  enter: "Enter",
  change: "Change in place",
  delete: "Delete",
  "not-offered": "Cannot be entered",
};

/** The fields of an entry in the order most forms have them. */
export const fieldsOf = (entry: SheetEntry): [string, string][] => [
  ["Type", entry.type],
  ["Host", entry.host === "" ? "(leave empty)" : entry.host],
  ...(entry.priority === undefined ? [] : [["Priority", entry.priority] as [string, string]]),
  ...(entry.was === undefined ? [] : [["Value now", entry.was] as [string, string]]),
  [entry.was === undefined ? "Value" : "New value", entry.value],
  ...(entry.action === "delete" ? [] : [["TTL", entry.ttl] as [string, string]]),
];

/** The sheet for a terminal: each field on a line of its own, ready to be copied. */
export function sheetText(entries: readonly SheetEntry[], style: Style): string {
  return entries
    .map((entry, i) => {
      const title = `${i + 1} of ${entries.length}  ${TITLES[entry.action]}`;
      const fields = fieldsOf(entry).map(([label, value]) => `  ${label.padEnd(9)}  ${style.strong(visible(value))}`);
      return [
        entry.action === "enter" || entry.action === "change" ? style.added(title) : style.removed(title),
        ...fields,
        ...(entry.note === undefined ? [] : [`  ${style.careful("note")}       ${visible(inWords(entry.note))}`]),
      ].join("\n");
    })
    .join("\n\n");
}

const code = (text: string): string => {
  const fence = "`".repeat(Math.max(0, ...[...text.matchAll(/`+/g)].map((match) => match[0].length)) + 1);
  return `${fence}${text.startsWith("`") || text.endsWith("`") ? ` ${text} ` : text}${fence}`;
};

/** The sheet as Markdown. */
export function sheetMarkdown(title: string, entries: readonly SheetEntry[]): string {
  const parts = entries.map(
    (entry, i) =>
      `## ${i + 1}. ${TITLES[entry.action]}\n\n${fieldsOf(entry)
        .map(([label, value]) => `- ${label}: ${code(visible(value))}`)
        .join("\n")}${entry.note === undefined ? "" : `\n\nNote: ${visible(inWords(entry.note))}.`}`,
  );
  return `# ${visible(title)}\n\n${parts.join("\n\n")}\n`;
}

const ESCAPES: Readonly<Record<string, string>> = { "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;", "'": "&#39;" };

/** Text inside a page. */
export const html = (text: string): string => visible(text).replace(/[&<>"']/g, (character) => ESCAPES[character] as string);

/** The sheet as a page to print: one block a record, a box to tick. */
export function sheetPage(title: string, entries: readonly SheetEntry[]): string {
  const blocks = entries.map(
    (entry, i) =>
      `<section class="${entry.action}"><h2><span class="box"></span>${i + 1}. ${TITLES[entry.action]}</h2><table>${fieldsOf(
        entry,
      )
        .map(([label, value]) => `<tr><th>${label}</th><td><code>${html(value)}</code></td></tr>`)
        .join("")}</table>${entry.note === undefined ? "" : `<p>${html(inWords(entry.note))}.</p>`}</section>`,
  );
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${html(title)}</title>
<style>
body{font:16px/1.5 system-ui,sans-serif;max-width:46rem;margin:2rem auto;padding:0 1rem;color:#22263a;background:#fff}
h1{font-size:1.4rem}h2{font-size:1.05rem;margin:0 0 .4rem;display:flex;align-items:center;gap:.5rem}
section{border:1px solid #cbc8d4;border-left:6px solid #1c6e62;border-radius:4px;padding:.8rem 1rem;margin:1rem 0;break-inside:avoid}
section.delete{border-left-color:#993049}section.not-offered{border-left-color:#7a5716}
.box{width:1rem;height:1rem;border:1.5px solid #51566b;display:inline-block}
table{border-collapse:collapse;width:100%}th{text-align:left;font-weight:500;color:#51566b;width:6rem;vertical-align:top;padding:.15rem 0}
code{font:15px/1.4 ui-monospace,"DejaVu Sans Mono",monospace;overflow-wrap:anywhere;user-select:all}
p{margin:.5rem 0 0;color:#664812}
</style></head><body><h1>${html(title)}</h1>
${blocks.join("\n")}
</body></html>
`;
}
