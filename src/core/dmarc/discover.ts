import type { Clause } from "../clause/index.ts";
import { type Lookup, remembered } from "../lookup/index.ts";
import { type DomainName, fromLabels, labelsOf, name as nameOf, under } from "../name/index.ts";
import { decodeUtf8, isOfType, type RecordSet, txtValue } from "../record/index.ts";
import type { Mistake } from "../tag-list.ts";
import { isDmarc } from "./policy.ts";
import { type DmarcRecord, readDmarcRecord } from "./record.ts";

/** Where a domain's DMARC record lives. */
export const dmarcNameOf = (domain: DomainName): DomainName | undefined => under(nameOf("_dmarc"), domain);

/** What is at one `_dmarc` name. */
export type PublishedDmarc =
  | { readonly kind: "record"; readonly record: DmarcRecord }
  | { readonly kind: "none" }
  /** More than one record: receivers use none of them. */
  | { readonly kind: "several"; readonly texts: readonly string[] }
  | { readonly kind: "unusable"; readonly text: string; readonly mistakes: readonly Mistake[] }
  | { readonly kind: "failed"; readonly because: Clause; readonly outside: boolean };

const readSets = new WeakMap<RecordSet, PublishedDmarc>();

function thereIn(set: RecordSet): PublishedDmarc {
  const texts = isOfType(set, "TXT") ? set.data.map((data) => decodeUtf8(txtValue(data))).filter(isDmarc) : [];
  const [text, ...more] = texts;
  if (text === undefined) return { kind: "none" };
  if (more.length > 0) return { kind: "several", texts };
  const parsed = readDmarcRecord(text);
  return parsed.ok ? { kind: "record", record: parsed.value } : { kind: "unusable", text, mistakes: parsed.error };
}

/** Asks for the DMARC record at one domain (RFC 7489 section 6.6.3). Texts that are not DMARC records do not count. */
export async function lookupDmarc(domain: DomainName, lookup: Lookup): Promise<PublishedDmarc> {
  const at = dmarcNameOf(domain);
  if (at === undefined) return { kind: "none" };
  const answer = await lookup.ask(at, "TXT");
  if (answer.kind === "failed") return { kind: "failed", because: answer.detail, outside: answer.why === "outside" };
  if (answer.kind !== "found") return { kind: "none" };
  let there = readSets.get(answer.set);
  if (there === undefined) readSets.set(answer.set, (there = thereIn(answer.set)));
  return there;
}

/** How the policy of a domain was found. */
export interface Discovery {
  readonly domain: DomainName;
  /** Undefined where no record applies. */
  readonly record?: DmarcRecord;
  /** Whose record it is. */
  readonly at?: DomainName;
  readonly organizational: DomainName;
  /** Every name asked, in order, and what stood there. */
  readonly steps: readonly { readonly domain: DomainName; readonly there: PublishedDmarc }[];
  /** Why it cannot be said; the rest is then only what is known so far. */
  readonly failed?: Clause;
}

/** Questions a walk may ask (DMARC successor, section “DNS Tree Walk”). */
const MAX_WALK = 8;

/** The names a walk visits: the domain, then upwards; a long name jumps to seven labels after the first question. */
export function walkNames(domain: DomainName): DomainName[] {
  const labels = labelsOf(domain);
  const names = [domain];
  const start = labels.length >= MAX_WALK ? labels.length - (MAX_WALK - 1) : 1;
  for (let i = start; i < labels.length; i++) names.push(fromLabels(labels.slice(i)) as DomainName);
  return names;
}

/** Finds the policy of a domain by walking up the tree, as the successor of RFC 7489 says. */
export const discoverByWalk = (domain: DomainName, lookup: Lookup): Promise<Discovery> =>
  remembered(lookup, `walk ${domain}`, () => walkUp(domain, lookup));

/** Asks one name after the other; stops where `psd=` marks a boundary. */
async function walk(domain: DomainName, lookup: Lookup): Promise<Pick<Discovery, "steps" | "failed">> {
  const steps: { domain: DomainName; there: PublishedDmarc }[] = [];
  for (const at of walkNames(domain)) {
    const there = await lookupDmarc(at, lookup);
    steps.push({ domain: at, there });
    // Zone files never hold the top of the tree, and hardly any record is there; it is passed over, not guessed at.
    if (there.kind === "failed" && there.outside && labelsOf(at).length === 1) break;
    if (there.kind === "failed") return { steps, failed: there.because };
    if (there.kind === "record" && there.record.publicSuffix !== undefined) break;
  }
  return { steps };
}

const recordIn = ({ there }: Discovery["steps"][number]): DmarcRecord | undefined =>
  there.kind === "record" ? there.record : undefined;

function organizationalIn(domain: DomainName, steps: Discovery["steps"]): DomainName {
  for (const [i, step] of steps.entries()) {
    const { publicSuffix } = recordIn(step) ?? {};
    if (publicSuffix === false) return step.domain;
    if (publicSuffix === true && i > 0) {
      const labels = labelsOf(domain);
      return fromLabels(labels.slice(labels.length - labelsOf(step.domain).length - 1)) as DomainName;
    }
  }
  return steps.findLast((step) => recordIn(step) !== undefined)?.domain ?? domain;
}

async function walkUp(domain: DomainName, lookup: Lookup): Promise<Discovery> {
  const { steps, failed } = await walk(domain, lookup);
  const organizational = organizationalIn(domain, steps);
  // The author's own record counts first, then that of the organization, then that of the public suffix above it.
  const own = steps.find((step) => step.domain === domain && recordIn(step) !== undefined);
  const above =
    steps.find((step) => step.domain === organizational && recordIn(step) !== undefined) ??
    steps.find((step) => recordIn(step)?.publicSuffix === true);
  // A record of its own that cannot be used is not a policy, and no other's takes its place.
  const found = own ?? (failed === undefined && steps[0]?.there.kind !== "unusable" ? above : undefined);
  const record = found === undefined ? undefined : recordIn(found);
  return {
    domain,
    organizational,
    steps,
    ...(found === undefined || record === undefined ? {} : { record, at: found.domain }),
    ...(failed === undefined ? {} : { failed }),
  };
}

/** Finds the policy of a domain as RFC 7489 section 6.6.3 says: there, else at the organizational domain by the public suffix list. */
export async function discoverByList(
  domain: DomainName,
  lookup: Lookup,
  organizationalDomain: (of: DomainName) => DomainName,
): Promise<Discovery> {
  const organizational = organizationalDomain(domain);
  const steps: { domain: DomainName; there: PublishedDmarc }[] = [];
  for (const at of new Set([domain, organizational])) {
    const there = await lookupDmarc(at, lookup);
    steps.push({ domain: at, there });
    if (there.kind === "failed") return { domain, organizational, steps, failed: there.because };
    if (there.kind === "record") return { domain, organizational, steps, record: there.record, at };
    // A domain with records that cannot be used has no policy, its own or another's (RFC 7489 section 6.6.3).
    if (there.kind !== "none") break;
  }
  return { domain, organizational, steps };
}
