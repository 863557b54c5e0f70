import { type Clause, clause } from "../clause/index.ts";
import type { Lookup } from "../lookup/index.ts";
import type { DomainName } from "../name/index.ts";
import { organizationalDomain } from "../suffix/index.ts";
import { type Discovery, discoverByList, discoverByWalk } from "./discover.ts";
import { milder, type Policy } from "./policy.ts";
import type { DmarcRecord } from "./record.ts";

/** Which way the organizational domain is found: up the tree, or by the public suffix list. */
export type DiscoveryWay =
  | { readonly way: "tree-walk" }
  | { readonly way: "suffix-list"; readonly organizationalDomain: (of: DomainName) => DomainName };

export const discover = (domain: DomainName, lookup: Lookup, how: DiscoveryWay): Promise<Discovery> =>
  how.way === "tree-walk" ? discoverByWalk(domain, lookup) : discoverByList(domain, lookup, how.organizationalDomain);

/** A domain that SPF or DKIM authenticated, or failed to. */
export interface Identifier {
  readonly by: "spf" | "dkim";
  readonly domain: DomainName;
  readonly passes: boolean;
  /** The check could not be made, so that it may pass another time. */
  readonly temporary: boolean;
}

/** One identifier against the From domain (RFC 7489 section 3.1). */
export interface Alignment extends Identifier {
  /** Undefined where it could not be asked whether the two domains belong together. */
  readonly aligned: boolean | undefined;
  readonly mode: "relaxed" | "strict";
}

/** Which of the policies of a record counts for a name. */
export interface Applied {
  readonly policy: Policy;
  /** The tag it comes from. */
  readonly tag: "p" | "sp" | "np";
}

/**
 * The policy of a record for a From domain (RFC 7489 section 6.3; successor for `np`). `exists` says whether the
 * From domain is in the DNS at all; undefined where that could not be asked.
 */
export function policyFor(record: DmarcRecord, at: DomainName, from: DomainName, exists: boolean | undefined): Applied {
  if (at === from) return { policy: record.policy, tag: "p" };
  if (exists === false && record.nonexistent !== undefined) return { policy: record.nonexistent, tag: "np" };
  return record.subdomains === undefined ? { policy: record.policy, tag: "p" } : { policy: record.subdomains, tag: "sp" };
}

/** Whether a name is in the DNS: it has records, or names below it have. Undefined where that could not be asked. */
async function existsInDns(domain: DomainName, lookup: Lookup): Promise<boolean | undefined> {
  const answers = await Promise.all(["A", "AAAA", "MX"].map((type) => lookup.ask(domain, type)));
  if (answers.some((answer) => answer.kind === "found" || answer.kind === "nodata")) return true;
  return answers.some((answer) => answer.kind === "failed") ? undefined : false;
}

/** The receiver's judgement (RFC 7489 section 6.6.2). */
export interface DmarcVerdict {
  readonly result: "none" | "pass" | "fail" | "temperror" | "permerror";
  readonly domain: DomainName;
  /** What the domain asks for; undefined where no record applies. */
  readonly policy?: Policy;
  readonly tag?: Applied["tag"];
  /** What happens to the message. */
  readonly disposition: Policy;
  readonly because: Clause;
  readonly alignments: readonly Alignment[];
  readonly discovery: Discovery;
}

async function aligns(
  identifier: Identifier,
  from: Discovery,
  record: DmarcRecord | undefined,
  lookup: Lookup,
  how: DiscoveryWay,
): Promise<Alignment> {
  const mode = (identifier.by === "spf" ? record?.spfAlignment : record?.dkimAlignment) ?? "relaxed";
  if (identifier.domain === from.domain) return { ...identifier, mode, aligned: true };
  if (record === undefined) {
    // Without a record the usual, relaxed mode holds; where it could not be asked for, it may say otherwise.
    const together = organizationalDomain(identifier.domain) === organizationalDomain(from.domain);
    return { ...identifier, mode, aligned: from.failed === undefined ? together : undefined };
  }
  if (mode === "strict") return { ...identifier, mode, aligned: false };
  if (how.way === "suffix-list")
    return { ...identifier, mode, aligned: how.organizationalDomain(identifier.domain) === from.organizational };
  if (identifier.domain === from.organizational) return { ...identifier, mode, aligned: true };
  const other = await discoverByWalk(identifier.domain, lookup);
  if (other.organizational === from.organizational) return { ...identifier, mode, aligned: true };
  // Where a walk could not be finished, the two may well belong together: that is not known, and never a failure.
  const unknown = other.failed !== undefined || from.failed !== undefined;
  return { ...identifier, mode, aligned: unknown ? undefined : false };
}

/** Whether an identifier that counts for nothing now could count another time: it, or what belongs together, could not be asked. */
export const mayPass = ({ aligned, passes, temporary }: Alignment): boolean =>
  (aligned !== false && temporary) || (aligned === undefined && passes);

/** What makes a policy milder than it says. */
type Softened = { readonly by: "testing" } | { readonly by: "percent"; readonly percent: number };

/** What happens to a message that fails. RFC 7489 samples by `pct`, its successor tries out by `t=y`. */
function dispositionOf(
  policy: Policy,
  record: DmarcRecord,
  way: DiscoveryWay["way"],
): { disposition: Policy; softened: Softened | undefined } {
  if (way === "tree-walk")
    return record.testing
      ? { disposition: milder(policy), softened: { by: "testing" } }
      : { disposition: policy, softened: undefined };
  if (record.percent === 100 || policy === "none") return { disposition: policy, softened: undefined };
  const softened = { by: "percent", percent: record.percent } as const;
  return { disposition: record.percent === 0 ? milder(policy) : policy, softened };
}

/** Judges one From domain by the identifiers that SPF and DKIM found. */
export async function evaluateDmarc(
  from: DomainName,
  identifiers: readonly Identifier[],
  lookup: Lookup,
  how: DiscoveryWay = { way: "tree-walk" },
): Promise<DmarcVerdict> {
  const discovery = await discover(from, lookup, how);
  const { record, at, failed } = discovery;
  const alignments = await Promise.all(identifiers.map((one) => aligns(one, discovery, record, lookup, how)));
  const common = { domain: from, discovery, alignments };
  if (failed !== undefined && record === undefined)
    return {
      ...common,
      result: "temperror",
      disposition: "none",
      because: clause("dmarc-unresolved", { failed }),
    };
  if (record === undefined || at === undefined) {
    const own = discovery.steps[0]?.there;
    const because =
      own?.kind === "several"
        ? clause("dmarc-several", { from, texts: own.texts.length })
        : own?.kind === "unusable"
          ? clause("dmarc-unusable", { from, message: own.mistakes[0]?.message })
          : clause("dmarc-none", { from });
    return { ...common, result: own?.kind === "unusable" ? "permerror" : "none", disposition: "none", because };
  }
  const exists = at === from || record.nonexistent === undefined ? true : await existsInDns(from, lookup);
  const { policy, tag } = policyFor(record, at, from, exists);
  const applied = { ...common, policy, tag };
  const passing = alignments.find((alignment) => alignment.aligned === true && alignment.passes);
  if (passing !== undefined)
    return {
      ...applied,
      result: "pass",
      disposition: "none",
      because: clause("dmarc-passes", { by: passing.by, domain: passing.domain, from }),
    };
  if (alignments.some(mayPass))
    return {
      ...applied,
      result: "temperror",
      disposition: "none",
      because: clause("dmarc-check-not-made"),
    };
  const unalignedPasses = alignments.filter((candidate) => candidate.passes && candidate.aligned === false);
  const { disposition, softened } = dispositionOf(policy, record, how.way);
  const unaligned = unalignedPasses.map(({ by, domain }) => ({ by, domain }));
  return {
    ...applied,
    result: "fail",
    disposition,
    because: clause("dmarc-fails", { unaligned, from, at, tag, policy, softened }),
  };
}
