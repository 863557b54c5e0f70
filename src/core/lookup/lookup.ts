import { type Clause, clause } from "../clause/index.ts";
import type { DomainName } from "../name/index.ts";
import type { DataOf, RecordSet, RecordType } from "../record/index.ts";

/**
 * Why a question has no answer. None of these says anything about whether the record exists.
 * - `timeout`: nobody answered in time
 * - `unreachable`: the network or the machine refused the packet
 * - `servfail`, `refused`: the server said so
 * - `bogus`: a checking resolver refuses the answer, because its DNSSEC signatures do not verify
 * - `malformed`: the answer cannot be read, or does not fit the question
 * - `delegated`: this server is not the one to ask; the name belongs to a zone it delegates
 * - `outside`: this server or these files do not hold the name
 * - `loop`: the aliases lead back to themselves, or through more than {@link MAX_CHAIN} links
 */
export type FailureReason =
  | "timeout"
  | "unreachable"
  | "servfail"
  | "refused"
  | "bogus"
  | "malformed"
  | "delegated"
  | "outside"
  | "loop";

export type AliasSet = RecordSet<DataOf["CNAME"]>;

interface Common {
  /** The CNAME sets that were followed from the name asked, in order. */
  readonly chain: readonly AliasSet[];
  /** Whether a server authoritative for the zone said so itself. */
  readonly authoritative: boolean;
}

export interface Found extends Common {
  readonly kind: "found";
  readonly set: RecordSet;
  /** The wildcard that answered, where the source can tell. */
  readonly wildcard?: DomainName;
}

/** The name exists without this type (`nodata`), or neither it nor anything below it exists (`nxdomain`, RFC 8020). */
export interface Negative extends Common {
  readonly kind: "nodata" | "nxdomain";
  /** The SOA that came along; its TTL and minimum say how long the answer may be kept (RFC 2308). */
  readonly soa?: RecordSet;
}

export interface Failed extends Common {
  readonly kind: "failed";
  readonly why: FailureReason;
  /** What happened, and where. */
  readonly detail: Clause;
  /** For `delegated`: the name servers the answer points to, and the addresses that came along. */
  readonly delegation?: { readonly ns: RecordSet<DataOf["NS"]>; readonly glue: readonly RecordSet[] };
}

/** The one way a question ends. “Could not ask” (`failed`) is never “is not there” (`nodata`, `nxdomain`). */
export type Answer = Found | Negative | Failed;

/** Anyone who can be asked one question: a server, a set of zone files, a memo in front of either. */
export interface Lookup {
  ask(name: DomainName, type: RecordType): Promise<Answer>;
}

/** How many aliases are followed before the chain counts as a loop. */
export const MAX_CHAIN = 12;

/** Why a chain of aliases has no end: the names that lead to each other, or that there are too many; undefined where it may have one. */
export function aliasesWithoutEnd(chain: readonly AliasSet[]): Clause | undefined {
  const last = chain.at(-1)?.data[0]?.target;
  const from = chain.findIndex((link, i) => link.name === last || chain.findIndex(({ name }) => name === link.name) < i);
  if (from !== -1) {
    const first = chain.findIndex(({ name }) => name === (chain[from] as AliasSet).name);
    return clause("answer-alias-circle", { names: [...new Set(chain.slice(first).map(({ name }) => name))] });
  }
  return chain.length > MAX_CHAIN
    ? clause("answer-aliases-long", { most: MAX_CHAIN, name: (chain[0] as AliasSet).name })
    : undefined;
}

export function failed(why: FailureReason, detail: Clause, more: Partial<Failed> = {}): Failed {
  return { kind: "failed", why, detail, chain: [], authoritative: false, ...more };
}
