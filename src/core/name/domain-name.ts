import { domainToASCII, domainToUnicode } from "node:url";
import { type Clause, clause } from "../clause/index.ts";
import { err, ok, type Result } from "../result.ts";

declare const brand: unique symbol;

/**
 * An absolute domain name in its one canonical spelling: A-labels, lower case, final dot, escapes only
 * where RFC 1035 section 5.1 needs them. Two names are the same name exactly when the strings are equal
 * (RFC 4343), so a DomainName is a ready key for maps. Only {@link parseName} and the functions of this
 * folder make one.
 */
export type DomainName = string & { readonly [brand]: "DomainName" };

/** Why a text is not a domain name; `at` is the offset of the offending character in the text. */
export interface NameError {
  readonly code: "empty" | "empty-label" | "label-too-long" | "name-too-long" | "bad-escape" | "not-a-name";
  readonly at: number;
  readonly message: Clause;
}

/** The root of the tree. */
export const ROOT = "." as DomainName;

/** Longest label and longest name on the wire, in octets (RFC 1035 section 2.3.4). */
const MAX_LABEL_OCTETS = 63;
const MAX_NAME_OCTETS = 255;

const PLAIN = /^(?:[a-z0-9_-]{1,63}\.)*[a-z0-9_-]{1,63}\.?$/;
const SPECIAL = '."\\;()@$';
const OTHER_DOTS = /[\u3002\uff0e\uff61]/g;

/** One octet as it stands inside a label of a canonical name. */
function escapeOctet(octet: number): string {
  const lower = octet >= 65 && octet <= 90 ? octet + 32 : octet;
  if (lower <= 32 || lower >= 127) return `\\${String(lower).padStart(3, "0")}`;
  const character = String.fromCharCode(lower);
  return SPECIAL.includes(character) ? `\\${character}` : character;
}

/** A label, given as its octets, in canonical text. */
export function labelText(octets: Iterable<number>): string {
  let text = "";
  for (const octet of octets) text += escapeOctet(octet);
  return text;
}

function fail(code: NameError["code"], at: number, message: Clause): { readonly ok: false; readonly error: NameError } {
  return err({ code, at, message });
}

/** The A-label of a U-label (RFC 5891), or undefined where there is none: a look-alike of a bracket or a space makes no label. */
function toALabel(label: string): string | undefined {
  const ascii = domainToASCII(label);
  return /^[a-z0-9_-]+$/.test(ascii) ? ascii : undefined;
}

interface RawLabel {
  /** The label without escapes; characters above 127 only where the text holds them unescaped. */
  text: string;
  /** Octets the text named by escapes, which are data and never part of a U-label. */
  escaped: boolean;
  at: number;
}

/** Splits a name at its dots, resolving `\.` and `\DDD` (RFC 1035 section 5.1). */
function split(text: string): Result<RawLabel[], NameError> {
  const labels: RawLabel[] = [];
  let label: RawLabel = { text: "", escaped: false, at: 0 };
  for (let i = 0; i < text.length; i++) {
    const character = text[i] as string;
    if (character === ".") {
      if (label.text === "") return fail("empty-label", i, clause("name-nothing-between-dots"));
      labels.push(label);
      label = { text: "", escaped: false, at: i + 1 };
    } else if (character === "\\") {
      const digits = /^\d{3}/.exec(text.slice(i + 1, i + 4))?.[0];
      if (digits !== undefined) {
        if (Number(digits) > 255) return fail("bad-escape", i, clause("name-no-octet", { digits }));
        label.text += String.fromCharCode(Number(digits));
        i += 3;
      } else if (i + 1 < text.length && !/\d/.test(text[i + 1] as string)) {
        label.text += text[i + 1];
        i += 1;
      } else {
        return fail("bad-escape", i, clause("name-half-escape"));
      }
      label.escaped = true;
    } else {
      label.text += character;
    }
  }
  if (label.text !== "") labels.push(label);
  return ok(labels);
}

function canonicalLabel(label: RawLabel): Result<string, NameError> {
  let text = label.text;
  if (!label.escaped && /[^\x00-\x7f]/.test(text)) {
    const ascii = toALabel(text);
    if (ascii === undefined) return fail("not-a-name", label.at, clause("name-no-a-label", { label: text }));
    text = ascii;
  }
  const octets = Buffer.from(text, "latin1");
  if (octets.length > MAX_LABEL_OCTETS)
    return fail("label-too-long", label.at, clause("name-label-too-long", { most: MAX_LABEL_OCTETS, octets: octets.length }));
  return ok(labelText(octets));
}

/**
 * Reads a domain name as people and zone files write it (RFC 1035 section 5.1): escapes, U-labels or
 * A-labels, any case. A name without a final dot is relative to `origin`; `@` alone is the origin.
 */
export function parseName(text: string, origin: DomainName = ROOT): Result<DomainName, NameError> {
  if (text === "@") return ok(origin);
  if (text === ".") return ok(ROOT);
  if (text === "") return fail("empty", 0, clause("name-empty"));
  const lower = text.toLowerCase();
  let name: string;
  if (PLAIN.test(lower)) {
    name = lower;
  } else {
    const dotted = text.replace(OTHER_DOTS, ".");
    if (dotted.startsWith(".")) return fail("empty-label", 0, clause("name-starts-with-dot"));
    const labels = split(dotted);
    if (!labels.ok) return labels;
    const canonical: string[] = [];
    for (const label of labels.value) {
      const one = canonicalLabel(label);
      if (!one.ok) return one;
      canonical.push(one.value);
    }
    name = canonical.join(".");
    if (endsWithDot(dotted)) name += ".";
  }
  const absolute = endsWithDot(name) ? name : origin === ROOT ? `${name}.` : `${name}.${origin}`;
  const octets = wireOctets(absolute as DomainName);
  if (octets > MAX_NAME_OCTETS) return fail("name-too-long", 0, clause("name-too-long", { most: MAX_NAME_OCTETS, octets }));
  return ok(absolute as DomainName);
}

/** Whether a name ends in a dot that separates, not in an escaped one. */
function endsWithDot(text: string): boolean {
  if (!text.endsWith(".")) return false;
  const backslashes = /(?<!\\)\\+\.$/.exec(text);
  return backslashes === null || (backslashes[0].length - 1) % 2 === 0;
}

/** A name that the program itself writes down; throws where it is not one. */
export function name(text: string, origin: DomainName = ROOT): DomainName {
  const parsed = parseName(text, origin);
  if (!parsed.ok) throw new Error(`not a domain name: ${text}: ${parsed.error.code}`);
  return parsed.value;
}

/** The labels of a name from left to right, in canonical text; none for the root. */
export function labelsOf(of: DomainName): string[] {
  if (of === ROOT) return [];
  const body = of.slice(0, -1);
  return body.includes("\\") ? (body.match(/(?:\\\d{3}|\\.|[^.\\])+/g) ?? []) : body.split(".");
}

/** The octets of one canonical label. */
export function labelOctets(label: string): Buffer {
  if (!label.includes("\\")) return Buffer.from(label, "latin1");
  return Buffer.from(
    label.replace(/\\(\d{3}|.)/g, (_, escaped: string) =>
      escaped.length === 3 ? String.fromCharCode(Number(escaped)) : escaped,
    ),
    "latin1",
  );
}

/** Length of the name on the wire without compression, in octets. */
export function wireOctets(of: DomainName): number {
  if (of === ROOT) return 1;
  return (of.includes("\\") ? of.replace(/\\\d{3}|\\./g, "x").length : of.length) + 1;
}

/** The name made of these canonical labels, in front of another name; undefined where it would be too long. */
export function fromLabels(labels: readonly string[], above: DomainName = ROOT): DomainName | undefined {
  if (labels.length === 0) return above;
  const domainName = `${labels.join(".")}.${above === ROOT ? "" : above}` as DomainName;
  return wireOctets(domainName) > MAX_NAME_OCTETS ? undefined : domainName;
}

/** The name one label up; the root is its own parent. */
export function parentOf(of: DomainName): DomainName {
  if (of.includes("\\")) return fromLabels(labelsOf(of).slice(1)) as DomainName;
  return (of.slice(of.indexOf(".") + 1) || ROOT) as DomainName;
}

/** The name itself, then each ancestor up to and including the root. */
export function* upwards(of: DomainName): Generator<DomainName> {
  for (let at = of; at !== ROOT; at = parentOf(at)) yield at;
  yield ROOT;
}

/** Whether `of` is `ancestor` or lies below it. */
export function isAtOrBelow(of: DomainName, ancestor: DomainName): boolean {
  if (of === ancestor || ancestor === ROOT) return true;
  return of.endsWith(`.${ancestor}`) && endsWithDot(of.slice(0, of.length - ancestor.length));
}

/** Whether `of` lies strictly below `ancestor`. */
export function isBelow(of: DomainName, ancestor: DomainName): boolean {
  return of !== ancestor && isAtOrBelow(of, ancestor);
}

/**
 * A name below `owner` with `target` in place of it, as a DNAME record leads it on (RFC 6672 section 2.2); undefined where it is
 * not below, or would be too long.
 */
export function substituted(of: DomainName, owner: DomainName, target: DomainName): DomainName | undefined {
  if (!isBelow(of, owner)) return undefined;
  return fromLabels([...labelsOf(of).slice(0, labelsOf(of).length - labelsOf(owner).length), ...labelsOf(target)]);
}

/** `above` with `below` (taken without its final dot) in front; undefined where it would be too long. */
export function under(below: DomainName, above: DomainName): DomainName | undefined {
  return fromLabels([...labelsOf(below), ...labelsOf(above)]);
}

/** `of` as it is written relative to `origin`: `@`, `www`, or in full with the final dot where it lies elsewhere. */
export function relativeText(of: DomainName, origin: DomainName): string {
  if (of === origin) return "@";
  if (origin === ROOT || !isBelow(of, origin)) return of;
  return of.slice(0, of.length - origin.length - 1);
}

/** `*.` in front of a name: what a wildcard that answers below it is called (RFC 4592). */
export function wildcardOf(of: DomainName): DomainName {
  return (of === ROOT ? "*." : `*.${of}`) as DomainName;
}

/**
 * A name for people: without the final dot, and with the U-labels beside the A-labels where there are any.
 */
export function displayName(of: DomainName): string {
  if (of === ROOT) return ".";
  const plain = of.slice(0, -1);
  if (!/(^|\.)xn--/.test(plain)) return plain;
  const unicode = labelsOf(of)
    .map((label) => (label.startsWith("xn--") ? domainToUnicode(label) || label : label))
    .join(".");
  return unicode === plain ? plain : `${unicode} (${plain})`;
}

/** The name as people type it: A-labels, without the dot of the root. */
export const withoutRootDot = (name: DomainName): string => (name === "." ? name : name.slice(0, -1));
