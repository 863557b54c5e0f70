import { visible } from "./safe.ts";
import { html } from "./sheet.ts";

/** How a text is meant, beside what it says. */
type Tone = "lead" | "quiet" | "ok" | "warn" | "bad";

/**
 * A part of a document that is shown as HTML or as Markdown. Texts are plain; what is between backticks is something to type.
 */
export type Block =
  | { readonly heading: string; readonly id?: string }
  | { readonly text: string; readonly tone?: Tone }
  | { readonly items: readonly { readonly text: string; readonly tone?: Tone }[] }
  | {
      readonly table: {
        readonly head: readonly string[];
        readonly rows: readonly (readonly string[])[];
        readonly numbers?: readonly number[];
      };
    }
  /** A drawing as SVG, and what it shows in words. */
  | { readonly figure: string; readonly says: string }
  | { readonly links: readonly { readonly text: string; readonly to: string; readonly about?: string }[] }
  /** Something with a few labelled texts. */
  | {
      readonly entry: string;
      readonly tone: Tone;
      readonly mark: string;
      readonly fields: readonly (readonly [label: string, text: string])[];
    }
  /** Something that is shown when it is asked for. */
  | { readonly summary: string; readonly inside: readonly Block[] };

const inHtml = (text: string): string => html(text).replace(/`([^`]+)`/g, "<code>$1</code>");

/** A document as HTML, for the inside of a page. */
export function htmlOf(blocks: readonly Block[]): string {
  const one = (block: Block): string => {
    if ("heading" in block) return `<h2${block.id === undefined ? "" : ` id="${html(block.id)}"`}>${html(block.heading)}</h2>`;
    if ("text" in block) return `<p${block.tone === undefined ? "" : ` class="${block.tone}"`}>${inHtml(block.text)}</p>`;
    if ("items" in block)
      return `<ul>${block.items.map(({ text, tone }) => `<li${tone === undefined ? "" : ` class="${tone}"`}>${inHtml(text)}</li>`).join("")}</ul>`;
    if ("table" in block) {
      const { head, rows, numbers = [] } = block.table;
      const number = (i: number) => (numbers.includes(i) ? ' class="number"' : "");
      const cells = (row: readonly string[]) =>
        row
          .map((cell, i) =>
            i === 0
              ? `<th scope="row"${numbers.includes(0) ? ' class="short"' : ""}>${inHtml(cell)}</th>`
              : `<td${number(i)} data-label="${html(head[i] ?? "")}">${inHtml(cell)}</td>`,
          )
          .join("");
      return `<div class="wide"><table><thead><tr>${head.map((cell, i) => `<th scope="col"${number(i)}>${html(cell)}</th>`).join("")}</tr></thead><tbody>\n${rows.map((row) => `<tr>${cells(row)}</tr>`).join("\n")}\n</tbody></table></div>`;
    }
    if ("entry" in block)
      return `<section class="card"><h3>${html(block.entry)} <span class="${block.tone}">(${html(block.mark)})</span></h3><dl>${block.fields.map(([label, text]) => `<dt>${html(label)}</dt><dd>${inHtml(text)}</dd>`).join("")}</dl></section>`;
    if ("figure" in block) return `<figure role="img" aria-label="${html(block.says)}">${block.figure}</figure>`;
    if ("links" in block)
      return `<nav><ul>${block.links.map(({ text, to, about }) => `<li><a href="${html(to)}">${html(text)}</a>${about === undefined ? "" : ` ${inHtml(about)}`}</li>`).join("")}</ul></nav>`;
    return `<details><summary>${html(block.summary)}</summary>${htmlOf(block.inside)}</details>`;
  };
  return blocks.map(one).join("\n");
}

/** A text in which Markdown finds nothing of its own; what is to be typed stays code. */
const inMarkdown = (text: string): string =>
  visible(text)
    .split(/(`[^`]+`)/)
    .map((part, i) => (i % 2 === 1 ? part : part.replace(/[\\`*_{}[\]<>|#~]/g, "\\$&")))
    .join("");

/** The same as Markdown; drawings are their words. */
export function markdownOf(title: string, blocks: readonly Block[]): string {
  const one = (block: Block): string => {
    if ("heading" in block) return `## ${inMarkdown(block.heading)}`;
    if ("text" in block) return inMarkdown(block.text);
    if ("items" in block) return block.items.map(({ text }) => `- ${inMarkdown(text)}`).join("\n");
    if ("table" in block) {
      const { head, rows, numbers = [] } = block.table;
      const row = (cells: readonly string[]) => `| ${cells.map(inMarkdown).join(" | ")} |`;
      return [row(head), `| ${head.map((_, i) => (numbers.includes(i) ? "--:" : "--")).join(" | ")} |`, ...rows.map(row)].join(
        "\n",
      );
    }
    if ("entry" in block)
      return `### ${inMarkdown(block.entry)} (${block.mark})\n\n${block.fields.map(([label, text]) => `- ${label}: ${inMarkdown(text)}`).join("\n")}`;
    if ("figure" in block) return `*${inMarkdown(block.says)}*`;
    if ("links" in block)
      return block.links
        .map(
          ({ text, to, about }) =>
            `- [${inMarkdown(text)}](${encodeURI(to)})${about === undefined ? "" : `: ${inMarkdown(about)}`}`,
        )
        .join("\n");
    return [`**${inMarkdown(block.summary)}**`, ...block.inside.map(one)].join("\n\n");
  };
  return `# ${inMarkdown(title)}\n\n${blocks.map(one).join("\n\n")}\n`;
}
