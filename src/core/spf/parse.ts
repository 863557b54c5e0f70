import ipaddr from "ipaddr.js";
import { type Clause, clause } from "../clause/index.ts";
import { nearest } from "../nearest.ts";
import { parseIpv4, parseIpv6 } from "../record/index.ts";
import { err, ok, type Result } from "../result.ts";

/** What a matching mechanism means for the sender (RFC 7208 section 4.6.2). */
type Qualifier = "+" | "-" | "~" | "?";

const MECHANISMS = ["all", "include", "a", "mx", "ptr", "ip4", "ip6", "exists"] as const;
type MechanismName = (typeof MECHANISMS)[number];

/** One mechanism; `at` is the offset of its first character in the record's text. */
export interface Mechanism {
  readonly kind: "mechanism";
  readonly qualifier: Qualifier;
  readonly name: MechanismName;
  /** The domain-spec, macros unexpanded; undefined where the current domain is meant. */
  readonly domain?: string;
  /** Of ip4 and ip6, and the same as octets. */
  readonly address?: string;
  readonly octets?: readonly number[];
  /** Length of the IPv4 and the IPv6 prefix in bits, where given. */
  readonly prefix4?: number;
  readonly prefix6?: number;
  readonly text: string;
  readonly at: number;
}

/** One modifier; unknown ones have no effect (RFC 7208 section 6). */
interface Modifier {
  readonly kind: "modifier";
  readonly name: string;
  readonly value: string;
  readonly text: string;
  readonly at: number;
}

export type Term = Mechanism | Modifier;

/** An SPF record that obeys the grammar of RFC 7208 section 12. */
export interface SpfRecord {
  readonly text: string;
  readonly terms: readonly Term[];
  /** What is not a mistake for receivers and yet hardly meant. */
  readonly warnings: readonly SpfError[];
}

/** A mistake at its character, with the likely intention where there is one. */
export interface SpfError {
  readonly at: number;
  readonly text: string;
  readonly message: Clause;
  readonly meant?: string;
}

/** The octets of an address, four or sixteen. */
export const addressOctets = (address: string): readonly number[] => ipaddr.parse(address).toByteArray();

/** Whether a TXT text is an SPF record at all (RFC 7208 section 4.5): the version alone, or followed by a space. */
export const isSpf = (text: string): boolean => /^v=spf1( |$)/i.test(text);

/** One macro, with what it changes of its value; a number of labels is never zero (RFC 7208 section 7.1). */
const MACRO = "%\\{[slodiphcrtv](?:0*[1-9]\\d*)?r?[.\\-+,/_=]*\\}|%%|%_|%-";
const MACRO_STRING = new RegExp(`^(?:[!-$&-~]|${MACRO})*$`, "i");
const EXPLAIN_STRING = new RegExp(`^(?:[ -$&-~]|${MACRO})*$`, "i");
const LAST_MACRO = new RegExp(`^(?:[!-$&-~]|${MACRO})*?(?:${MACRO})$`, "i");
/** The pieces of a macro string; a `%%` takes the percent sign away from a brace behind it. */
const PIECES = new RegExp(`${MACRO}|[^%]+`, "gi");

/** Whether a text at `exp=` obeys the grammar of explanations (RFC 7208 section 12). */
export const isExplanation = (text: string): boolean => EXPLAIN_STRING.test(text);

/** A domain-spec ends in a macro or in a label that is not all digits (RFC 7208 section 7.1). */
function isDomainSpec(text: string): boolean {
  if (text === "" || !MACRO_STRING.test(text)) return false;
  if (text.match(PIECES)?.some((piece) => /^%\{[crt]/i.test(piece))) return false;
  if (LAST_MACRO.test(text)) return true;
  const labels = text.replace(/\.$/, "").split(".");
  const last = labels.at(-1) as string;
  return labels.length > 1 && /^[a-z0-9](?:[a-z0-9-]*[a-z0-9])?$/i.test(last) && /[a-z-]/i.test(last);
}

/** The prefix lengths behind a mechanism: `/24`, `//64` or `/24//64`; undefined where they are out of range. */
function prefixes(text: string): { prefix4?: number; prefix6?: number } | undefined {
  const match = /^(?:\/(0|[1-9]\d?))?(?:\/\/(0|[1-9]\d{0,2}))?$/.exec(text);
  if (match === null) return undefined;
  const prefix4 = match[1] === undefined ? undefined : Number(match[1]);
  const prefix6 = match[2] === undefined ? undefined : Number(match[2]);
  if ((prefix4 ?? 0) > 32 || (prefix6 ?? 0) > 128) return undefined;
  return { ...(prefix4 === undefined ? {} : { prefix4 }), ...(prefix6 === undefined ? {} : { prefix6 }) };
}

function parseMechanism(text: string, at: number, next: string | undefined): Result<Mechanism, SpfError> {
  const fail = (message: Clause, meant?: string) => err({ at, text, message, ...(meant === undefined ? {} : { meant }) });
  const qualifier = /^[+\-~?]/.exec(text)?.[0] as Qualifier | undefined;
  const body = qualifier === undefined ? text : text.slice(1);
  const head = /^[a-z][a-z0-9]*/i.exec(body)?.[0] ?? "";
  const name = head.toLowerCase();
  const rest = body.slice(head.length);
  if (!(MECHANISMS as readonly string[]).includes(name)) return fail(...unknownTerm(body));
  const common = { kind: "mechanism" as const, qualifier: qualifier ?? ("+" as const), name: name as MechanismName, text, at };
  switch (common.name) {
    case "all":
      // A qualifier that got behind the word is meant in front of it.
      return rest === ""
        ? ok(common)
        : fail(clause("spf-all-with-value"), `${qualifier ?? /^[+\-~?]$/.exec(rest)?.[0] ?? ""}all`);
    case "include":
    case "exists": {
      if (!rest.startsWith(":") || rest.length === 1)
        return fail(clause("spf-needs-domain", { name }), next === undefined ? undefined : `${name}:${next.replace(/^:/, "")}`);
      const domain = rest.slice(1);
      return isDomainSpec(domain) ? ok({ ...common, domain }) : fail(clause("spf-not-a-domain", { domain }));
    }
    case "ip4": {
      const match = /^:([^/]*)(?:\/(\d{1,3}))?$/.exec(rest);
      const address = match?.[1] === undefined ? undefined : parseIpv4(match[1]);
      if (address === undefined)
        return fail(
          clause("spf-ip4-needs-address"),
          match?.[1] !== undefined && parseIpv6(match[1]) !== undefined ? text.replace(/ip4/i, "ip6") : undefined,
        );
      const prefix4 = match?.[2] === undefined ? undefined : Number(match[2]);
      if ((prefix4 ?? 0) > 32 || /^0\d/.test(match?.[2] ?? "")) return fail(clause("spf-ip4-length"));
      return ok({ ...common, address, octets: addressOctets(address), ...(prefix4 === undefined ? {} : { prefix4 }) });
    }
    case "ip6": {
      const match = /^:([^/]*)(?:\/(\d{1,3}))?$/.exec(rest);
      const address = match?.[1] === undefined ? undefined : parseIpv6(match[1]);
      if (address === undefined)
        return fail(
          clause("spf-ip6-needs-address"),
          match?.[1] !== undefined && parseIpv4(match[1]) !== undefined ? text.replace(/ip6/i, "ip4") : undefined,
        );
      const prefix6 = match?.[2] === undefined ? undefined : Number(match[2]);
      if ((prefix6 ?? 0) > 128 || /^0\d/.test(match?.[2] ?? "")) return fail(clause("spf-ip6-length"));
      return ok({ ...common, address, octets: addressOctets(address), ...(prefix6 === undefined ? {} : { prefix6 }) });
    }
    default: {
      const slash = /(?:\/\d+)?(?:\/\/\d+)?$/.exec(rest)?.[0] ?? "";
      const spec = rest.slice(0, rest.length - slash.length);
      if (spec !== "" && (!spec.startsWith(":") || spec.length === 1)) return fail(clause("spf-optional-domain", { name }));
      const domain = spec.slice(1);
      if (spec !== "" && !isDomainSpec(domain)) return fail(clause("spf-not-a-domain", { domain }));
      const lengths = prefixes(slash);
      if (lengths === undefined || (common.name === "ptr" && slash !== ""))
        return fail(common.name === "ptr" ? clause("spf-ptr-length") : clause("spf-length-range"));
      return ok({ ...common, ...(spec === "" ? {} : { domain }), ...lengths });
    }
  }
}

/** As many mistakes of one record as anybody corrects; the rest of it is not even read. */
const MAX_ERRORS = 50;

/** Why a word is not a term, and what may have been meant. */
function unknownTerm(body: string): [message: Clause, meant?: string] {
  const [word, value] = body.split(":", 2) as [string, string | undefined];
  if (/^ipv[46]$/i.test(word)) return [clause("spf-no-mechanism", { word }), body.replace(/ipv/i, "ip")];
  const bareIp = body.replace(/\/\d+$/, "");
  if (parseIpv4(bareIp) !== undefined) return [clause("spf-bare-address"), `ip4:${body}`];
  if (parseIpv6(bareIp) !== undefined) return [clause("spf-bare-address"), `ip6:${body}`];
  const near = nearest(word, MECHANISMS);
  if (near !== undefined) return [clause("spf-no-mechanism", { word }), value === undefined ? near : `${near}:${value}`];
  if (body.includes(".")) return [clause("spf-bare-domain"), `include:${body}`];
  return [clause("spf-means-nothing", { word })];
}

/** A comma or semicolon that was put between two terms, or behind one. */
const SEPARATOR = /(?<![,;])[,;]+(?=$|[+\-~?]?(?:all|include|a|mx|ptr|ip4|ip6|exists|redirect|exp)(?:[:=/,;]|$))/i;

/** The terms in a word that somebody separated otherwise than by a space; undefined where it is one. */
function separated(word: string): string | undefined {
  const pieces = word.split(SEPARATOR);
  return pieces.length < 2 ? undefined : pieces.filter((piece) => piece !== "").join(" ");
}

/** A version that is nearly right at the beginning, also behind a quotation mark that came along. */
const NEARLY = /^[\s"'`“”„]*(?:v\s*[=:]?\s*spf\s*\d*|spf\s*1)(?=$|[\s;,"'`“”]|(?<=v\s*=\s*spf1)[a-z])[\s"'`“”;,]*/i;

/** What is wrong with a text that is not an SPF record, and the record that may have been meant. */
function startMistake(text: string): SpfError {
  const common = { at: 0, text: text.slice(0, 20) };
  if (/^spf2\.0/i.test(text)) return { ...common, message: clause("spf-older-proposal"), meant: "v=spf1 …" };
  if (!NEARLY.test(text)) return { ...common, message: clause("spf-needs-start") };
  const words = text
    .replace(NEARLY, "")
    .replace(/(?<!["'`“”\s])["'`“”\s]+$/, "")
    .split(/\s+/);
  return {
    ...common,
    message: /^v=spf1\D/i.test(text) ? clause("spf-start-needs-space") : clause("spf-needs-start"),
    meant: ["v=spf1", ...words.map((word) => separated(word) ?? word).filter((word) => word !== "")].join(" "),
  };
}

/**
 * Reads an SPF record (RFC 7208 section 12). Every mistake is listed at its character; one is enough to make
 * the whole record a permerror (section 4.6).
 */
export function readSpfRecord(text: string): Result<SpfRecord, readonly SpfError[]> {
  if (!isSpf(text)) return err([startMistake(text)]);
  const terms: Term[] = [];
  const errors: SpfError[] = [];
  const warnings: SpfError[] = [];
  const seen = new Set<string>();
  const words = [...text.slice(6).matchAll(/[^ ]+/g)];
  for (const [i, match] of words.entries()) {
    const word = match[0];
    const at = match.index + 6;
    // A space too many was said at the word before; its other half is not a mistake of its own.
    if (errors.length >= MAX_ERRORS) break;
    if (i > 0 && errors.at(-1)?.meant === `${words[i - 1]?.[0]}${word}`) continue;
    const modifier = /^([a-z][a-z0-9_.-]*)=(.*)$/i.exec(word);
    if (modifier !== null) {
      const name = (modifier[1] as string).toLowerCase();
      const value = modifier[2] as string;
      const known = name === "redirect" || name === "exp";
      if (known && seen.has(name)) errors.push({ at, text: word, message: clause("spf-modifier-twice", { name }) });
      if (known ? !isDomainSpec(value) : !MACRO_STRING.test(value))
        errors.push({
          at,
          text: word,
          message: known ? clause("spf-modifier-needs-domain", { name }) : clause("spf-modifier-unreadable", { name }),
        });
      if (known) seen.add(name);
      if (name === "v" && /^spf1$/i.test(value))
        warnings.push({
          at,
          text: word,
          message: clause("spf-second-inside"),
          meant: "one record with the terms of both",
        });
      terms.push({ kind: "modifier", name, value, text: word, at });
      continue;
    }
    const mechanism = parseMechanism(word, at, words[i + 1]?.[0]);
    const meant = separated(word);
    const separator = meant === undefined ? undefined : { at, text: word, message: clause("spf-separator"), meant };
    if (!mechanism.ok) errors.push(separator ?? mechanism.error);
    else {
      terms.push(mechanism.value);
      // Receivers take it for part of the name.
      if (separator !== undefined) warnings.push(separator);
    }
  }
  return errors.length > 0 ? err(errors) : ok({ text, terms, warnings });
}

/** What is wrong with a text that is meant for an SPF record; undefined where nothing is, or where it is another text altogether. */
export function spfMistake(text: string): SpfError | undefined {
  const read = readSpfRecord(text);
  if (read.ok) return read.value.warnings.find(({ message }) => message.clause === "spf-separator");
  const [mistake] = read.error;
  return isSpf(text) || mistake?.meant !== undefined ? mistake : undefined;
}

/** Whether a term makes the receiver ask the DNS, and so counts against the limit (RFC 7208 section 4.6.4). */
export const asksDns = (term: Term): boolean =>
  term.kind === "modifier" ? term.name === "redirect" : term.name !== "all" && term.name !== "ip4" && term.name !== "ip6";

/** How many terms of one evaluation may ask the DNS. */
export const MAX_LOOKUPS = 10;
