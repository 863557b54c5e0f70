import { describe, expect, test } from "@jest/globals";
import { type Block, htmlOf, markdownOf } from "./document.ts";

const HOSTILE = '<script>alert("x")</script> | *a* [b](c) \u202eevil\u0007';
const BLOCKS: readonly Block[] = [
  { heading: HOSTILE, id: HOSTILE },
  { text: `${HOSTILE} \`zandrel status\``, tone: "lead" },
  { items: [{ text: HOSTILE, tone: "bad" }] },
  { table: { head: [HOSTILE, "number"], rows: [[HOSTILE, "1"]], numbers: [1] } },
  { figure: "<svg></svg>", says: HOSTILE },
  { links: [{ text: HOSTILE, to: '"><script>', about: HOSTILE }] },
  { entry: HOSTILE, tone: "warn", mark: "risks", fields: [["Seen", HOSTILE]] },
  { summary: HOSTILE, inside: [{ text: HOSTILE }] },
];

describe("a document", () => {
  test("in HTML nothing from outside is markup, a control character or a change of direction", () => {
    const html = htmlOf(BLOCKS);
    expect(html).not.toMatch(/(?<!\\)<script|\u202e|\u0007|href="">/);
    expect(html.match(/&lt;script&gt;/g)?.length).toBeGreaterThan(8);
    expect(html).toContain("<code>zandrel status</code>");
    expect(html).toContain('<td class="number" data-label="number">1</td>');
  });

  test("in Markdown nothing from outside is a link, a table or emphasis", () => {
    const text = markdownOf("Title", BLOCKS);
    expect(text).not.toMatch(/(?<!\\)<script|\u202e|\u0007|[^\\]\[b\]/);
    expect(text).toContain("\\<script\\>");
    expect(text).toContain("`zandrel status`");
    // Each row has as many cells as the head, whatever is in it.
    const rows = text.split("\n").filter((line) => line.startsWith("|"));
    expect(rows.map((row) => row.split(/(?<!\\)\|/).length)).toEqual([4, 4, 4]);
  });
});
