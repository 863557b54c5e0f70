import { decodeHTMLStrict } from "entities";
import { plainBlanks, withoutInvisible } from "../copying.ts";
import { type DomainName, labelsOf, parseName } from "../name/index.ts";
import { straight, unquoted, type ValueMismatch, valueMismatch } from "./value.ts";

/**
 * The mistakes that lead a record astray between a service's page and a zone. Each is a pair: how it spoils what is wanted, and how it is
 * recognised. Two at once are common, so that the recognising parts are combined.
 */

/** A mistake of a value that can be taken back: what the text was before it, where it shows. */
interface ValueMistake {
  readonly kind: ValueMismatch;
  /** How it spoils a value; for tests, which spoil every value by every mistake. */
  readonly spoil: (value: string) => string;
  readonly undo: (seen: string) => string;
}

const decodePercent = (text: string): string => {
  try {
    return /%[0-9a-f]{2}/i.test(text) ? decodeURIComponent(text) : text;
  } catch {
    return text;
  }
};

export const VALUE_MISTAKES: readonly ValueMistake[] = [
  {
    kind: "quoted-twice",
    spoil: (value) => `"${value}"`,
    undo: (seen) => unquoted(seen.replace(/"\s+"/g, "")),
  },
  {
    kind: "typographic",
    spoil: (value) => `“${value.replaceAll("-", "–")}”`,
    undo: (seen) => straight(seen).replace(/^["']|["']$/g, ""),
  },
  {
    kind: "white-space",
    spoil: (value) => ` ${value}\u00a0`,
    undo: (seen) => plainBlanks(withoutInvisible(seen)).trim(),
  },
  { kind: "escaped", spoil: (value) => value.replace(/[;="]/g, "\\$&"), undo: (seen) => seen.replace(/\\(.)/g, "$1") },
  {
    kind: "html-entities",
    spoil: (value) => value.replace(/[&=;"]/g, (sign) => `&#${sign.charCodeAt(0)};`),
    undo: (seen) => (seen.includes("&") ? decodeHTMLStrict(decodeHTMLStrict(seen)) : seen),
  },
  { kind: "percent-encoded", spoil: encodeURIComponent, undo: (seen) => decodePercent(decodePercent(seen)) },
];

/** What is wrong with a value, the first mistake first; empty where it has nothing to do with what is wanted. */
export function valueMistakes(wanted: string, seen: string): readonly ValueMismatch[] {
  const only = valueMismatch(wanted, seen);
  // What holds the value and more may be marks around it, which say more than that there is more.
  if (only !== undefined && only !== "other-value" && only !== "extra-text") return [only];
  for (const first of VALUE_MISTAKES) {
    const before = first.undo(seen);
    if (before === seen) continue;
    if (before === wanted) return [first.kind];
    const second = valueMismatch(wanted, before);
    if (second !== undefined && second !== "other-value" && second !== "extra-text") return [first.kind, second];
  }
  return only === undefined ? [] : [only];
}

/** A text as it was before one or two mistakes, where a test holds for it then. */
export function beforeMistakes(
  seen: string,
  holds: (text: string) => boolean,
): { readonly text: string; readonly kinds: readonly ValueMismatch[] } | undefined {
  for (const first of VALUE_MISTAKES) {
    const once = first.undo(seen);
    if (once === seen) continue;
    if (holds(once)) return { text: once, kinds: [first.kind] };
    for (const second of VALUE_MISTAKES) {
      const twice = second.undo(once);
      if (twice !== once && holds(twice)) return { text: twice, kinds: [first.kind, second.kind] };
    }
  }
  return undefined;
}

/** How a name comes to another place. */
export type Misplacement = "name-doubled" | "at-apex" | "at-label";

interface NameMistake {
  readonly kind: Misplacement;
  /** The labels below the domain that the mistake makes of the wanted ones; several where it can be made in several ways. */
  readonly spoil: (own: readonly string[], apex: readonly string[]) => readonly (readonly string[])[];
}

/** Every order of a few labels. */
const orders = (labels: readonly string[]): string[][] =>
  labels.length < 2
    ? [[...labels]]
    : labels.flatMap((label, i) => orders(labels.filter((_, j) => j !== i)).map((rest) => [label, ...rest]));

const withUnderscore = (label: string): string => (label.startsWith("_") ? label.slice(1) : `_${label}`);

/** Mistakes of the name, the likeliest first. */
export const NAME_MISTAKES: readonly NameMistake[] = [
  // The domain appended once more, or the beginning of it.
  {
    kind: "name-doubled",
    spoil: (own, apex) => [
      [...own, ...apex],
      ...apex.map((_, i) => [...own, ...apex.slice(0, i + 1)]).filter(({ length }) => length < own.length + apex.length),
    ],
  },
  { kind: "at-apex", spoil: (own) => (own.length === 0 ? [] : [[]]) },
  // `@` or `www` typed, for the domain itself or in front of the host.
  {
    kind: "at-label",
    spoil: (own) => [
      ["@", ...own],
      ["www", ...own],
      ["*", ...own],
    ],
  },
  // An underscore lost or added, at one label or at all.
  {
    kind: "at-label",
    spoil: (own) => [
      ...own.map((_, i) => own.map((label, j) => (i === j ? withUnderscore(label) : label))),
      own.map((label) => label.replace(/^_/, "")),
      own.map((label) => (label.startsWith("_") ? label : `_${label}`)),
    ],
  },
  // A label lost.
  { kind: "at-label", spoil: (own) => (own.length < 2 ? [] : own.map((_, i) => own.filter((_label, j) => i !== j))) },
  // Labels turned round.
  { kind: "at-label", spoil: (own) => (own.length < 2 || own.length > 3 ? [] : orders(own).slice(1)) },
  // A dot inside a label, or a hyphen or nothing in its place.
  {
    kind: "at-label",
    spoil: (own) => (own.length < 2 ? [] : [[own.join(".")], [own.join("-")], [own.join("")], [own.join("_")]]),
  },
];

/** No name is looked for at more places. */
const MAX_PLACES = 48;

/**
 * The places at which a wanted name may have ended up, each with the mistake that leads there.
 *
 * @param words what else people put into the host field: the service's name, the name of its token
 */
export function placesOf(
  wanted: DomainName,
  apex: DomainName,
  words: readonly string[],
): readonly { readonly name: DomainName; readonly kind: Misplacement }[] {
  const top = labelsOf(apex);
  const own = labelsOf(wanted).slice(0, labelsOf(wanted).length - top.length);
  const places = new Map<DomainName, Misplacement>();
  const add = (labels: readonly string[], kind: Misplacement) => {
    const at = labels.length === 0 ? apex : nameAt(labels.map(escaped).join("."), apex);
    if (at !== undefined && at !== wanted && !places.has(at)) places.set(at, kind);
  };
  for (const { kind, spoil } of NAME_MISTAKES) for (const labels of spoil(own, top)) add(labels, kind);
  for (const word of words) for (const label of [word, `_${word}`]) add([label], "at-label");
  // The domain's own first label in front of it.
  if (own.length === 0) add([top[0] as string], "name-doubled");
  return [...places].slice(0, MAX_PLACES).map(([name, kind]) => ({ name, kind }));
}

const nameAt = (text: string, apex: DomainName): DomainName | undefined => {
  const read = parseName(text, apex);
  return read.ok ? read.value : undefined;
};

/** A label as a name holds it: a dot or an at sign inside it is escaped (RFC 1035 section 5.1). */
const escaped = (label: string): string => (label.includes("\\") ? label : label.replace(/[.@]/g, "\\$&"));
