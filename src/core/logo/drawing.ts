import { SaxesParser, type SaxesTagNS } from "saxes";
import { type Clause, clause } from "../clause/index.ts";

/** What is wrong with a drawing, and on which line of it. */
export interface Offence {
  readonly line: number;
  readonly because: Clause;
}

export interface Drawing {
  readonly offences: readonly Offence[];
  readonly title: string | undefined;
  /** Octets. */
  readonly size: number;
}

/** Octets a drawing may have. */
const MAX_DRAWING = 32 * 1024;
/** What is looked at; anything larger is refused unread. */
const MAX_READ = 1 << 20;
const MAX_DEPTH = 100;
const MAX_ELEMENTS = 5000;
const MAX_OFFENCES = 50;
const MAX_TITLE = 64;

export const SVG = "http://www.w3.org/2000/svg";
export const XLINK = "http://www.w3.org/1999/xlink";
const XMLNS = "http://www.w3.org/2000/xmlns/";

/** The elements of the profile (SVG Tiny 1.2, what is left of it in Portable/Secure). */
const ALLOWED: ReadonlySet<string> = new Set(
  "svg g defs desc title path rect circle ellipse line polyline polygon text textArea tspan tbreak solidColor linearGradient radialGradient stop use switch".split(
    " ",
  ),
);
const ANIMATED = new Set("animate animateMotion animateTransform animateColor set animation mpath discard".split(" "));
const INTERACTIVE = new Set("a handler listener prefetch".split(" "));
const RASTER = new Set("image video audio canvas feImage".split(" "));

/** Why an element is not allowed. */
function elementOffence(name: string): Clause | undefined {
  if (ALLOWED.has(name)) return undefined;
  if (name === "script") return clause("drawing-script");
  if (ANIMATED.has(name)) return clause("drawing-animated", { element: name });
  if (INTERACTIVE.has(name)) return clause("drawing-interactive", { element: name });
  if (RASTER.has(name)) return clause("drawing-raster", { element: name });
  if (name === "foreignObject") return clause("drawing-foreign-object");
  if (name === "style") return clause("drawing-style-sheet");
  return clause("drawing-element", { element: name.slice(0, 40) });
}

/** References of a value that lead out of the drawing. */
const leadsOut = (value: string): boolean => /url\(\s*['"]?(?!\s*#)[^)\s]/i.test(value);

/** Why an attribute is not allowed. */
function attributeOffence(tag: string, { local, uri, value }: SaxesTagNS["attributes"][string]): Clause | undefined {
  const name = local.slice(0, 40);
  if (uri === XMLNS) return undefined;
  if (/^on[a-z]/i.test(local) && uri === "") return clause("drawing-script-attribute", { attribute: name });
  if (local === "href" && (uri === "" || uri === XLINK))
    return value.startsWith("#")
      ? undefined
      : clause(/^data:/i.test(value) ? "drawing-data" : "drawing-outside", { element: tag });
  if (uri === "" && local === "style") return clause("drawing-style-attribute", { element: tag });
  if (local === "base") return clause("drawing-outside", { element: tag });
  return leadsOut(value) ? clause("drawing-outside", { element: tag }) : undefined;
}

/** The numbers of a viewBox; undefined where they are none. */
export function viewBoxOf(text: string | undefined): readonly [number, number, number, number] | undefined {
  const numbers = (text ?? "")
    .trim()
    .split(/[\s,]+/)
    .map(Number);
  return numbers.length === 4 && numbers.every(Number.isFinite) ? (numbers as [number, number, number, number]) : undefined;
}

/** Ends the reading of a drawing. */
class Refused extends Error {}

/** What is wrong with the root element. */
function rootOffences({ uri, local, attributes }: SaxesTagNS): Clause[] {
  if (local !== "svg" || uri !== SVG) return [clause("drawing-not-svg", { element: local.slice(0, 40) })];
  const get = (name: string): string | undefined => attributes[name]?.value;
  const found: Clause[] = [];
  if (get("version") !== "1.2") found.push(clause("drawing-version", { version: get("version")?.slice(0, 20) }));
  if (get("baseProfile") !== "tiny-ps") found.push(clause("drawing-profile", { profile: get("baseProfile")?.slice(0, 20) }));
  for (const name of ["x", "y"]) if (get(name) !== undefined) found.push(clause("drawing-root-place", { attribute: name }));
  const box = viewBoxOf(get("viewBox"));
  if (box === undefined) found.push(clause("drawing-no-view-box"));
  else if (box[2] !== box[3] || box[2] <= 0) found.push(clause("drawing-not-square", { width: box[2], height: box[3] }));
  return found;
}

/**
 * Judges a drawing by the profile that mailbox providers ask for (SVG Tiny Portable/Secure). Nothing of it is fetched, executed or drawn;
 * document types are refused, and with them entities.
 */
export function checkDrawing(octets: Uint8Array): Drawing {
  const size = octets.length;
  const offences: Offence[] = [];
  if (size > MAX_READ) return { offences: [{ line: 1, because: clause("drawing-too-large", { size }) }], title: undefined, size };
  if (size > MAX_DRAWING) offences.push({ line: 1, because: clause("drawing-too-large", { size }) });
  const parser = new SaxesParser({ xmlns: true, position: true });
  let title: string | undefined;
  let text = "";
  let depth = 0;
  let elements = 0;
  let inTitle = false;
  let rootLine = 1;
  let tagLine = 1;
  let stopped = false;
  const offend = (because: Clause | undefined, line = parser.line): void => {
    if (because !== undefined && offences.length < MAX_OFFENCES) offences.push({ line, because });
  };
  // What is refused is not read any further: the parser would go on, and take its time.
  const stop = (because: Clause): never => {
    if (!stopped) offend(because);
    stopped = true;
    throw new Refused();
  };
  parser.on("error", (error) => stop(clause("drawing-not-xml", { message: error.message.replace(/^\d+:\d+: /, "") })));
  parser.on("doctype", () => stop(clause("drawing-doctype")));
  parser.on("processinginstruction", ({ target }) => {
    if (target === "xml-stylesheet") offend(clause("drawing-outside", { element: target }));
  });
  parser.on("opentagstart", () => {
    tagLine = parser.line;
  });
  parser.on("opentag", (tag) => {
    depth += 1;
    elements += 1;
    if (depth > MAX_DEPTH) stop(clause("drawing-too-deep", { most: MAX_DEPTH }));
    if (elements > MAX_ELEMENTS) stop(clause("drawing-too-many", { most: MAX_ELEMENTS }));
    const isOurs = tag.uri === SVG;
    if (depth === 1) {
      rootLine = tagLine;
      for (const because of rootOffences(tag)) offend(because, tagLine);
    } else if (isOurs) offend(elementOffence(tag.local), tagLine);
    else offend(clause("drawing-foreign", { element: tag.name.slice(0, 40) }), tagLine);
    for (const attribute of Object.values(tag.attributes)) offend(attributeOffence(tag.local, attribute), tagLine);
    inTitle = isOurs && tag.local === "title" && depth === 2;
    if (inTitle) text = "";
  });
  const gather = (more: string): void => {
    if (inTitle && text.length <= MAX_READ) text += more;
  };
  parser.on("text", gather);
  parser.on("cdata", gather);
  parser.on("closetag", () => {
    if (inTitle && depth === 2) {
      title ??= text.trim();
      inTitle = false;
    }
    depth -= 1;
  });
  try {
    parser.write(new TextDecoder().decode(octets));
    parser.close();
  } catch (error) {
    if (!(error instanceof Refused)) throw error;
  }
  if (!stopped && (title === undefined || title === "")) offend(clause("drawing-no-title"), rootLine);
  if (title !== undefined && title.length > MAX_TITLE) offend(clause("drawing-long-title", { most: MAX_TITLE }), rootLine);
  return { offences: [...offences].sort((a, b) => a.line - b.line), title: title === "" ? undefined : title, size };
}
