import { statSync } from "node:fs";
import { relative } from "node:path";
import { dnsWants, recordsWanted } from "../../core/ask/index.ts";
import { type Area, type Audit, audit } from "../../core/audit/index.ts";
import { clause } from "../../core/clause/index.ts";
import { type DomainName, isBelow } from "../../core/name/index.ts";
import { type DataOf, decodeUtf8, txtValue } from "../../core/record/index.ts";
import type { SiteCheck } from "../../core/site/index.ts";
import { organizationalDomain } from "../../core/suffix/index.ts";
import { type Domain, type Journal, keyPath, type Workspace } from "../../workspace/index.ts";
import type { DnsContext } from "../dns/context.ts";
import { knownSelectors, privateKeyOf } from "../mail/dkim-check.ts";
import { checkDomain, hasSite } from "../site/check.ts";
import { lossParameters } from "../standing/losses.ts";
import { survey } from "../standing/survey.ts";

/** What visitors meet at a domain that has a site; undefined where there is none, or answers come from files. */
async function webOf(
  domain: Domain,
  workspace: Workspace,
  dns: DnsContext,
  journal: Journal | undefined,
): Promise<readonly SiteCheck[] | undefined> {
  const { web } = dns;
  if (web === undefined || !hasSite(domain)) return undefined;
  return checkDomain({ domain, workspace, dns, web, journal });
}

/** What the audit of a domain works with. */
export interface AuditWith {
  readonly workspace: Workspace | undefined;
  readonly journal: Journal | undefined;
  readonly dns: DnsContext;
  /** Selectors to look at besides those that are known. */
  readonly selectors: readonly string[];
  /** The areas that are looked at; all of them where none is named. */
  readonly areas: readonly Area[];
  readonly cwd: string;
}

/** Audits one domain with whatever the workspace knows of it. */
export async function auditDomain(
  domain: DomainName,
  { workspace, journal, dns, selectors: extra, areas, cwd }: AuditWith,
): Promise<Audit> {
  const own = workspace?.domains.find((candidate) => candidate.name === domain);
  const surveyed = own === undefined || workspace === undefined ? undefined : await survey(own, dns, workspace, journal);
  const look = surveyed?.look ?? (await dns.look({ name: domain, host: undefined }));
  const selectors = [...new Set([...extra, ...knownSelectors(workspace, domain, dns.names)])];
  const files =
    workspace === undefined
      ? []
      : selectors
          .filter((candidate) => privateKeyOf(workspace, domain, candidate) !== undefined)
          .map((one) => keyPath(workspace.folder, domain, one));
  const web = own === undefined || workspace === undefined ? undefined : await webOf(own, workspace, dns, journal);
  const flattened = journal?.entries(domain, "spf-flattened").at(-1)?.sources ?? [];
  return audit({
    domain,
    areas,
    role: own?.role,
    lookup: look.lookup ?? dns.world,
    world: dns.world,
    now: Math.floor(dns.now / 1000),
    trust: (name, type) => dns.trust(name, type),
    keysAt: (server) => dns.keysAt(server, domain),
    dsAtParent: () => dns.dsAtParent(domain),
    takesTcp: (server) => dns.takesTcp(server, domain),
    takesEdns: (server) => dns.takesEdns(server, domain),
    trustAt: (server, name, type) => dns.trustAt(server, domain, name, type),
    authority: look.authority,
    organizationalDomain,
    selectors: selectors.map((selector) => {
      const key = privateKeyOf(workspace, domain, selector);
      return { selector, ...(key === undefined ? {} : { own: key }) };
    }),
    openKeyFiles: files.filter((path) => (statSync(path).mode & 0o077) !== 0).map((path) => relative(cwd, path)),
    asks: (surveyed?.asks ?? []).map(({ ask, state, because, causes }) => ({
      ...{ id: ask.id, state, because },
      isRefused: causes.length > 0 && causes.every(({ kind }) => kind.startsWith("dnssec-")),
    })),
    missed: (surveyed?.lost ?? []).map((loss) => clause("sheet-lost", lossParameters(loss))),
    wantedTexts: (own?.asks ?? []).flatMap((ask) =>
      recordsWanted(ask.wants).flatMap((resourceRecord) =>
        resourceRecord.name === domain && resourceRecord.type === "TXT"
          ? [decodeUtf8(txtValue(resourceRecord.data as DataOf["TXT"]))]
          : [],
      ),
    ),
    hosts: [
      ...new Set(
        (own?.asks ?? [])
          .filter((ask) => ask.purpose === "bounce" || ask.purpose === "sending")
          .flatMap((ask) => dnsWants(ask.wants).map((want) => want.name))
          .filter((name) => isBelow(name, domain) && !name.includes("_")),
      ),
    ],
    web,
    undelegatedHosts: look.undelegatedHosts.map((undelegatedHost) => undelegatedHost.title),
    issuers:
      workspace === undefined || own === undefined
        ? []
        : Object.entries(workspace.settings.services).flatMap(([key, { title, issuer }]) =>
            issuer === undefined || !own.asks.some((ask) => ask.service === key) ? [] : [{ title, issuer }],
          ),
    flattened,
  });
}
