import { SaxesParser, type SaxesTagNS } from "saxes";
import { type Clause, clause } from "../clause/index.ts";
import { checkDrawing, type Offence, SVG, viewBoxOf, XLINK } from "./drawing.ts";

/** A drawing made clean, what was done to it, and what is still in the way; nothing in it looks different. */
export interface Prepared {
  readonly text: string;
  readonly done: readonly Clause[];
  readonly offences: readonly Offence[];
}

const DROPPED = new Set(
  "script metadata animate animateMotion animateTransform animateColor set discard handler listener prefetch mpath".split(" "),
);
/** Properties of a style attribute that are attributes of their own as well (SVG Tiny 1.2, attribute table). */
const PROPERTIES = new Set(
  [
    "color display fill fill-opacity fill-rule font-family font-size font-style font-weight opacity solid-color solid-opacity",
    "stop-color stop-opacity stroke stroke-dasharray stroke-dashoffset stroke-linecap stroke-linejoin stroke-miterlimit stroke-opacity stroke-width text-anchor visibility",
  ].flatMap((names) => names.split(" ")),
);

/** What keeps a drawing from being read at all. */
const UNREADABLE: ReadonlySet<string> = new Set(["drawing-too-deep", "drawing-too-many", "drawing-not-xml", "drawing-not-svg"]);
const MAX_DEPTH = 100;
const MAX_ELEMENTS = 5000;

const escaped = (text: string): string =>
  text.replace(/&/g, "&amp;").replace(/</g, "&lt;").replace(/>/g, "&gt;").replace(/"/g, "&quot;");

/** A style attribute as attributes; undefined where some of it has none. */
function asAttributes(style: string): Map<string, string> | undefined {
  const found = new Map<string, string>();
  for (const declaration of style.split(";").filter((one) => one.trim() !== "")) {
    const colon = declaration.indexOf(":");
    const [property, value] = [declaration.slice(0, colon).trim(), declaration.slice(colon + 1).trim()];
    if (/^-(inkscape|moz|webkit)-/i.test(property)) continue;
    if (colon === -1 || !PROPERTIES.has(property) || value.includes("!")) return undefined;
    found.set(property, value);
  }
  return found;
}

/** The root's attributes as the profile wants them. */
function rootAttributes(attributes: Map<string, string>, done: (because: Clause) => void): void {
  if (attributes.get("version") !== "1.2" || attributes.get("baseProfile") !== "tiny-ps") done(clause("prepared-profile"));
  attributes.set("version", "1.2");
  attributes.set("baseProfile", "tiny-ps");
  for (const name of ["x", "y"]) if (attributes.delete(name)) done(clause("prepared-root-place"));
  const [width, height] = ["width", "height"].map((name) => Number.parseFloat(attributes.get(name) ?? ""));
  const box =
    viewBoxOf(attributes.get("viewBox")) ??
    (width !== undefined && height !== undefined && width > 0 && height > 0 ? ([0, 0, width, height] as const) : undefined);
  if (box === undefined) return;
  const [left, top, wide, high] = box;
  const side = Math.max(wide, high);
  if (wide !== high) done(clause("prepared-square", { width: wide, height: high }));
  attributes.set("viewBox", [left - (side - wide) / 2, top - (side - high) / 2, side, side].join(" "));
  for (const name of ["width", "height", "preserveAspectRatio", "enable-background"]) attributes.delete(name);
}

/**
 * Writes a drawing anew so that it keeps to the profile, as far as that is possible without changing how it looks: what is not drawn
 * goes, styles become attributes, the square is widened by an empty margin, a title is added.
 */
export function prepareDrawing(octets: Uint8Array, title: string): Prepared {
  const before = checkDrawing(octets);
  if (before.offences.some(({ because }) => UNREADABLE.has(because.clause)))
    return { text: "", done: [], offences: before.offences };
  const done = new Map<string, Clause>();
  const note = (because: Clause): void => void done.set(JSON.stringify(because), because);
  const parser = new SaxesParser({ xmlns: true });
  const open: { readonly written: boolean; readonly tag: string }[] = [];
  let out = "";
  let failed = false;
  let dropped = 0;
  let isTitle = false;
  parser.on("error", (error) => {
    throw error;
  });
  parser.on("doctype", (text) => {
    // A document type without entities of its own draws nothing.
    if (text.includes("[")) throw new Error("entities");
    note(clause("prepared-dropped", { what: "<!DOCTYPE>" }));
  });
  parser.on("comment", () => note(clause("prepared-comments")));
  let elements = 0;
  parser.on("opentag", (tag) => {
    elements += 1;
    if (open.length > MAX_DEPTH || elements > MAX_ELEMENTS) throw new Error("too much");
    const { tag: written, isDropped } = rewritten(tag, open.length, note);
    if (dropped > 0 || isDropped) {
      dropped += 1;
      open.push({ written: false, tag: "" });
      return;
    }
    isTitle = open.length === 1 && tag.local === "title";
    const name = tag.local === "a" ? "g" : tag.local;
    out += written;
    open.push({ written: true, tag: name });
    if (open.length === 1) out += before.title === undefined ? `<title>${escaped(title)}</title>` : "";
    if (open.length === 1 && before.title === undefined) note(clause("prepared-title", { title }));
  });
  const text = (more: string): void => {
    const inside = open.at(-1)?.tag;
    if (dropped > 0 || open.length === 0) return;
    if (more.trim() === "" && inside !== "text" && inside !== "tspan") out += more.includes("\n") ? "\n" : "";
    else out += escaped(isTitle ? more.trim() : more);
  };
  parser.on("text", text);
  parser.on("cdata", text);
  parser.on("closetag", () => {
    const closed = open.pop();
    if (dropped > 0) dropped -= 1;
    else if (closed?.written === true) out += `</${closed.tag}>`;
    isTitle = false;
  });
  try {
    parser.write(new TextDecoder().decode(octets)).close();
  } catch {
    failed = true;
  }
  if (failed) return { text: "", done: [], offences: before.offences };
  const clean = out.replace(/\n{2,}/g, "\n").replace(/<(\w+)([^<>]*)><\/\1>/g, "<$1$2/>");
  return { text: `${clean.trim()}\n`, done: [...done.values()], offences: checkDrawing(Buffer.from(clean)).offences };
}

/** One element as it is written, or that it goes with all that is in it. */
function rewritten(
  { local, uri, attributes }: SaxesTagNS,
  depth: number,
  note: (because: Clause) => void,
): { readonly tag: string; readonly isDropped: boolean } {
  const gone = { tag: "", isDropped: true };
  if (uri !== SVG || DROPPED.has(local)) {
    note(clause("prepared-dropped", { what: `<${local.slice(0, 40)}>` }));
    return gone;
  }
  const kept = new Map<string, string>();
  // A style counts more than the attribute of the same name, so it comes last.
  const ordered = Object.values(attributes).sort((one, other) => Number(one.local === "style") - Number(other.local === "style"));
  for (const { local: name, uri: space, value } of ordered) {
    if (space === "http://www.w3.org/2000/xmlns/" || (/^on[a-z]/i.test(name) && space === "")) {
      if (space === "") note(clause("prepared-dropped", { what: name.slice(0, 40) }));
      continue;
    }
    if (name === "href" && (space === "" || space === XLINK)) {
      if (local === "a") continue;
      kept.set("xlink:href", value);
    } else if (space === "" && name === "style") {
      const properties = asAttributes(value);
      if (properties === undefined) kept.set("style", value);
      else {
        note(clause("prepared-style"));
        for (const [property, of] of properties) kept.set(property, of);
      }
    } else if (space === "" && name !== "class") kept.set(name, value);
    else if (space === "http://www.w3.org/XML/1998/namespace" && name === "space") kept.set("xml:space", value);
  }
  if (depth === 0) {
    rootAttributes(kept, note);
    kept.set("xmlns", SVG);
    kept.set("xmlns:xlink", XLINK);
  }
  if (local === "a") note(clause("prepared-dropped", { what: "<a>" }));
  const name = local === "a" ? "g" : local;
  return { tag: `<${name}${[...kept].map(([key, value]) => ` ${key}="${escaped(value)}"`).join("")}>`, isDropped: false };
}
