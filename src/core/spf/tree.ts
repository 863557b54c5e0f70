import { type Clause, clause } from "../clause/index.ts";
import type { Answer, Lookup } from "../lookup/index.ts";
import { type DomainName, labelsOf, literalName } from "../name/index.ts";
import { type DataOf, isOfType } from "../record/index.ts";
import { isCovered, type Network, networkOf } from "./networks.ts";
import { asksDns, type Mechanism, type SpfError, type SpfRecord, type Term } from "./parse.ts";
import { type PublishedSpf, spfIn } from "./published.ts";

/** A branch that does nothing. */
interface IneffectiveBranch {
  readonly kind: "void" | "duplicate" | "shadowed" | "unreachable";
  readonly because: Clause;
}

/** A branch that lets in more than anybody wants. */
interface Risk {
  readonly kind: "everybody" | "huge-range" | "ptr" | "registrable";
  readonly because: Clause;
}

/** One term of a record, and whatever it leads to. */
export interface SpfBranch {
  readonly term: Term;
  /** Questions this term and everything below it cost against the limit (RFC 7208 section 4.6.4). */
  readonly lookups: number;
  /** The addresses it stands for today, as far as they do not depend on the message. */
  readonly networks: readonly Network[];
  /** Whether `networks` is all there is to it: no macros, no reverse names, nothing that could not be asked. */
  readonly complete: boolean;
  readonly ineffective?: IneffectiveBranch;
  readonly risks: readonly Risk[];
  /** The record an include or redirect leads to. */
  readonly below?: SpfTree;
  /** Why what it stands for could not be asked. */
  readonly failed?: Clause;
}

/** A record with everything it leads to. */
export interface SpfTree {
  readonly domain: string;
  readonly text: string | undefined;
  readonly branches: readonly SpfBranch[];
  /** Why there is no record to go on with. */
  readonly problem?: {
    readonly kind: "none" | "several" | "broken" | "failed" | "loop";
    readonly because: Clause;
    readonly errors?: readonly SpfError[];
    /** The records, where there are several. */
    readonly texts?: readonly string[];
  };
}

export interface TreeOptions {
  /** Whether to ask for the addresses behind names too, and not only to count. */
  readonly addresses: boolean;
  /** The domain somebody has to register to control a name; without it nothing is said about that. */
  readonly organizationalDomain?: (of: DomainName) => DomainName;
}

/** Terms that ask the DNS which are followed in all; far beyond the limit nothing more is learnt. */
const MAX_TERMS = 60;
/** Blocks larger than these hold more servers than any one sender has. */
const HUGE = { 4: 16, 6: 32 } as const;

export const isAll = (term: Term): boolean => term.kind === "mechanism" && term.name === "all";
export const isRedirect = (term: Term): boolean => term.kind === "modifier" && term.name === "redirect";

/** The name a term leads to; undefined where it depends on the message. */
function targetOf(term: Term, domain: string): string | undefined {
  const target = term.kind === "modifier" ? term.value : (term.domain ?? domain);
  return target.includes("%") ? undefined : target.replace(/\.$/, "");
}

const nameOf = (text: string): DomainName | undefined => {
  const literal = literalName(text);
  return literal !== undefined && labelsOf(literal).length > 1 ? literal : undefined;
};

/** The SPF record of a domain, or why there is none (RFC 7208 section 4.5). */
export async function lookupSpf(
  domain: string,
  lookup: Lookup,
): Promise<{ record: SpfRecord } | { problem: NonNullable<SpfTree["problem"]> }> {
  const problem = (kind: NonNullable<SpfTree["problem"]>["kind"], because: Clause, errors?: readonly SpfError[]) => ({
    problem: { kind, because, ...(errors === undefined ? {} : { errors }) },
  });
  const name = nameOf(domain);
  if (name === undefined) return problem("none", clause("spf-no-possible-record", { domain }));
  const answer = await lookup.ask(name, "TXT");
  if (answer.kind === "failed") return problem("failed", answer.detail);
  const { texts, only }: PublishedSpf = answer.kind === "found" ? spfIn(answer.set) : { texts: [] };
  if (texts.length > 1)
    return {
      problem: {
        ...problem("several", clause("spf-several", { domain, texts: texts.length })).problem,
        texts,
      },
    };
  if (only === undefined) return problem("none", clause("spf-none", { domain }));
  return only.ok
    ? { record: only.value }
    : problem("broken", clause("spf-included-unreadable", { domain, message: only.error[0]?.message }), only.error);
}

class TreeBuilder {
  #left = MAX_TERMS;
  readonly #lookup: Lookup;
  readonly #options: TreeOptions;
  /** Includes seen in the whole tree, for duplicates. */
  readonly #seen = new Set<string>();

  constructor(lookup: Lookup, options: TreeOptions) {
    this.#lookup = lookup;
    this.#options = options;
  }

  async build(record: SpfRecord, domain: string, path: readonly string[]): Promise<SpfTree> {
    const branches: SpfBranch[] = [];
    const before: Network[] = [];
    let ended: Term | undefined;
    const hasAll = record.terms.some(isAll);
    for (const term of record.terms) {
      if (term.kind === "modifier" && term.name !== "redirect") {
        branches.push({ term, lookups: 0, networks: [], complete: true, risks: [] });
        continue;
      }
      const unreachable =
        ended !== undefined && term.kind === "mechanism"
          ? clause("spf-behind-all", { text: ended.text })
          : isRedirect(term) && hasAll
            ? clause("spf-redirect-with-all")
            : undefined;
      const branch = await this.#branch(term, domain, path, unreachable);
      const shadowed =
        branch.ineffective === undefined &&
        term.kind === "mechanism" &&
        !isAll(term) &&
        branch.complete &&
        branch.networks.length > 0 &&
        isCovered(branch.networks, before);
      branches.push(shadowed ? { ...branch, ineffective: { kind: "shadowed", because: clause("spf-matched-before") } } : branch);
      if (branch.ineffective === undefined && term.kind === "mechanism" && branch.complete) before.push(...branch.networks);
      if (isAll(term)) ended = term;
    }
    return { domain, text: record.text, branches };
  }

  async #branch(term: Term, domain: string, path: readonly string[], unreachable: Clause | undefined): Promise<SpfBranch> {
    // Terms behind “all” are never evaluated, so that they cost nothing.
    const plain = {
      term,
      lookups: unreachable === undefined && asksDns(term) ? 1 : 0,
      networks: [],
      complete: true,
      risks: [],
    };
    if (unreachable !== undefined) return { ...plain, ineffective: { kind: "unreachable", because: unreachable } };
    if (!asksDns(term)) return this.#fixed(term as Mechanism);
    const target = targetOf(term, domain);
    const key = term.text.toLowerCase().replace(/^\+/, "");
    const again = target !== undefined && this.#seen.has(`${domain} ${key}`);
    const duplicate = again ? { ineffective: { kind: "duplicate" as const, because: clause("spf-same-term-before") } } : {};
    this.#seen.add(`${domain} ${key}`);
    if (this.#left <= 0) return { ...plain, complete: false, ...duplicate };
    this.#left -= 1;
    const leads = term.kind === "modifier" || term.name === "include";
    if (target === undefined) return { ...plain, complete: false, ...duplicate };
    if (leads) return this.#leading(target, path, plain, duplicate);
    return { ...(await this.#addresses(term as Mechanism, target, plain)), ...duplicate };
  }

  #fixed(term: Mechanism): SpfBranch {
    const common = { term, lookups: 0, complete: true };
    if (term.name === "all") {
      const open = term.qualifier === "+";
      return {
        ...common,
        networks: [],
        risks: open ? [{ kind: "everybody", because: clause("spf-allows-everybody") }] : [],
      };
    }
    const family = term.name === "ip4" ? 4 : 6;
    const prefix = family === 4 ? term.prefix4 : term.prefix6;
    return { ...common, networks: [networkOf(term.address as string, prefix)], risks: this.#huge(term, prefix, family) };
  }

  #huge(term: Mechanism, prefix: number | undefined, family: 4 | 6): Risk[] {
    if (prefix === undefined || prefix >= HUGE[family] || term.qualifier === "-") return [];
    return [
      {
        kind: "huge-range",
        because: clause("spf-huge-block", { prefix, family }),
      },
    ];
  }

  async #leading(target: string, path: readonly string[], plain: SpfBranch, duplicate: object): Promise<SpfBranch> {
    const lower = target.toLowerCase();
    if (path.includes(lower))
      return {
        ...plain,
        complete: false,
        below: {
          domain: target,
          text: undefined,
          branches: [],
          problem: { kind: "loop", because: clause("spf-leads-back", { target }) },
        },
      };
    const found = await lookupSpf(target, this.#lookup);
    if ("problem" in found) {
      const { problem } = found;
      const ineffective =
        problem.kind === "none"
          ? {
              ineffective: { kind: "void" as const, because: clause("spf-include-fails", { because: problem.because }) },
            }
          : {};
      const failed = problem.kind === "failed" ? { failed: problem.because } : {};
      return {
        ...plain,
        complete: false,
        risks: problem.kind === "none" ? await this.#registrable(target) : [],
        below: { domain: target, text: undefined, branches: [], problem },
        ...ineffective,
        ...failed,
        ...duplicate,
      };
    }
    const below = await this.build(found.record, target, [...path, lower]);
    // What an include lets in is what passes below it; its fail and neutral count for nothing (RFC 7208 section 5.2).
    const passing = below.branches.filter(
      (spfBranch) =>
        spfBranch.ineffective?.kind !== "unreachable" &&
        (spfBranch.term.kind === "modifier" ? isRedirect(spfBranch.term) : spfBranch.term.qualifier === "+"),
    );
    const everybody = passing.some((candidate) => candidate.risks.some((risk) => risk.kind === "everybody"));
    return {
      ...plain,
      lookups: 1 + below.branches.reduce((sum, spfBranch) => sum + spfBranch.lookups, 0),
      networks: passing.flatMap((spfBranch) => spfBranch.networks),
      complete:
        below.branches.every((spfBranch) => spfBranch.complete || spfBranch.ineffective?.kind === "unreachable") &&
        below.branches.every(
          (spfBranch) => spfBranch.term.kind === "modifier" || isAll(spfBranch.term) || spfBranch.term.qualifier === "+",
        ),
      risks: everybody ? [{ kind: "everybody", because: clause("spf-includes-everybody", { target }) }] : [],
      below,
      ...duplicate,
    };
  }

  /** Whether a name could be registered by anybody: neither it nor the domain it belongs to exists. */
  async #registrable(target: string): Promise<Risk[]> {
    const name = nameOf(target);
    const { organizationalDomain } = this.#options;
    if (name === undefined || organizationalDomain === undefined) return [];
    const domain = organizationalDomain(name);
    const answer = await this.#lookup.ask(domain, "NS");
    return answer.kind === "nxdomain"
      ? [
          {
            kind: "registrable",
            because: clause("spf-unregistered", { domain: domain.slice(0, -1) }),
          },
        ]
      : [];
  }

  async #addresses(term: Mechanism, target: string, plain: SpfBranch): Promise<SpfBranch> {
    if (term.name === "ptr")
      return {
        ...plain,
        complete: false,
        risks: [
          {
            kind: "ptr",
            because: clause("spf-ptr"),
          },
        ],
      };
    if (term.name === "exists" || !this.#options.addresses) return { ...plain, complete: false };
    const name = nameOf(target);
    if (name === undefined)
      return { ...plain, ineffective: { kind: "void", because: clause("spf-target-not-a-domain", { target }) } };
    const hosts: DomainName[] = [];
    if (term.name === "mx") {
      const answer = await this.#lookup.ask(name, "MX");
      if (answer.kind === "failed") return { ...plain, complete: false, failed: answer.detail };
      if (answer.kind === "found" && isOfType(answer.set, "MX"))
        hosts.push(...answer.set.data.map((data) => data.exchange).filter((domainName) => domainName !== "."));
    } else hosts.push(name);
    const answers = await Promise.all(
      hosts.slice(0, 10).flatMap((host) => (["A", "AAAA"] as const).map((type) => this.#lookup.ask(host, type))),
    );
    const failed = answers.find((answer) => answer.kind === "failed");
    if (failed?.kind === "failed") return { ...plain, complete: false, failed: failed.detail };
    const networks = answers.flatMap((answer: Answer) =>
      answer.kind === "found"
        ? answer.set.data.map((data) =>
            networkOf((data as DataOf["A"]).address, answer.set.type === "A" ? term.prefix4 : term.prefix6),
          )
        : [],
    );
    const risks = [...this.#huge(term, term.prefix4, 4), ...this.#huge(term, term.prefix6, 6)];
    if (networks.length > 0) return { ...plain, networks, risks };
    return {
      ...plain,
      ineffective: {
        kind: "void",
        because: term.name === "mx" ? clause("spf-no-mail-server", { target }) : clause("spf-no-address", { target }),
      },
      risks: await this.#registrable(target),
    };
  }
}

/** Follows a record through everything it leads to, a bounded number of questions. `domain` is whose record it is. */
export const spfTree = (record: SpfRecord, domain: string, lookup: Lookup, options: TreeOptions): Promise<SpfTree> =>
  new TreeBuilder(lookup, options).build(record, domain, [domain.toLowerCase()]);
