import { type Clause, clause, NOTHING } from "../../core/clause/index.ts";
import { type DomainName, displayName, name, under, withoutRootDot } from "../../core/name/index.ts";
import type { DataOf } from "../../core/record/index.ts";
import {
  checksOf,
  type Fetched,
  judgeAddresses,
  judgeCertificate,
  judgePage,
  judgePair,
  judgeRedirect,
  mayIssue,
  type SiteCheck,
} from "../../core/site/index.ts";
import { followPage, type WebOptions } from "../../net/web.ts";
import type { Domain, Journal, Workspace } from "../../workspace/index.ts";
import type { DnsContext } from "../dns/context.ts";

/** A path with a query that no site has, to see whether a redirect keeps them. */
const PROBE = "/zandrel/check?kept=yes";

const addressesAt = async (
  dns: DnsContext,
  host: DomainName,
): Promise<{ found: readonly string[] | undefined; failure: Clause }> => {
  const answers = await Promise.all([dns.world.ask(host, "A"), dns.world.ask(host, "AAAA")]);
  const failure = answers.find((answer) => answer.kind === "failed");
  const found = answers.flatMap((answer) =>
    answer.kind === "found" ? answer.set.data.map((data) => (data as DataOf["A"]).address) : [],
  );
  return {
    found: failure?.kind === "failed" && found.length === 0 ? undefined : found,
    failure: failure?.kind === "failed" ? failure.detail : NOTHING,
  };
};

/** The addresses that asks want a host to lead to: named by them, or found behind the alias they ask for. */
async function wantedAddresses(domain: Domain, host: DomainName, dns: DnsContext): Promise<string[]> {
  const sets = domain.asks
    .filter((ask) => ask.purpose === "site" || ask.purpose === "redirect")
    .flatMap((ask) => ask.wants.flatMap((want) => (want.kind === "records" && want.name === host ? [want] : [])));
  const direct = sets
    .filter((set) => set.type === "A" || set.type === "AAAA")
    .flatMap((set) => (set.data as readonly DataOf["A"][]).map((data) => data.address));
  const behind = await Promise.all(
    sets
      .filter((set) => set.type === "CNAME")
      .map(async (set) => (await addressesAt(dns, (set.data[0] as DataOf["CNAME"]).target)).found ?? []),
  );
  return [...new Set([...direct, ...behind.flat()])];
}

/** Whether CAA records let the certificate issuers of the workspace issue. */
async function caaChecks(host: DomainName, workspace: Workspace, dns: DnsContext): Promise<SiteCheck[]> {
  const issuers = Object.values(workspace.settings.services).flatMap((service) =>
    service.issuer === undefined ? [] : [{ title: service.title, issuer: service.issuer }],
  );
  return Promise.all(
    issuers.map(async ({ title, issuer }): Promise<SiteCheck> => {
      const verdict = await mayIssue(dns.world, host, issuer);
      const { right, wrong, unknown } = checksOf("caa", displayName(host));
      switch (verdict.kind) {
        case "allowed":
          return right(clause("site-may-issue", { title, because: verdict.because }));
        case "forbidden":
          return wrong("issuer-forbidden", verdict.because, clause("site-may-issue-mend", { at: verdict.at, issuer }));
        case "unknown":
          return unknown(verdict.because, clause("site-servers-silent-mend"));
      }
    }),
  );
}

/** What the checks of one domain look at. */
export interface SiteContext {
  readonly domain: Domain;
  readonly workspace: Workspace;
  readonly dns: DnsContext;
  readonly web: WebOptions;
  readonly journal: Journal | undefined;
}

/** Types that lead visitors somewhere. */
const LEADING: ReadonlySet<string> = new Set(["A", "AAAA", "CNAME"]);

/** When something at a host was published last; a certificate takes its time from there. */
const publishedAt = ({ journal, domain }: SiteContext, host: DomainName): number | undefined =>
  journal
    ?.publications(domain.name)
    .findLast(
      ({ opened, closed }) =>
        closed?.end === "published" &&
        opened.changes.some((change) => change.name === host && LEADING.has(change.type) && change.after !== undefined),
    )?.closed?.at;

async function checkHost(site: SiteContext, host: DomainName): Promise<SiteCheck[]> {
  const { domain, workspace, dns, web } = site;
  const plain = withoutRootDot(host);
  const { found, failure } = await addressesAt(dns, host);
  const addresses = judgeAddresses(host, found, await wantedAddresses(domain, host, dns), failure);
  if (found === undefined || found.length === 0) return addresses;
  const chain = await followPage(`https://${plain}/`, web);
  const certificate = judgeCertificate(plain, chain[0] as Fetched, dns.now, publishedAt(site, host));
  return [...addresses, certificate, ...judgePage(plain, chain), ...(await caaChecks(host, workspace, dns))];
}

/** Whether a domain is meant to lead visitors anywhere. */
export const hasSite = ({ role }: Domain): boolean => role !== "sending" && role !== "parked";

/** The domain that a redirect domain leads to; undefined where neither its file nor the workspace says. */
function redirectTarget(domain: Domain, workspace: Workspace): DomainName | undefined {
  const main = workspace.domains.filter((other) => other.role === "main");
  return domain.redirectTo ?? (main.length === 1 ? main[0]?.name : undefined);
}

/** Hosts that asks lead somewhere on the web: shops, interfaces, links in mail. */
function otherHosts({ domain }: SiteContext, known: readonly DomainName[]): DomainName[] {
  const hosts = domain.asks
    .filter(({ purpose }) => purpose === "site" || purpose === "redirect" || purpose === "tracking")
    .flatMap(({ wants }) => wants.flatMap((want) => (want.kind === "records" && LEADING.has(want.type) ? [want.name] : [])));
  return [...new Set(hosts)].filter(
    (host) => !known.includes(host) && !host.startsWith("_") && !host.includes("._") && !host.startsWith("*."),
  );
}

/** The domain itself and `www`, each for itself and both together. */
async function checkPair(site: SiteContext, www: DomainName): Promise<SiteCheck[]> {
  const { domain, web } = site;
  const hosts = [domain.name, www];
  const each = await Promise.all(hosts.map((host) => checkHost(site, host)));
  // What cannot be reached, or shows no site at all, says so by itself.
  const none = (siteCheck: SiteCheck) =>
    (siteCheck.id === "address" && siteCheck.met !== true) || siteCheck.id === "parked" || siteCheck.id === "wrong-service";
  if (each.flat().some(none)) return each.flat();
  const urls = hosts.map(withoutRootDot).flatMap((host) => [`http://${host}${PROBE}`, `https://${host}${PROBE}`]);
  const chains = new Map(await Promise.all(urls.map(async (url) => [url, await followPage(url, web)] as const)));
  return [...each.flat(), ...judgePair({ apex: withoutRootDot(domain.name), www: withoutRootDot(www), chains })];
}

/** A domain that only redirects: at both names, over HTTP and HTTPS. */
async function checkRedirect(site: SiteContext, www: DomainName): Promise<SiteCheck[]> {
  const { domain, workspace, dns, web } = site;
  const leadsTo = redirectTarget(domain, workspace);
  if (leadsTo === undefined)
    return [
      checksOf("redirect", displayName(domain.name)).unknown(
        clause("site-no-target", { domain: domain.name }),
        clause("site-no-target-mend", { domain: domain.name }),
      ),
    ];
  const target = withoutRootDot(leadsTo);
  const alsoAt = [target.startsWith("www.") ? target.slice(4) : `www.${target}`];
  const per = [domain.name, www].map(async (host) => {
    const { found, failure } = await addressesAt(dns, host);
    const addresses = judgeAddresses(host, found, await wantedAddresses(domain, host, dns), failure);
    if (found === undefined || found.length === 0) return addresses;
    const plain = withoutRootDot(host);
    const [bare, secure] = [`http://${plain}${PROBE}`, `https://${plain}${PROBE}`];
    const [chain, secureChain] = await Promise.all([followPage(bare, web), followPage(secure, web)]);
    return [
      ...addresses,
      judgeRedirect(bare, chain, target, alsoAt),
      judgeRedirect(secure, secureChain, target, alsoAt),
      judgeCertificate(plain, secureChain[0] as Fetched, dns.now, publishedAt(site, host)),
    ];
  });
  return (await Promise.all(per)).flat();
}

/** Where the names of a domain lead: the domain itself and `www` together, and every host that an ask leads somewhere. */
export async function checkDomain(site: SiteContext): Promise<SiteCheck[]> {
  const { domain } = site;
  const www = under(name("www"), domain.name) as DomainName;
  const main = await (domain.role === "redirect" ? checkRedirect(site, www) : checkPair(site, www));
  const others = await Promise.all(otherHosts(site, [domain.name, www]).map((host) => checkHost(site, host)));
  return [...main, ...others.flat()];
}
