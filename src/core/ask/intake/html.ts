import { Parser } from "htmlparser2";
import { repairQuotes } from "./repair.ts";

/** Tags that begin and end a line of their own. */
const BLOCKS = new Set(
  "p div li ul ol dl dt tr table thead tbody tfoot section article header footer nav aside main form fieldset h1 h2 h3 h4 h5 h6 pre blockquote body html title hr label figure".split(
    " ",
  ),
);
/** Tags whose contents nobody sees as text. */
const HIDDEN = new Set("script style svg template noscript button object iframe".split(" "));
const VOID = new Set("br wbr hr img input meta link col area base embed source track param".split(" "));
/** Meta tags that browsers and readers use; any other one is a proof of ownership. */
const ORDINARY_META =
  /^(?:viewport|description|keywords|robots|author|generator|theme-color|color-scheme|referrer|format-detection|application-name|apple-.*|ms.*|twitter:.*|og:.*|csrf-.*|next-.*|charset|title|rating|copyright|language)$/i;

/** Whether a text is the source of a page, rather than what a browser shows of it. */
export const isHtml = (text: string): boolean =>
  /<(?:html|body|table|tbody|tr|td|th|div|p|dl|dt|dd|ul|ol|li|span|code|br|input|label|pre|h[1-6])(?:\s[^<>]*)?\/?>/i.test(text);

/** A meta tag that proves ownership, wherever it stands in a text. */
export interface MetaTag {
  readonly name: string;
  readonly content: string;
  /** The tag as it was written. */
  readonly text: string;
}

/** The meta tags of a text that are not meant for browsers. */
export function metaTags(text: string): MetaTag[] {
  return [...text.matchAll(/<meta\s[^<>]{1,2000}>/gi)].flatMap(([tag]) => {
    const plain = repairQuotes(tag).text;
    const attribute = (name: string) => new RegExp(`\\s${name}\\s*=\\s*(?:"([^"]*)"|'([^']*)'|([^\\s"'>]+))`, "i").exec(plain);
    const [name, content] = ["name", "content"].map((key) => {
      const found = attribute(key);
      return found?.[1] ?? found?.[2] ?? found?.[3];
    });
    if (name === undefined || content === undefined || ORDINARY_META.test(name)) return [];
    return [{ name, content, text: tag }];
  });
}

/** What a page says is not so any more. */
const STRUCK = new Set(["del", "s", "strike"]);

/**
 * What a browser would show of a page's source, one line a block and one tab between cells. Buttons, scripts and hidden parts
 * are left out; a picture's text stands as `[picture: …]`, because nobody can copy what it shows. What is struck through is
 * no part of the text, and is named.
 */
export function htmlText(source: string): { readonly text: string; readonly struck: readonly string[] } {
  const pieces: string[] = [];
  const struck: string[] = [];
  const skipping: string[] = [];
  let inCell = 0;
  let inPre = 0;
  let option: boolean | undefined;
  /** The last character written so far; a page begins like a new line. */
  const last = () => pieces.at(-1)?.at(-1) ?? "\n";
  const put = (more: string) => {
    if (more !== "" && skipping.length === 0 && option !== false) pieces.push(more);
  };
  const line = () => {
    if (inCell > 0) put(/\s/.test(last()) ? "" : " ");
    else if (last() !== "\n") put("\n");
  };
  const cell = () => {
    if (!/[\n\t]/.test(last())) put("\t");
  };
  const rowCells: number[] = [];
  const reader = new Parser({
    onopentag(tag, { role, hidden, style, type, value, alt, selected, ...attributes }) {
      if (skipping.length > 0) {
        if (!VOID.has(tag)) skipping.push(tag);
        return;
      }
      const unseen =
        HIDDEN.has(tag) ||
        role === "button" ||
        role === "tooltip" ||
        hidden !== undefined ||
        attributes["aria-hidden"] === "true" ||
        /display\s*:\s*none|visibility\s*:\s*hidden/i.test(style ?? "") ||
        STRUCK.has(tag);
      if (unseen && !VOID.has(tag)) {
        skipping.push(tag);
        return;
      }
      if (tag === "td" || tag === "th") {
        // An empty cell stays a cell.
        const count = rowCells.at(-1) ?? 0;
        if (count > 0) put("\t");
        if (rowCells.length > 0) rowCells[rowCells.length - 1] = count + 1;
        inCell += 1;
      } else if (tag === "tr") {
        line();
        rowCells.push(0);
      } else if (tag === "dd") cell();
      else if (tag === "br") line();
      else if (tag === "img" && alt !== undefined && alt.trim() !== "") put(`[picture: ${alt.trim()}]`);
      else if (
        tag === "input" &&
        !unseen &&
        !/^(?:button|submit|reset|checkbox|radio|hidden|image|password)$/i.test(type ?? "text")
      ) {
        if (value !== undefined) {
          if (inCell === 0 && pieces.at(-1) === "\n") pieces.pop();
          cell();
          put(value);
          line();
        }
      } else if (tag === "option") option = selected !== undefined;
      else if (BLOCKS.has(tag)) {
        line();
        if (tag === "pre") inPre += 1;
      }
    },
    ontext(raw) {
      if (STRUCK.has(skipping[0] ?? "") && raw.trim() !== "") struck.push(raw.replace(/\s+/g, " ").trim());
      const plain = inPre > 0 ? raw : raw.replace(/\s+/g, " ");
      put(inPre === 0 && /\s/.test(last()) ? plain.replace(/^ /, "") : plain);
    },
    onclosetag(tag) {
      if (skipping.length > 0) {
        if (skipping.at(-1) === tag) skipping.pop();
        return;
      }
      if (tag === "td" || tag === "th") {
        inCell = Math.max(0, inCell - 1);
        if (pieces.length > 0 && last() === " ") pieces.push((pieces.pop() as string).trimEnd());
      } else if (tag === "tr") {
        rowCells.pop();
        line();
      } else if (tag === "dd") line();
      else if (tag === "option") option = undefined;
      else if (BLOCKS.has(tag) && tag !== "dt") {
        if (tag === "pre") inPre = Math.max(0, inPre - 1);
        line();
      }
    },
  });
  reader.end(source);
  return { text: pieces.join(""), struck };
}

/**
 * A structure with its innermost elements as `name: text`, one a line, and whatever else it says as it stands; undefined where
 * there is no such structure.
 */
export function xmlText(source: string): string | undefined {
  const leaf = /<([a-z][\w.-]{0,40})(?:\s[^<>]*)?>([^<>]{1,5000})<\/\1>/gi;
  if ([...source.matchAll(leaf)].length < 2) return undefined;
  return source
    .replace(leaf, (_, name: string, text: string) => `\n${name}: ${text.trim()}\n`)
    .replace(/<[/?!]?[a-z][^<>]*>/gi, "\n");
}
