import * as z from "zod";
import { Failure } from "../../core/failure.ts";
import { type DomainName, displayName, name, under, withoutRootDot } from "../../core/name/index.ts";
import type { DataOf } from "../../core/record/index.ts";
import {
  judgeAddresses,
  judgeCertificate,
  judgePage,
  judgePair,
  judgeRedirect,
  mayIssue,
  type SiteCheck,
} from "../../core/site/index.ts";
import { fetchPage, followPage, type WebOptions } from "../../net/web.ts";
import type { Domain, Journal, Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import type { DnsContext, DnsOptions } from "../dns/context.ts";
import { domainOperands, reading } from "../session.ts";
import { domainName, time } from "../shapes.ts";

export const siteSchema = z.object({
  at: time,
  domains: z.array(
    z.object({
      domain: domainName,
      role: z.string(),
      checks: z.array(
        z.object({
          id: z.string(),
          name: z.string(),
          met: z.boolean().nullable().describe("null: could not be determined"),
          because: z.string(),
          remedy: z.string(),
        }),
      ),
    }),
  ),
});

export type SiteResult = z.output<typeof siteSchema>;

/** A path with a query that no site has, to see whether a redirect keeps them. */
const PROBE = "/zandrel/check?kept=yes";

const addressesAt = async (
  dns: DnsContext,
  host: DomainName,
): Promise<{ found: readonly string[] | undefined; failure: string }> => {
  const answers = await Promise.all([dns.world.ask(host, "A"), dns.world.ask(host, "AAAA")]);
  const failure = answers.find((answer) => answer.kind === "failed");
  const found = answers.flatMap((answer) =>
    answer.kind === "found" ? answer.set.data.map((data) => (data as DataOf["A"]).address) : [],
  );
  return {
    found: failure?.kind === "failed" && found.length === 0 ? undefined : found,
    failure: failure?.kind === "failed" ? failure.detail : "",
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
      const met = verdict.kind === "unknown" ? undefined : verdict.kind === "allowed";
      const remedy =
        verdict.kind === "forbidden"
          ? `add this record at ${displayName(verdict.at)}: CAA 0 issue "${issuer}"`
          : verdict.kind === "unknown"
            ? "try again when the name servers answer"
            : "";
      return {
        id: "caa",
        name: displayName(host),
        met,
        because: met === true ? `${title} may issue a certificate: ${verdict.because}` : verdict.because,
        remedy,
      };
    }),
  );
}

/** What the checks of one domain look at. */
interface Looking {
  readonly domain: Domain;
  readonly workspace: Workspace;
  readonly dns: DnsContext;
  readonly web: WebOptions;
  readonly journal: Journal | undefined;
}

/** Types that lead visitors somewhere. */
const LEADING: ReadonlySet<string> = new Set(["A", "AAAA", "CNAME"]);

/** When something at a host was published last; a certificate takes its time from there. */
const publishedAt = ({ journal, domain }: Looking, host: DomainName): number | undefined =>
  journal
    ?.publications(domain.name)
    .findLast(
      ({ opened, closed }) =>
        closed?.end === "published" &&
        opened.changes.some((change) => change.name === host && LEADING.has(change.type) && change.after !== undefined),
    )?.closed?.at;

async function checkHost(looking: Looking, host: DomainName): Promise<SiteCheck[]> {
  const { domain, workspace, dns, web } = looking;
  const plain = withoutRootDot(host);
  const { found, failure } = await addressesAt(dns, host);
  const addresses = judgeAddresses(host, found, await wantedAddresses(domain, host, dns), failure);
  if (found === undefined || found.length === 0) return addresses;
  const certificate = judgeCertificate(plain, await fetchPage(`https://${plain}/`, web), dns.now, publishedAt(looking, host));
  const page = judgePage(plain, await followPage(`https://${plain}/`, web));
  return [...addresses, certificate, ...page, ...(await caaChecks(host, workspace, dns))];
}

/** The domain that a redirect domain leads to. */
function redirectTarget(domain: Domain, workspace: Workspace): DomainName {
  const main = workspace.domains.filter((other) => other.role === "main");
  const target = domain.redirectTo ?? (main.length === 1 ? main[0]?.name : undefined);
  if (target === undefined) throw new Failure("no-redirect-target", { path: domain.path, domain: domain.name });
  return target;
}

/** Hosts that asks lead somewhere on the web: shops, interfaces, links in mail. */
function otherHosts({ domain }: Looking, known: readonly DomainName[]): DomainName[] {
  const hosts = domain.asks
    .filter(({ purpose }) => purpose === "site" || purpose === "redirect" || purpose === "tracking")
    .flatMap(({ wants }) => wants.flatMap((want) => (want.kind === "records" && LEADING.has(want.type) ? [want.name] : [])));
  return [...new Set(hosts)].filter(
    (host) => !known.includes(host) && !host.startsWith("_") && !host.includes("._") && !host.startsWith("*."),
  );
}

/** The domain itself and `www`, each for itself and both together. */
async function checkPair(looking: Looking, www: DomainName): Promise<SiteCheck[]> {
  const { domain, web } = looking;
  const hosts = [domain.name, www];
  const each = await Promise.all(hosts.map((host) => checkHost(looking, host)));
  // What cannot be reached, or shows no site at all, says so by itself.
  const none = (one: SiteCheck) =>
    (one.id === "address" && one.met !== true) || one.id === "parked" || one.id === "wrong-service";
  if (each.flat().some(none)) return each.flat();
  const urls = hosts.map(withoutRootDot).flatMap((host) => [`http://${host}${PROBE}`, `https://${host}${PROBE}`]);
  const chains = new Map(await Promise.all(urls.map(async (url) => [url, await followPage(url, web)] as const)));
  return [...each.flat(), ...judgePair({ apex: withoutRootDot(domain.name), www: withoutRootDot(www), chains })];
}

/** A domain that only redirects: at both names, over HTTP and HTTPS. */
async function checkRedirect(looking: Looking, www: DomainName): Promise<SiteCheck[]> {
  const { domain, workspace, dns, web } = looking;
  const target = withoutRootDot(redirectTarget(domain, workspace));
  const alsoAt = [target.startsWith("www.") ? target.slice(4) : `www.${target}`];
  const per = [domain.name, www].map(async (host) => {
    const { found, failure } = await addressesAt(dns, host);
    const addresses = judgeAddresses(host, found, await wantedAddresses(domain, host, dns), failure);
    if (found === undefined || found.length === 0) return addresses;
    const plain = withoutRootDot(host);
    const start = [`http://${plain}${PROBE}`, `https://${plain}${PROBE}`];
    const redirects = await Promise.all(start.map(async (url) => judgeRedirect(url, await followPage(url, web), target, alsoAt)));
    return [
      ...addresses,
      ...redirects,
      judgeCertificate(plain, await fetchPage(`https://${plain}/`, web), dns.now, publishedAt(looking, host)),
    ];
  });
  return (await Promise.all(per)).flat();
}

async function checkDomain(looking: Looking): Promise<SiteCheck[]> {
  const { domain } = looking;
  const www = under(name("www"), domain.name) as DomainName;
  const main = await (domain.role === "redirect" ? checkRedirect(looking, www) : checkPair(looking, www));
  const others = await Promise.all(otherHosts(looking, [domain.name, www]).map((host) => checkHost(looking, host)));
  return [...main, ...others.flat()];
}

/** What {@link site} is asked. */
export interface SiteRequest extends CommonRequest, DnsOptions {
  /** Whether to look again until all is well. */
  readonly wait: boolean;
  /** Milliseconds after which waiting ends. */
  readonly for: number;
}

/** Pause between two looks while waiting (milliseconds of the clock). */
const PAUSE = 30_000;

/** Check where the names lead: apex and www together, every host of an ask, permanent redirect, certificate, CAA. */
export async function site(request: SiteRequest, context: AppContext): Promise<Outcome<SiteResult>> {
  const stopAt = context.clock.now() + request.for;
  for (;;) {
    const outcome = await siteOnce(request, context);
    const now = context.clock.now();
    if (!request.wait || outcome.ended === "fine" || now >= stopAt) return outcome;
    const open = outcome.result?.domains.flatMap(({ checks }) => checks).filter(({ met }) => met !== true).length ?? 0;
    context.progress(`${open} not right yet; looking again\n`);
    await context.clock.sleep(Math.min(PAUSE, stopAt - now));
  }
}

async function siteOnce(request: SiteRequest, context: AppContext): Promise<Outcome<SiteResult>> {
  const pick = (workspace: Workspace) => {
    const named = domainOperands(request.operands)(workspace);
    return request.operands.length > 0 ? named : named.filter((domain) => domain.role !== "sending" && domain.role !== "parked");
  };
  return reading(request, context, pick, async ({ workspace, domains, dns }, journal) => {
    const { web } = dns;
    if (web === undefined) throw new Failure("no-web-in-files", {});
    const shown = await Promise.all(
      domains.map(async (domain) => ({
        domain: domain.name,
        role: domain.role,
        checks: (await checkDomain({ domain, workspace, dns, web, journal })).map((one) => ({ ...one, met: one.met ?? null })),
      })),
    );
    const all = shown.flatMap((one) => one.checks);
    const ended = all.some((one) => one.met === false)
      ? "problem"
      : all.some((one) => one.met === null)
        ? "undetermined"
        : "fine";
    return { ended, result: { at: dns.now, domains: shown } };
  });
}
