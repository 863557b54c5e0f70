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

/** Kinds of inputs that hold no text. */
const NO_TEXT = /^(?:button|submit|reset|checkbox|radio|hidden|image|password)$/i;

/** Whether a browser shows nothing of an element, or nothing that belongs to the text. */
const isUnseen = (tag: string, attributes: Readonly<Record<string, string>>): boolean =>
  HIDDEN.has(tag) ||
  STRUCK.has(tag) ||
  attributes.role === "button" ||
  attributes.role === "tooltip" ||
  attributes.hidden !== undefined ||
  attributes["aria-hidden"] === "true" ||
  /display\s*:\s*none|visibility\s*:\s*hidden/i.test(attributes.style ?? "");

/** The text of a page as it is put together: lines of blocks, and cells with one tab between them. */
class PageText {
  readonly #pieces: string[] = [];
  /** How many cells there are so far in each row that is open. */
  readonly #rows: number[] = [];
  #inCell = 0;

  get text(): string {
    return this.#pieces.join("");
  }

  /** The last character written so far; a page begins like a new line. */
  get last(): string {
    return this.#pieces.at(-1)?.at(-1) ?? "\n";
  }

  put(more: string): void {
    if (more !== "") this.#pieces.push(more);
  }

  /** Begins a line; inside a cell that is a blank. */
  line(): void {
    if (this.#inCell > 0) this.put(/\s/.test(this.last) ? "" : " ");
    else if (this.last !== "\n") this.put("\n");
  }

  cell(): void {
    if (!/[\n\t]/.test(this.last)) this.put("\t");
  }

  /** What somebody could change stands beside its label. */
  input(value: string): void {
    if (this.#inCell === 0 && this.#pieces.at(-1) === "\n") this.#pieces.pop();
    this.cell();
    this.put(value);
    this.line();
  }

  beginRow(): void {
    this.line();
    this.#rows.push(0);
  }

  endRow(): void {
    this.#rows.pop();
    this.line();
  }

  /** An empty cell stays a cell. */
  beginCell(): void {
    const count = this.#rows.pop();
    if (count !== undefined && count > 0) this.put("\t");
    if (count !== undefined) this.#rows.push(count + 1);
    this.#inCell += 1;
  }

  endCell(): void {
    this.#inCell = Math.max(0, this.#inCell - 1);
    if (this.#pieces.length > 0 && this.last === " ") this.#pieces.push((this.#pieces.pop() as string).trimEnd());
  }
}

/**
 * What a browser would show of a page's source, one line a block and one tab between cells. Buttons, scripts and hidden parts
 * are left out; a picture's text stands as `[picture: …]`, because nobody can copy what it shows. What is struck through is
 * no part of the text, and is named.
 */
export function htmlText(source: string): { readonly text: string; readonly struck: readonly string[] } {
  const page = new PageText();
  const struck: string[] = [];
  const skipping: string[] = [];
  let inPre = 0;
  let option: boolean | undefined;
  const put = (more: string) => {
    if (option !== false) page.put(more);
  };
  const reader = new Parser({
    onopentag(tag, attributes) {
      if (skipping.length > 0) {
        if (!VOID.has(tag)) skipping.push(tag);
        return;
      }
      const { type, value, alt, selected } = attributes;
      const unseen = isUnseen(tag, attributes);
      if (unseen && !VOID.has(tag)) skipping.push(tag);
      else if (tag === "td" || tag === "th") page.beginCell();
      else if (tag === "tr") page.beginRow();
      else if (tag === "dd") page.cell();
      else if (tag === "br") page.line();
      else if (tag === "img" && alt !== undefined && alt.trim() !== "") put(`[picture: ${alt.trim()}]`);
      else if (tag === "input" && !unseen && !NO_TEXT.test(type ?? "text")) {
        if (value !== undefined) page.input(value);
      } else if (tag === "option") option = selected !== undefined;
      else if (BLOCKS.has(tag)) {
        page.line();
        if (tag === "pre") inPre += 1;
      }
    },
    ontext(raw) {
      if (STRUCK.has(skipping[0] ?? "") && raw.trim() !== "") struck.push(raw.replace(/\s+/g, " ").trim());
      if (skipping.length > 0) return;
      const plain = inPre > 0 ? raw : raw.replace(/\s+/g, " ");
      put(inPre === 0 && /\s/.test(page.last) ? plain.replace(/^ /, "") : plain);
    },
    onclosetag(tag) {
      if (skipping.length > 0) {
        if (skipping.at(-1) === tag) skipping.pop();
      } else if (tag === "td" || tag === "th") page.endCell();
      else if (tag === "tr") page.endRow();
      else if (tag === "dd") page.line();
      else if (tag === "option") option = undefined;
      else if (BLOCKS.has(tag) && tag !== "dt") {
        if (tag === "pre") inPre = Math.max(0, inPre - 1);
        page.line();
      }
    },
  });
  reader.end(source);
  return { text: page.text, struck };
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
