import { Parser } from "htmlparser2";

/** How much of a page is read: octets of markup, and characters of text. What comes behind says no more of what the page is. */
const MOST_MARKUP = 512 << 10;
const MOST_TEXT = 4000;

/** What a page is made of, as far as it says what it is. */
export interface Markup {
  /** What visitors read, without scripts and styles, with one blank between words; at most {@link MOST_TEXT} characters. */
  readonly text: string;
  /** Whether it only shows another page inside a frame, or moves on by itself after loading. */
  readonly pretends: "frame" | "refresh" | undefined;
  /** Whether it has nothing that anybody could see: no words, no pictures, and no script that might make some. */
  readonly isEmpty: boolean;
}

/** Elements that show something without words, or make it. */
const SHOWN: ReadonlySet<string> = new Set("audio button canvas embed form iframe img input object script svg video".split(" "));

/** Reads a page once, with a parser whose time grows with the page and not faster. */
export function readMarkup(body: string): Markup {
  let text = "";
  let hidden = 0;
  let isFrame = false;
  let isRefresh = false;
  let isShown = false;
  const reader = new Parser({
    onopentag(tag, { "http-equiv": equiv = "", width = "", height = "" }) {
      if (tag === "script" || tag === "style") hidden += 1;
      if (tag === "meta" && equiv.trim().toLowerCase() === "refresh") isRefresh = true;
      if (tag === "frameset" || (tag === "iframe" && [width, height].some((size) => size.trim() === "100%"))) isFrame = true;
      if (SHOWN.has(tag)) isShown = true;
      text += " ";
    },
    onclosetag(tag) {
      if (tag === "script" || tag === "style") hidden -= 1;
      text += " ";
    },
    ontext(piece) {
      if (hidden <= 0 && text.length < MOST_TEXT) text += piece.slice(0, MOST_TEXT);
    },
  });
  reader.end(body.slice(0, MOST_MARKUP));
  return {
    text: text
      .slice(0, 4 * MOST_TEXT)
      .split(/\s+/)
      .join(" ")
      .slice(0, MOST_TEXT),
    isEmpty: !isShown && text.trim() === "",
    pretends: isRefresh ? "refresh" : isFrame ? "frame" : undefined,
  };
}
