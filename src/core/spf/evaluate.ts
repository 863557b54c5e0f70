import ipaddr from "ipaddr.js";
import { LRUCache } from "lru-cache";
import { type Clause, clause } from "../clause/index.ts";
import type { Answer, Lookup } from "../lookup/index.ts";
import { type DomainName, isAtOrBelow, labelsOf, literalName, name as nameOf, readMailDomain } from "../name/index.ts";
import { type DataOf, isOfType, txtValue } from "../record/index.ts";
import { expandMacros, fitName, type MacroContext } from "./macro.ts";
import { addressOctets, asksDns, isExplanation, MAX_LOOKUPS, type Mechanism, type SpfRecord, type Term } from "./parse.ts";
import { type PublishedSpf, spfIn } from "./published.ts";
import { MAX_VOID } from "./tree-outcome.ts";

/** The seven results (RFC 7208 section 2.6). */
type SpfResult = "none" | "neutral" | "pass" | "fail" | "softfail" | "temperror" | "permerror";

/** One step of an evaluation, for people who want to see the way to the result. */
interface SpfStep {
  /** How many includes and redirects deep. */
  readonly depth: number;
  readonly domain: string;
  readonly term: string;
  readonly outcome: "matches" | "no-match" | "goes-on";
}

export interface SpfVerdict {
  readonly result: SpfResult;
  /** The explanation of the domain that failed the sender, macros expanded; only with `fail`. */
  readonly explanation?: string;
  /** The term that decided, as it is written. */
  readonly mechanism?: string;
  /** Half a sentence on why, for errors and `none`. */
  readonly because?: Clause;
  readonly lookups: number;
  readonly voidLookups: number;
  readonly trace: readonly SpfStep[];
}

export interface SpfCheck {
  /** The client's address, IPv4 or IPv6; an IPv4-mapped one counts as IPv4. */
  readonly ip: string;
  /** The envelope sender; empty for the empty reverse path, where `postmaster@HELO` is checked (RFC 7208 section 2.4). */
  readonly from: string;
  readonly helo: string;
  /** The domain whose record counts; that of the identity if not given. */
  readonly domain?: string;
  readonly receiver?: string;
  /** Seconds since 1970, for `%{t}` in explanations. */
  readonly now?: number;
}

const MAX_MX = 10;
const MAX_PTR = 10;

/** The client's address as octets, four or sixteen. */
type Octets = readonly number[];

/** Whether two addresses of one kind agree in their first bits. */
function agree(a: Octets, b: Octets, bits: number): boolean {
  const whole = bits >> 3;
  for (let i = 0; i < whole; i++) if (a[i] !== b[i]) return false;
  const rest = 8 - (bits & 7);
  return rest === 8 || (a[whole] as number) >> rest === (b[whole] as number) >> rest;
}

/** How a record, or a part of one, came out. */
interface Outcome {
  readonly result: SpfResult;
  readonly mechanism?: string;
  readonly because?: Clause;
  /** The record whose `exp` explains a fail, and its domain. */
  readonly explains?: { readonly record: SpfRecord; readonly domain: string };
}

/** An error that ends the whole evaluation at once. */
class Stop extends Error {
  readonly outcome: Outcome;
  constructor(result: "temperror" | "permerror", because: Clause) {
    super(because.clause);
    this.outcome = { result, because };
  }
}

/** An explanation that runs into a limit is left out (RFC 7208 section 6.2). */
function noneOnStop(error: unknown): undefined {
  if (!(error instanceof Stop)) throw error;
}

const noDomain = (text: string): Outcome => ({
  result: "none",
  because: clause("spf-no-possible-record", { domain: text }),
});

/** One evaluation with its counters. */
class Evaluation {
  lookups = 0;
  voids = 0;
  readonly trace: SpfStep[] = [];
  readonly #lookup: Lookup;
  readonly #ip: Octets;
  readonly #context: Omit<MacroContext, "domain" | "validated">;

  constructor(lookup: Lookup, ip: Octets, context: Omit<MacroContext, "domain" | "validated">) {
    this.#lookup = lookup;
    this.#ip = ip;
    this.#context = context;
  }

  contextFor(domain: string): MacroContext {
    return { ...this.#context, domain, validated: () => this.#validatedName(domain) };
  }

  /** A question of a term: a failure is a temperror, an empty answer counts as void. */
  async #ask(name: DomainName, type: string): Promise<Answer & { kind: "found" | "nodata" | "nxdomain" }> {
    const answer = await this.#lookup.ask(name, type);
    if (answer.kind === "failed") throw new Stop("temperror", answer.detail);
    if (answer.kind !== "found") this.#countVoid();
    return answer;
  }

  #countVoid(): void {
    if (++this.voids > MAX_VOID) throw new Stop("permerror", clause("spf-over-voids", { most: MAX_VOID }));
  }

  #count(term: Term): void {
    if (asksDns(term) && ++this.lookups > MAX_LOOKUPS)
      throw new Stop("permerror", clause("spf-over-limit", { most: MAX_LOOKUPS }));
  }

  async #target(spec: string | undefined, domain: string): Promise<DomainName | undefined> {
    const text = fitName(spec === undefined ? domain : await expandMacros(spec, this.contextFor(domain)));
    return literalName(text);
  }

  get #isIpv4(): boolean {
    return this.#ip.length === 4;
  }

  #inNetwork(octets: Octets, { prefix4 = 32, prefix6 = 128 }: Partial<Pick<Mechanism, "prefix4" | "prefix6">>): boolean {
    return octets.length === this.#ip.length && agree(octets, this.#ip, this.#isIpv4 ? prefix4 : prefix6);
  }

  async #hasAddressIn(name: DomainName, term: Mechanism): Promise<boolean> {
    const answer = await this.#ask(name, this.#isIpv4 ? "A" : "AAAA");
    return (
      answer.kind === "found" &&
      answer.set.data.some((data) => this.#inNetwork(addressOctets((data as DataOf["A"]).address), term))
    );
  }

  /** The client's names that lead back to its address (RFC 7208 section 5.5); errors just leave a name out. */
  async #validatedNames(): Promise<DomainName[]> {
    const { version, text, nibbles } = this.#context.ip;
    const reverse =
      version === 4 ? `${text.split(".").reverse().join(".")}.in-addr.arpa` : `${[...nibbles].reverse().join(".")}.ip6.arpa`;
    const answer = await this.#lookup.ask(nameOf(reverse), "PTR");
    // An answer without names counts like any other that is empty (RFC 7208 section 4.6.4).
    if (answer.kind === "nodata" || answer.kind === "nxdomain") this.#countVoid();
    if (answer.kind !== "found") return [];
    const names = (answer.set.data as readonly DataOf["PTR"][]).map((data) => data.target).slice(0, MAX_PTR);
    const type = version === 4 ? "A" : "AAAA";
    const checked = await Promise.all(
      names.map(async (name) => {
        const forward = await this.#lookup.ask(name, type);
        return (
          forward.kind === "found" &&
          forward.set.data.some((data) => this.#inNetwork(addressOctets((data as DataOf["A"]).address), {}))
        );
      }),
    );
    return names.filter((_, i) => checked[i]);
  }

  async #validatedName(domain: string): Promise<string> {
    const wanted = literalName(domain);
    const names = await this.#validatedNames();
    const own =
      wanted === undefined
        ? undefined
        : (names.find((name) => name === wanted) ?? names.find((name) => isAtOrBelow(name, wanted)));
    return (own ?? names[0] ?? "unknown.").slice(0, -1);
  }

  /** Terms that are decided without a question; undefined where the DNS must be asked. */
  #matchesAtOnce(term: Mechanism): boolean | undefined {
    if (term.name === "all") return true;
    return term.octets === undefined ? undefined : this.#inNetwork(term.octets, term);
  }

  async #matches(term: Mechanism, domain: string, depth: number): Promise<boolean> {
    switch (term.name) {
      case "include": {
        const target = await this.#target(term.domain, domain);
        const { result, because } = await this.check(target === undefined ? "" : target.slice(0, -1), depth + 1);
        if (result === "temperror") throw new Stop("temperror", because ?? clause("spf-included-unresolved"));
        if (result === "permerror" || result === "none")
          throw new Stop("permerror", because ?? clause("spf-none", { domain: term.domain ?? domain }));
        return result === "pass";
      }
      case "a": {
        const target = await this.#target(term.domain, domain);
        return target !== undefined && this.#hasAddressIn(target, term);
      }
      case "mx": {
        const target = await this.#target(term.domain, domain);
        if (target === undefined) return false;
        const answer = await this.#ask(target, "MX");
        const exchanges =
          answer.kind === "found" && isOfType(answer.set, "MX")
            ? answer.set.data.map((data) => data.exchange).filter((name) => name !== ".")
            : [];
        if (exchanges.length > MAX_MX)
          throw new Stop("permerror", clause("spf-too-many-mail-servers", { domain: target.slice(0, -1), most: MAX_MX }));
        for (const exchange of exchanges) if (await this.#hasAddressIn(exchange, term)) return true;
        return false;
      }
      case "ptr": {
        const target = await this.#target(term.domain, domain);
        return target !== undefined && (await this.#validatedNames()).some((name) => isAtOrBelow(name, target));
      }
      default: {
        const target = await this.#target(term.domain, domain);
        return target !== undefined && (await this.#ask(target, "A")).kind === "found";
      }
    }
  }

  /** check_host() for one domain (RFC 7208 section 4). */
  async check(domain: string, depth: number): Promise<Outcome> {
    const name = askableName(domain);
    if (name === undefined) return noDomain(domain);
    const answer = await this.#lookup.ask(name, "TXT");
    if (answer.kind === "failed") return { result: "temperror", because: answer.detail };
    const { texts, only }: PublishedSpf = answer.kind === "found" ? spfIn(answer.set) : { texts: [] };
    if (texts.length > 1) return { result: "permerror", because: clause("spf-several-plain", { domain, texts: texts.length }) };
    if (only === undefined) return { result: "none", because: clause("spf-none", { domain }) };
    if (!only.ok)
      return {
        result: "permerror",
        because: clause("spf-unreadable-at", { domain, text: only.error[0]?.text, message: only.error[0]?.message }),
      };
    const { terms } = only.value;
    for (const term of terms) {
      if (term.kind !== "mechanism") continue;
      this.#count(term);
      const matched = this.#matchesAtOnce(term) ?? (await this.#matches(term, domain, depth));
      this.trace.push({ depth, domain, term: term.text, outcome: matched ? "matches" : "no-match" });
      if (!matched) continue;
      const result = ({ "+": "pass", "-": "fail", "~": "softfail", "?": "neutral" } as const)[term.qualifier];
      return { result, mechanism: term.text, ...(result === "fail" ? { explains: { record: only.value, domain } } : {}) };
    }
    const redirect = terms.find((term) => term.kind === "modifier" && term.name === "redirect");
    if (redirect?.kind !== "modifier") return { result: "neutral", because: clause("spf-no-match") };
    this.#count(redirect);
    const target = await this.#target(redirect.value, domain);
    this.trace.push({ depth, domain, term: redirect.text, outcome: "goes-on" });
    const outcome = await this.check(target === undefined ? "" : target.slice(0, -1), depth + 1);
    return outcome.result === "none"
      ? { result: "permerror", because: outcome.because ?? clause("spf-redirect-to-none") }
      : outcome;
  }

  /** The explanation of a fail (RFC 7208 section 6.2); whatever goes wrong with it just leaves it out. */
  async explanation({ record, domain }: NonNullable<Outcome["explains"]>): Promise<string | undefined> {
    const exp = record.terms.find((term) => term.kind === "modifier" && term.name === "exp");
    const target = exp?.kind === "modifier" ? await this.#target(exp.value, domain) : undefined;
    const answer = target === undefined ? undefined : await this.#lookup.ask(target, "TXT");
    if (answer?.kind !== "found" || !isOfType(answer.set, "TXT") || answer.set.data.length !== 1) return undefined;
    const text = txtValue(answer.set.data[0] as DataOf["TXT"]);
    // A text that does not obey the grammar is none (RFC 7208 section 6.2).
    if (!isExplanation(text)) return undefined;
    return expandMacros(text, this.contextFor(domain));
  }
}

/** The address of a client, with its texts made as they are needed. */
class Client {
  readonly version: 4 | 6;
  readonly octets: Octets;
  readonly #parsed: ipaddr.IPv4 | ipaddr.IPv6;

  constructor(ip: string) {
    this.#parsed = ipaddr.process(ip);
    this.octets = this.#parsed.toByteArray();
    this.version = this.octets.length === 4 ? 4 : 6;
  }

  get text(): string {
    return this.version === 4 ? this.#parsed.toString() : (this.#parsed as ipaddr.IPv6).toRFC5952String();
  }

  get nibbles(): string {
    return Buffer.from(this.octets).toString("hex");
  }
}

/** What is worked out of a text, kept for texts that come again: whoever judges much mail sees few senders and few addresses. */
function kept<T extends object | string | boolean | undefined>(work: (text: string) => T): (text: string) => T {
  const known = new LRUCache<string, { readonly value: T }>({ max: 2000 });
  return (text) => {
    let found = known.get(text);
    if (found === undefined) known.set(text, (found = { value: work(text) }));
    return found.value;
  };
}

const clientAt = kept((ip) => new Client(ip));
const isMailDomain = kept((domain) => readMailDomain(domain).ok);
/** The name of a domain that can be asked about: one of two labels or more (RFC 7208 section 4.3). */
const askableName = kept((domain) => {
  const name = literalName(domain);
  return name === undefined || labelsOf(name).length < 2 ? undefined : name;
});

/** Evaluates SPF for one client and identity, as receivers do (RFC 7208). It asks through `lookup` only, a bounded number of questions. */
export async function checkSpf({ ip, from, helo, domain: given, receiver, now }: SpfCheck, lookup: Lookup): Promise<SpfVerdict> {
  const client = clientAt(ip);
  const { octets } = client;
  const identity = from === "" ? `postmaster@${helo}` : from.includes("@") ? from : `postmaster@${from}`;
  const at = identity.lastIndexOf("@");
  const senderDomain = identity.slice(at + 1);
  const evaluation = new Evaluation(lookup, octets, {
    local: identity.slice(0, at) || "postmaster",
    senderDomain,
    helo,
    ip: client,
    ...(receiver === undefined ? {} : { receiver }),
    ...(now === undefined ? {} : { time: now }),
  });
  let outcome: Outcome;
  try {
    // A domain that mail cannot have is not even looked up: address literals, escapes, white space (section 4.3).
    const whose = given ?? senderDomain;
    outcome = isMailDomain(whose) ? await evaluation.check(whose, 0) : noDomain(whose);
  } catch (error) {
    if (!(error instanceof Stop)) throw error;
    outcome = error.outcome;
  }
  const explanation =
    outcome.explains === undefined ? undefined : await evaluation.explanation(outcome.explains).catch(noneOnStop);
  return {
    result: outcome.result,
    ...(explanation === undefined ? {} : { explanation }),
    ...(outcome.mechanism === undefined ? {} : { mechanism: outcome.mechanism }),
    ...(outcome.because === undefined ? {} : { because: outcome.because }),
    lookups: Math.min(evaluation.lookups, MAX_LOOKUPS + 1),
    voidLookups: evaluation.voids,
    trace: evaluation.trace,
  };
}
