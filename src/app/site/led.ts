import { type Ask, isMet, type RecordsWant } from "../../core/ask/index.ts";
import { type Clause, NOTHING } from "../../core/clause/index.ts";
import { type Answer, liveAt, ownSetOf } from "../../core/lookup/index.ts";
import { type DomainName, name as nameOf, under, withoutRootDot } from "../../core/name/index.ts";
import type { DataOf } from "../../core/record/index.ts";
import type { HostAsked } from "../../core/site/index.ts";
import { negativeTtl } from "../../core/zone/index.ts";
import type { WebOptions } from "../../net/web.ts";
import type { Domain, Journal, Workspace } from "../../workspace/index.ts";
import type { DnsContext, DomainLook } from "../dns/context.ts";
import { hostTitle } from "../standing/host.ts";

/** What the checks of one domain look at. */
export interface SiteContext {
  readonly domain: Domain;
  readonly workspace: Workspace;
  readonly dns: DnsContext;
  readonly web: WebOptions;
  readonly journal: Journal | undefined;
}

/** The same, with the domain as its own servers show it, looked at once for all of its hosts. */
export interface Site extends SiteContext {
  readonly looked: DomainLook;
}

/** Types that lead visitors somewhere. */
export const LEADING: ReadonlySet<string> = new Set(["A", "AAAA", "CNAME"]);

const ADDRESSES = ["A", "AAAA"] as const;

/** Where a host leads, as the resolver says; and what the domain's own servers say, where that is something else. */
interface Addresses {
  readonly found: readonly string[] | undefined;
  readonly failure: Clause;
  /** `seconds`: how long the resolver may remember the old answer. */
  readonly old?: { readonly own: readonly string[]; readonly seconds: number };
}

/** The addresses in two answers, and the first failure among them. */
function readAddresses(answers: readonly Answer[]): Addresses {
  const failure = answers.find((answer) => answer.kind === "failed");
  const found = answers.flatMap((answer) =>
    answer.kind === "found" ? answer.set.data.map((data) => (data as DataOf["A"]).address) : [],
  );
  return {
    found: failure?.kind === "failed" && found.length === 0 ? undefined : found,
    failure: failure?.kind === "failed" ? failure.detail : NOTHING,
  };
}

/** How long a resolver remembers an answer: what it found, or that there is nothing (seconds). */
const remembered = (answer: Answer): number => {
  if (answer.kind === "found") return Math.min(answer.set.ttl, ...answer.chain.map(({ ttl }) => ttl));
  return answer.kind === "failed" || answer.soa === undefined ? 0 : negativeTtl(answer.soa);
};

const sameTexts = (one: readonly string[], other: readonly string[]): boolean =>
  one.length === other.length && one.every((text) => other.includes(text));

/**
 * Whether the domain's own servers lead a host elsewhere than a resolver remembers. Where both follow the same alias, what stands behind it
 * is its owner's, and may be another address at every question; what could not be asked tells nothing.
 */
function leadsElsewhereNow(own: readonly Answer[], seen: readonly Answer[]): boolean {
  if ([...own, ...seen].some(({ kind }) => kind === "failed")) return false;
  const alias = (answers: readonly Answer[]) => answers.map(({ chain }) => chain[0]?.data[0]?.target).find(Boolean);
  if (alias(own) !== alias(seen)) return true;
  return alias(own) === undefined && !sameTexts(readAddresses(own).found ?? [], readAddresses(seen).found ?? []);
}

/** Where a host of a domain leads, as the resolver says, beside what the domain's own servers say at this moment. */
export async function addressesOf({ dns, looked: { lookup } }: Site, host: DomainName): Promise<Addresses> {
  const answers = await Promise.all(ADDRESSES.map((type) => dns.world.ask(host, type)));
  const seen = readAddresses(answers);
  if (lookup === undefined) return seen;
  const now = await Promise.all(ADDRESSES.map((type) => lookup.ask(host, type)));
  if (!leadsElsewhereNow(now, answers)) return seen;
  return { ...seen, old: { own: readAddresses(now).found ?? [], seconds: Math.max(...answers.map(remembered)) } };
}

/** The records that an ask wants at a host, and that lead visitors somewhere. */
const leadingWants = ({ wants }: Ask, host: DomainName): RecordsWant[] =>
  wants.flatMap((want) => (want.kind === "records" && want.name === host && LEADING.has(want.type) ? [want] : []));

/** What is asked for a host of a site, and who can mend what is wrong there. */
export async function askedOf({ domain, workspace, looked: { lookup } }: Site, host: DomainName): Promise<HostAsked> {
  const www = under(nameOf("www"), domain.name) as DomainName;
  const other = host === domain.name ? www : domain.name;
  const of = (at: DomainName) => domain.asks.filter((ask) => leadingWants(ask, at).length > 0);
  const [here, there] = [of(host), of(other)];
  const [first] = [...here, ...there];
  const isThere = async (want: RecordsWant): Promise<boolean | undefined> => {
    const live = lookup === undefined ? undefined : await liveAt(lookup, domain.name, host, want.type);
    if (live === undefined || live.kind === "failed") return undefined;
    return isMet(live.kind === "wildcard" || (live.kind === "alias" && want.type === "CNAME") ? live.set : ownSetOf(live), want);
  };
  const met = await Promise.all(here.flatMap((ask) => leadingWants(ask, host)).map(isThere));
  const isTwin = host === www || host === domain.name;
  return {
    host: withoutRootDot(host),
    asked: here.length > 0 ? "here" : there.length > 0 && isTwin ? "other" : "nowhere",
    isPublished: met.includes(false) ? false : met.includes(undefined) ? undefined : true,
    other: withoutRootDot(other),
    builder: first === undefined ? undefined : (workspace.settings.services[first.service]?.title ?? first.service),
    dnsHost: hostTitle(domain, workspace),
  };
}

/** The addresses that asks want a host to lead to: named by them, or found behind the alias they ask for. */
export async function wantedAddresses({ domain, dns }: Site, host: DomainName): Promise<string[]> {
  const sets = domain.asks
    .filter(({ purpose }) => purpose === "site" || purpose === "redirect")
    .flatMap((ask) => leadingWants(ask, host));
  const found = await Promise.all(
    sets.map(async ({ type, data }) => {
      if (type !== "CNAME") return (data as readonly DataOf["A"][]).map(({ address }) => address);
      const { target } = data[0] as DataOf["CNAME"];
      return readAddresses(await Promise.all(ADDRESSES.map((family) => dns.world.ask(target, family)))).found ?? [];
    }),
  );
  return [...new Set(found.flat())];
}
