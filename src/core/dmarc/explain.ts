import type { Lookup } from "../lookup/index.ts";
import { type DomainName, displayName, name as nameOf, under } from "../name/index.ts";
import type { Discovery } from "./discover.ts";
import { type DiscoveryWay, discover, policyFor } from "./evaluate.ts";
import { milder, type Policy } from "./policy.ts";
import type { DmarcRecord } from "./record.ts";

/** What receivers do with three kinds of mail for one From domain. */
export interface Scenario {
  readonly from: DomainName;
  readonly kind: "domain" | "subdomain" | "made-up";
  readonly policy: Policy | undefined;
  /** The tag the policy comes from, and whose record it is. */
  readonly tag?: "p" | "sp" | "np";
  readonly at?: DomainName;
  /** Mail that SPF or DKIM proves to be the domain's own is delivered, whatever the policy. */
  readonly aligned: "none";
  /** The organisation's own mail through a service that signs with the service's name. */
  readonly unaligned: Policy;
  readonly forged: Policy;
  readonly failed?: string;
}

/** Labels for names that stand for any subdomain, and for one that nobody made. */
const SUBDOMAIN = "news";
const MADE_UP = "made-up-by-a-forger";

const effective = (policy: Policy, record: DmarcRecord, way: DiscoveryWay["way"]): Policy =>
  (way === "tree-walk" ? record.testing : record.percent === 0) ? milder(policy) : policy;

/** What would happen to mail from a domain, a subdomain of it, and a subdomain that does not exist (RFC 7489 section 6.3). */
export async function scenarios(domain: DomainName, lookup: Lookup, how: DiscoveryWay): Promise<Scenario[]> {
  const from: [Scenario["kind"], DomainName | undefined][] = [
    ["domain", domain],
    ["subdomain", under(nameOf(SUBDOMAIN), domain)],
    ["made-up", under(nameOf(MADE_UP), domain)],
  ];
  const judged = from.map(async ([kind, name]): Promise<Scenario[]> => {
    if (name === undefined) return [];
    const found: Discovery = await discover(name, lookup, how);
    const { record, at, failed } = found;
    const common = { from: name, kind, aligned: "none" } as const;
    if (record === undefined || at === undefined)
      return [{ ...common, policy: undefined, unaligned: "none", forged: "none", ...(failed === undefined ? {} : { failed }) }];
    const applied = policyFor(record, at, name, kind !== "made-up");
    // Receivers of RFC 7489 know no np=.
    const { policy, tag } = how.way === "suffix-list" && applied.tag === "np" ? policyFor(record, at, name, true) : applied;
    const happens = effective(policy, record, how.way);
    return [{ ...common, policy, tag, at, unaligned: happens, forged: happens }];
  });
  return (await Promise.all(judged)).flat();
}

/** A record in words, one sentence a thing it asks for. */
export function dmarcInWords(record: DmarcRecord): string[] {
  const does: Record<Policy, string> = {
    none: "deliver mail that fails, and only report it",
    quarantine: "put mail that fails into the junk folder",
    reject: "refuse mail that fails",
  };
  const words = [`Receivers are asked to ${does[record.policy]}.`];
  if (record.subdomains !== undefined) words.push(`For subdomains: ${does[record.subdomains]}.`);
  if (record.nonexistent !== undefined) words.push(`For subdomains that do not exist: ${does[record.nonexistent]}.`);
  if (record.testing) words.push("It is being tried out (t=y): receivers apply one step milder.");
  if (record.percent < 100)
    words.push(`Older receivers apply it to ${record.percent} % of the mail that fails; newer ones ignore pct=.`);
  for (const [by, mode] of [
    ["DKIM", record.dkimAlignment],
    ["SPF", record.spfAlignment],
  ] as const)
    if (mode === "strict") words.push(`${by} counts only for the very domain in From, not for one of its subdomains.`);
  if (record.aggregate.length > 0)
    words.push(`Daily reports go to ${record.aggregate.map((uri) => uri.address ?? uri.text).join(" and ")}.`);
  else words.push("Nobody gets reports, so nobody learns who sends as this domain.");
  if (record.failure.length > 0)
    words.push(`Reports on single messages go to ${record.failure.map((uri) => uri.address ?? uri.text).join(" and ")}.`);
  for (const uri of [...record.aggregate, ...record.failure])
    if (uri.most !== undefined) words.push(`Reports to ${uri.address ?? uri.text} may have at most ${uri.most} octets.`);
  if (record.publicSuffix !== undefined)
    words.push(
      record.publicSuffix
        ? "The domain is one under which others register (psd=y)."
        : "The domain is the organisation's own top (psd=n).",
    );
  return words;
}

/** In what the two ways of finding a policy differ; undefined where they agree. */
export function discoveryDifference(walk: Discovery, list: Discovery): string | undefined {
  const where = (one: Discovery): string => (one.at === undefined ? "no record" : `the record of ${displayName(one.at)}`);
  if (walk.failed !== undefined || list.failed !== undefined) return undefined;
  if (walk.at !== list.at)
    return `newer receivers, which walk up the tree, use ${where(walk)}; older ones, which use the public suffix list, use ${where(list)}`;
  if (walk.organizational !== list.organizational)
    return `newer receivers take ${displayName(walk.organizational)} for the organisation's domain, older ones ${displayName(list.organizational)}; what is aligned may differ`;
  return undefined;
}
