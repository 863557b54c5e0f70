import type { Ask, Purpose } from "../ask/index.ts";
import { type Clause, clause } from "../clause/index.ts";
import type { POLICIES } from "../dmarc/index.ts";
import { type DomainName, isAtOrBelow, relativeText, withoutRootDot } from "../name/index.ts";
import { decodeUtf8, octetsOf, type ResourceRecord, type Token } from "../record/index.ts";
import { err, ok, type Result } from "../result.ts";
import { readSpfRecord } from "../spf/index.ts";
import { readRecords, type WordPlace } from "../zone/index.ts";
import { blanksOf, isGiven, type Kit, matchesPattern, withBlanks } from "./kit.ts";

/** One ask of a kit, filled in for a domain. */
export interface KitAsk {
  readonly id: string;
  readonly purpose: Purpose;
  readonly after: readonly string[];
  readonly records: readonly ResourceRecord[];
  readonly spf?: string;
  readonly dmarc?: (typeof POLICIES)[number];
  /** How a DNS host knows it, where the kit is a template of the open set-up format. */
  readonly template?: TemplateUse;
}

/** A group of a template with its variables filled in, as a DNS host is asked to apply it. */
export type TemplateUse = NonNullable<Ask["template"]>;

/** Where a kit is used: a domain, and the name in it that its records are relative to. */
interface Place {
  readonly domain: DomainName;
  readonly at: DomainName;
}

interface InputProblem {
  readonly input: string;
  readonly explain: string;
  readonly example: string | undefined;
}

export type KitError =
  | (InputProblem & { readonly code: "missing-input" | "malformed-input" })
  | { readonly code: "unknown-input"; readonly input: string; readonly known: readonly string[] }
  | { readonly code: "bad-records"; readonly ask: string; readonly because: Clause };

/** Longest value that somebody gives, in characters. */
const MAX_VALUE = 8192;

/** What may be filled in to a name, a number or an address: letters of any script, which become A-labels, and no sign of a zone file. */
const PLAIN = /^[\p{L}\p{M}\p{N}._:/+=-]+$/u;
/** Likewise to the name of a record, which may be the domain itself or every name below it. */
const OWNER = /^(?:@|(?:\*\.)?[\p{L}\p{M}\p{N}._-]+|\*)$/u;
const TIME = /^\d+[smhdw]?$/i;
/** To a term of SPF: a part of a domain, an address, or one mechanism with its own. */
const SPF_VALUE = /^(?:(?:include|a|mx|exists|ip4|ip6):)?[\p{L}\p{N}._:/-]+$/u;
/** Terms that say something about everybody who sends. */
const SPF_ALL = /^[-~?+]?(?:all|ptr)$/i;

/** Octets that would end a word of a zone file, or mean something in it (RFC 1035 section 5.1). */
const escaped = (octets: string): string =>
  octets.replace(/[^\w.:/+=~*%&,?!#<>{}[\]|^`'-]/g, (octet) => `\\${String(octet.charCodeAt(0)).padStart(3, "0")}`);

/** Whether a value can be filled in at a place, by what such a place holds. */
function fits(value: string, place: WordPlace): boolean {
  switch (place) {
    case "owner":
      return OWNER.test(value);
    case "ttl":
      return TIME.test(value);
    case "TXT":
      return value !== "";
    default:
      return value === "@" || PLAIN.test(value);
  }
}

/** Fills the blanks of a kit; the first value that does not fit is remembered. */
class Filling {
  readonly #values: ReadonlyMap<string, string>;
  readonly #given: Readonly<Record<string, string>>;
  /** The input whose value a field could not hold. */
  misfit: string | undefined;
  /** The inputs by what their words became. */
  readonly inputs = new Map<string, string>();

  constructor(values: ReadonlyMap<string, string>, place: Place) {
    this.#values = values;
    const host = relativeText(place.at, place.domain);
    this.#given = {
      domain: withoutRootDot(place.domain),
      host: host === "@" ? "" : host,
      fqdn: withoutRootDot(place.at),
    };
  }

  /** A text in which no blank for a host stands where none was chosen: the dot beside it goes with it. */
  #hostless(text: string): string {
    if (this.#given.host !== "" || !text.includes("{host}")) return text;
    return text === "{host}" ? "@" : text.replaceAll("{host}.", "").replaceAll(/\.?\{host\}/g, "");
  }

  /** A text with its blanks filled in; undefined where a value does not fit. */
  #filled(text: string, allows: (value: string, isWhole: boolean) => boolean, write: (octets: string) => string) {
    let misfit: string | undefined;
    const filled = withBlanks(this.#hostless(text), (blank, behind) => {
      if (isGiven(blank)) return octetsOf(this.#given[blank] ?? "");
      const value = this.#values.get(blank) ?? "";
      if (!allows(value, text === `{${blank}}`)) misfit ??= blank;
      // A name that was given with its final dot does not get a second one.
      return write(octetsOf(behind === "." ? value.replace(/\.$/, "") : value));
    });
    if (misfit !== undefined) this.misfit ??= misfit;
    const [input] = blanksOf(text).filter((blank) => !isGiven(blank));
    if (input !== undefined) this.inputs.set(decodeUtf8(filled), input);
    return misfit === undefined ? filled : undefined;
  }

  /** A word of a record. In quotes it may hold everything. */
  word = (word: Token, place: WordPlace): Token | undefined => {
    if (blanksOf(word.text).length === 0) return word;
    const text = word.quoted
      ? this.#filled(
          word.text,
          () => true,
          (octets) => octets.replace(/["\\]/g, "\\$&"),
        )
      : this.#filled(
          word.text,
          (value, isWhole) => fits(value, place) && (isWhole || value !== "@"),
          place === "TXT" ? escaped : (octets) => octets,
        );
    return text === undefined ? undefined : { ...word, text };
  };

  /** Terms of SPF, each by itself. */
  spf(terms: string): string | undefined {
    const filled = terms.split(/\s+/).map((term) =>
      decodeUtf8(
        this.#filled(
          octetsOf(term),
          (value) => SPF_VALUE.test(value) && !SPF_ALL.test(value),
          (octets) => octets,
        ) ?? "",
      ),
    );
    return this.misfit === undefined ? filled.join(" ") : undefined;
  }
}

/** An ask of a kit as a template, with those variables that its lines need. */
function useOf(
  kit: Kit,
  { providerId, serviceId, multiInstance }: NonNullable<Kit["template"]>,
  { records, spf = "", group }: Kit["asks"][number],
  values: ReadonlyMap<string, string>,
  host: string,
): TemplateUse {
  const needed = [...new Set([...blanksOf(records), ...blanksOf(spf)])].filter((blank) => !isGiven(blank));
  return {
    provider: providerId,
    service: serviceId,
    ...(group === undefined ? {} : { group }),
    ...(host === "@" ? {} : { host }),
    variables: Object.fromEntries(needed.map((key) => [kit.inputs[key]?.variable ?? key, values.get(key) ?? ""])),
    ...(multiInstance === true ? { multiInstance } : {}),
  };
}

/** What is wrong with the values that were given, whatever the lines do with them. */
function wrongInput(kit: Kit, values: ReadonlyMap<string, string>): KitError | undefined {
  for (const [name, value] of values) {
    const input = Object.hasOwn(kit.inputs, name) ? kit.inputs[name] : undefined;
    if (input === undefined) return { code: "unknown-input", input: name, known: Object.keys(kit.inputs) };
    const { explain, example, pattern } = input;
    if (value.length > MAX_VALUE || /\p{Cc}/u.test(value) || (pattern !== undefined && !matchesPattern(pattern, value)))
      return { code: "malformed-input", input: name, explain, example };
  }
  return undefined;
}

/** One ask with its blanks filled in. The lines are taken apart before, so that a value is only ever what its field holds. */
function fillAsk(
  kit: Kit,
  ask: Kit["asks"][number],
  place: Place,
  values: ReadonlyMap<string, string>,
  ttl: number,
): Result<Pick<KitAsk, "records" | "spf">, KitError> {
  const { domain, at } = place;
  const about = (input: string) => {
    const { explain, example } = kit.inputs[input] as Kit["inputs"][string];
    return { input, explain, example };
  };
  const bad = (because: Clause) => err({ code: "bad-records" as const, ask: ask.id, because });
  const absent = [...blanksOf(ask.records), ...blanksOf(ask.spf ?? "")].find((blank) => !isGiven(blank) && !values.has(blank));
  if (absent !== undefined) return err({ code: "missing-input", ...about(absent) });
  const filling = new Filling(values, place);
  const lines = octetsOf(ask.records);
  const { records, issues } = readRecords(lines, { origin: at, ttl, fill: filling.word });
  const spf = ask.spf === undefined ? undefined : filling.spf(ask.spf);
  if (filling.misfit !== undefined) return err({ code: "malformed-input", ...about(filling.misfit) });
  const [issue] = issues;
  if (issue !== undefined) {
    const input = filling.inputs.get(issue.text) ?? blanksOf(issue.text).find((blank) => !isGiven(blank));
    if (input !== undefined) return err({ code: "malformed-input", ...about(input) });
    return bad(clause("kit-line", { line: issue.line, found: issue.text, expected: issue.expected }));
  }
  const outside = records.find((record) => !isAtOrBelow(record.name, domain));
  if (outside !== undefined) {
    const input = filling.inputs.get(outside.name);
    return input === undefined
      ? bad(clause("kit-outside", { name: outside.name, domain }))
      : err({ code: "malformed-input", ...about(input) });
  }
  const read = spf === undefined ? undefined : readSpfRecord(`v=spf1 ${spf}`);
  if (read?.ok === false) return bad(clause("kit-spf-terms", { message: read.error[0]?.message }));
  if (spf === undefined || at === domain) return ok({ records, ...(spf === undefined ? {} : { spf }) });
  // Below the domain, terms are a record of that name: whatever stands there is united with it.
  const own: ResourceRecord = { name: at, type: "TXT", ttl, data: { strings: [`v=spf1 ${spf} ~all`] } };
  return ok({ records: [...records, own] });
}

/**
 * Fills a kit in for a domain, or for a host below it (`at`). An ask whose inputs are all marked `later` and not given yet is left out: the
 * service shows them only after the asks before it are proven.
 */
export function fillKit(
  kit: Kit,
  domain: DomainName,
  values: ReadonlyMap<string, string>,
  ttl: number,
  at: DomainName = domain,
): Result<{ readonly asks: readonly KitAsk[]; readonly later: readonly string[] }, KitError> {
  const wrong = wrongInput(kit, values);
  if (wrong !== undefined) return err(wrong);
  const asks: KitAsk[] = [];
  const later: string[] = [];
  const idOf = (id: string) => (id.startsWith(`${kit.service}-`) ? id : `${kit.service}-${id}`);
  for (const ask of kit.asks) {
    if (ask.later.some((name) => !values.has(name))) {
      later.push(idOf(ask.id));
      continue;
    }
    const filled = fillAsk(kit, ask, { domain, at }, values, ttl);
    if (!filled.ok) return filled;
    asks.push({
      id: idOf(ask.id),
      purpose: ask.purpose,
      after: ask.after.map(idOf),
      ...filled.value,
      ...(ask.dmarc === undefined ? {} : { dmarc: ask.dmarc }),
      ...(kit.template === undefined ? {} : { template: useOf(kit, kit.template, ask, values, relativeText(at, domain)) }),
    });
  }
  return ok({ asks, later });
}
