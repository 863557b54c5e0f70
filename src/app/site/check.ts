import type { Ask } from "../../core/ask/index.ts";
import { clause } from "../../core/clause/index.ts";
import { type DomainName, displayName, name as nameOf, under, withoutRootDot } from "../../core/name/index.ts";
import type { Cause } from "../../core/ownership/index.ts";
import {
  checksOf,
  type Fetched,
  type HostAsked,
  judgeAddresses,
  judgeCertificate,
  judgePage,
  judgePair,
  judgeRedirect,
  mayIssue,
  type SiteCheck,
  type SiteFlaw,
} from "../../core/site/index.ts";
import { followPage } from "../../net/web.ts";
import type { Domain, Workspace } from "../../workspace/index.ts";
import type { DnsContext } from "../dns/context.ts";
import { addressesOf, askedOf, LEADING, type Site, type SiteContext, wantedAddresses } from "./led.ts";

/** A path with a query that no site has, to see whether a redirect keeps them. */
const PROBE = "/zandrel/check?kept=yes";

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

/** When something at a host was published last; a certificate takes its time from there. */
const publishedAt = ({ journal, domain }: Site, host: DomainName): number | undefined =>
  journal
    ?.publications(domain.name)
    .findLast(
      ({ opened, closed }) =>
        closed?.end === "published" &&
        opened.changes.some((change) => change.name === host && LEADING.has(change.type) && change.after !== undefined),
    )?.closed?.at;

/** Where a host leads; `isLed` says whether it leads anywhere yet, so that its pages can be looked at. */
async function addressChecks(
  site: Site,
  host: DomainName,
  asked: HostAsked,
): Promise<{ readonly addresses: SiteCheck[]; readonly isLed: boolean }> {
  const { found, failure, old } = await addressesOf(site, host);
  const shown = displayName(host);
  // What a resolver remembers is not how it is: nothing is judged by it.
  if (found !== undefined && old !== undefined) {
    const because = clause("site-old-address", { host: shown, found, ...old });
    return { addresses: [checksOf("address", shown).unknown(because, clause("site-old-address-mend"))], isLed: false };
  }
  const addresses = judgeAddresses(host, found, await wantedAddresses(site, host), failure, asked);
  return { addresses, isLed: found !== undefined && found.length > 0 };
}

async function checkHost(site: Site, host: DomainName): Promise<SiteCheck[]> {
  const { workspace, dns, web } = site;
  const plain = withoutRootDot(host);
  const asked = await askedOf(site, host);
  const { addresses, isLed } = await addressChecks(site, host, asked);
  if (!isLed) return addresses;
  const chain = await followPage(`https://${plain}/`, web);
  const certificate = judgeCertificate(plain, chain[0] as Fetched, dns.now, publishedAt(site, host));
  return [...addresses, certificate, ...judgePage(asked, chain), ...(await caaChecks(host, workspace, dns))];
}

/** Whether a domain is meant to lead visitors anywhere. */
export const hasSite = ({ role }: Domain): boolean => role !== "sending" && role !== "parked";

/** The domain that a redirect domain leads to; undefined where neither its file nor the workspace says. */
function redirectTarget(domain: Domain, workspace: Workspace): DomainName | undefined {
  const main = workspace.domains.filter((other) => other.role === "main");
  return domain.redirectTo ?? (main.length === 1 ? main[0]?.name : undefined);
}

/** Hosts that asks lead somewhere on the web: the site, shops, interfaces, links in mail. */
function hostsLed(asks: readonly Ask[]): DomainName[] {
  const hosts = asks
    .filter(({ purpose }) => purpose === "site" || purpose === "redirect" || purpose === "tracking")
    .flatMap(({ wants }) => wants.flatMap((want) => (want.kind === "records" && LEADING.has(want.type) ? [want.name] : [])));
  return [...new Set(hosts)].filter((host) => !host.startsWith("_") && !host.includes("._") && !host.startsWith("*."));
}

/** The domain itself and `www`, each for itself and both together. */
async function checkPair(site: Site, www: DomainName): Promise<SiteCheck[]> {
  const { domain, web } = site;
  const hosts = [domain.name, www];
  const each = await Promise.all(hosts.map((host) => checkHost(site, host)));
  // What cannot be reached, or shows no site at all, says so by itself.
  const none = (siteCheck: SiteCheck) =>
    (siteCheck.id === "address" && siteCheck.met !== true) || ["parked", "wrong-service", "page"].includes(siteCheck.id);
  if (each.flat().some(none)) return each.flat();
  const urls = hosts.map(withoutRootDot).flatMap((host) => [`http://${host}${PROBE}`, `https://${host}${PROBE}`]);
  const chains = new Map(await Promise.all(urls.map(async (url) => [url, await followPage(url, web)] as const)));
  return [...each.flat(), ...judgePair({ apex: withoutRootDot(domain.name), www: withoutRootDot(www), chains })];
}

/** A domain that only redirects: at both names, over HTTP and HTTPS. */
async function checkRedirect(site: Site, www: DomainName): Promise<SiteCheck[]> {
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
    const { addresses, isLed } = await addressChecks(site, host, await askedOf(site, host));
    if (!isLed) return addresses;
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

const lookedAt = async (context: SiteContext): Promise<Site> => ({ ...context, looked: await context.dns.look(context.domain) });

/** Where the names of a domain lead: the domain itself and `www` together, and every host that an ask leads somewhere. */
export async function checkDomain(context: SiteContext): Promise<SiteCheck[]> {
  const site = await lookedAt(context);
  const { domain } = site;
  const www = under(nameOf("www"), domain.name) as DomainName;
  const main = await (domain.role === "redirect" ? checkRedirect(site, www) : checkPair(site, www));
  const others = hostsLed(domain.asks).filter((host) => host !== domain.name && host !== www);
  const checked = await Promise.all(others.map((host) => checkHost(site, host)));
  return [...main, ...checked.flat()];
}

/** What keeps a service from seeing that a host is led to it, although the record is right; a certificate comes afterwards. */
const AT_THE_SERVICE: ReadonlySet<SiteFlaw | undefined> = new Set([
  "wrong-service",
  "unreachable",
  "no-address",
  "missing-address",
]);

/** Why a service that was asked to verify does not take the hosts that an ask leads to it, as far as the web shows it. */
export async function causesOnTheWeb(context: SiteContext, ask: Ask): Promise<Cause[]> {
  const site = await lookedAt(context);
  const checks = await Promise.all(hostsLed([ask]).map((host) => checkHost(site, host)));
  return checks
    .flat()
    .flatMap(({ flaw, name, because, remedy }) =>
      AT_THE_SERVICE.has(flaw) ? [{ kind: "not-at-service" as const, at: name, because, remedy }] : [],
    );
}
