import { type Clause, clause } from "../clause/index.ts";
import type { Lookup } from "../lookup/index.ts";
import { type DomainName, name as nameOf, under } from "../name/index.ts";
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
  readonly failed?: Clause;
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

/** What a record asks for, one sentence a thing. */
export function describePolicy(record: DmarcRecord): Clause[] {
  const said = [clause("dmarc-says-policy", { policy: record.policy })];
  if (record.subdomains !== undefined) said.push(clause("dmarc-says-subdomains", { policy: record.subdomains }));
  if (record.nonexistent !== undefined) said.push(clause("dmarc-says-nonexistent", { policy: record.nonexistent }));
  if (record.testing) said.push(clause("dmarc-says-testing"));
  if (record.percent < 100) said.push(clause("dmarc-says-percent", { percent: record.percent }));
  if (record.dkimAlignment === "strict") said.push(clause("dmarc-says-strict", { by: "dkim" }));
  if (record.spfAlignment === "strict") said.push(clause("dmarc-says-strict", { by: "spf" }));
  const to = (uris: DmarcRecord["aggregate"]) => uris.map((uri) => uri.address ?? uri.text);
  said.push(clause("dmarc-says-reports", { to: to(record.aggregate) }));
  if (record.failure.length > 0)
    said.push(clause("dmarc-says-failures", { to: to(record.failure), options: record.failureOptions }));
  for (const uri of [...record.aggregate, ...record.failure])
    if (uri.most !== undefined) said.push(clause("dmarc-says-limit", { to: uri.address ?? uri.text, most: uri.most }));
  if (record.publicSuffix !== undefined) said.push(clause("dmarc-says-suffix", { registry: record.publicSuffix }));
  return said;
}

/** In what the two ways of finding a policy differ; undefined where they agree. */
export function discoveryDifference(walk: Discovery, list: Discovery): Clause | undefined {
  if (walk.failed !== undefined || list.failed !== undefined) return undefined;
  if (walk.at !== list.at) return clause("dmarc-differs", { walk: walk.at, list: list.at });
  if (walk.organizational !== list.organizational)
    return clause("dmarc-organization-differs", { walk: walk.organizational, list: list.organizational });
  return undefined;
}
