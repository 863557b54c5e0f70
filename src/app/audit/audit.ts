import { statSync } from "node:fs";
import { relative } from "node:path";
import * as z from "zod";
import { dnsWants, recordsWanted } from "../../core/ask/index.ts";
import { type Audit, audit, CATALOGUE, isAtLeast, SEVERITIES, type Severity } from "../../core/audit/index.ts";
import { keyNameOf } from "../../core/dkim/index.ts";
import { Failure } from "../../core/failure.ts";
import { type DomainName, isBelow, withoutRootDot } from "../../core/name/index.ts";
import { type DataOf, decodeUtf8, txtValue } from "../../core/record/index.ts";
import type { SiteCheck } from "../../core/site/index.ts";
import { organizationalDomain } from "../../core/suffix/index.ts";
import { type Domain, findWorkspace, type Journal, keyPath, openWorkspace, type Workspace } from "../../workspace/index.ts";
import { survey } from "../asks/survey.ts";
import type { AppContext, CommonRequest, Ended, Outcome } from "../context.ts";
import { type DnsContext, type DnsOptions, nameOperand, openDns } from "../dns/context.ts";
import { knownSelectors, privateKeyOf } from "../mail/dkim-check.ts";
import { domainName } from "../shapes.ts";
import { checkDomain, hasSite } from "../site/check.ts";

export const auditDomainsSchema = z.object({
  domains: z.array(
    z.object({
      domain: domainName,
      right: z.array(z.object({ area: z.string(), because: z.string() })).describe("what was checked and is right"),
      findings: z.array(
        z.object({
          id: z.string(),
          area: z.string(),
          severity: z.enum(SEVERITIES),
          title: z.string(),
          evidence: z.string(),
          why: z.string(),
          remedy: z.string(),
          standard: z.string(),
        }),
      ),
      unresolved: z
        .array(z.object({ name: domainName, type: z.string(), because: z.string() }))
        .describe("questions nobody could answer; a finding may be missing because of them"),
    }),
  ),
  catalogue: z
    .array(
      z.object({
        id: z.string(),
        area: z.string(),
        severity: z.enum(SEVERITIES),
        title: z.string(),
        why: z.string(),
        standard: z.string(),
      }),
    )
    .describe("only with --list"),
});

export type AuditDomainsResult = z.output<typeof auditDomainsSchema>;

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

/** Audits one domain with whatever the workspace knows of it. */
async function auditOne(
  domain: DomainName,
  own: Domain | undefined,
  workspace: Workspace | undefined,
  journal: Journal | undefined,
  dns: DnsContext,
  extra: readonly string[],
  context: AppContext,
): Promise<Audit> {
  const surveyed = own === undefined || workspace === undefined ? undefined : await survey(own, dns, workspace, journal);
  const look = surveyed?.look ?? (await dns.look({ name: domain, host: undefined }));
  const selectors = [...new Set([...extra, ...knownSelectors(workspace, domain, dns.names)])];
  const files =
    workspace === undefined
      ? []
      : selectors
          .filter((one) => privateKeyOf(workspace, domain, one) !== undefined)
          .map((one) => keyPath(workspace.folder, domain, one));
  const web = own === undefined || workspace === undefined ? undefined : await webOf(own, workspace, dns, journal);
  const flattened = journal?.entries(domain, "spf-flattened").at(-1)?.sources ?? [];
  return audit({
    domain,
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
    openKeyFiles: files.filter((path) => (statSync(path).mode & 0o077) !== 0).map((path) => relative(context.cwd, path)),
    asks: (surveyed?.asks ?? []).map(({ ask, state, because }) => ({ id: ask.id, state, because })),
    wantedTexts: (own?.asks ?? []).flatMap((ask) =>
      recordsWanted(ask.wants).flatMap((one) =>
        one.name === domain && one.type === "TXT" ? [decodeUtf8(txtValue(one.data as DataOf["TXT"]))] : [],
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
    undelegatedHosts: look.undelegatedHosts.map((one) => one.title),
    issuers:
      workspace === undefined || own === undefined
        ? []
        : Object.entries(workspace.settings.services).flatMap(([key, { title, issuer }]) =>
            issuer === undefined || !own.asks.some((ask) => ask.service === key) ? [] : [{ title, issuer }],
          ),
    flattened,
  });
}

const listing = (): AuditDomainsResult => ({ domains: [], catalogue: CATALOGUE.map(({ check: _, ...rule }) => rule) });

/** What {@link auditDomains} is asked. */
export interface AuditDomainsRequest extends CommonRequest, DnsOptions {
  readonly selector: readonly string[];
  readonly failOn: Severity | "never";
  readonly list: boolean;
}

/** Everything that is wrong with a domain's delegation, mail, keys, policies and site, what it means, and what to do. */
export async function auditDomains(request: AuditDomainsRequest, context: AppContext): Promise<Outcome<AuditDomainsResult>> {
  if (request.list) return { ended: "fine", result: listing() };
  const folder = findWorkspace(context.cwd, request.workspace);
  const workspace = folder === undefined ? undefined : openWorkspace(context.cwd, folder);
  const names =
    request.operands.length > 0 ? request.operands.map(nameOperand) : (workspace?.domains ?? []).map((one) => one.name);
  if (names.length === 0) throw new Failure("no-domain", {});
  const selectors = request.selector ?? [];
  for (const one of selectors)
    if (keyNameOf(names[0] as DomainName, one) === undefined) throw new Failure("not-a-selector", { given: one });
  const dns = openDns(request, context, workspace?.settings, names);
  const journal = workspace?.hasJournal === true ? await workspace.openJournal() : undefined;
  try {
    const domains: AuditDomainsResult["domains"] = [];
    for (const [i, name] of names.entries()) {
      context.progress(`Asking about ${withoutRootDot(name)}${names.length > 1 ? `, ${i + 1} of ${names.length}` : ""} …\n`);
      const own = workspace?.domains.find((one) => one.name === name);
      const { right, findings, unresolved } = await auditOne(name, own, workspace, journal, dns, selectors, context);
      domains.push({
        domain: name,
        right: right.map((one) => ({ ...one })),
        findings: findings.map((one) => ({ ...one })),
        unresolved: unresolved.map((one) => ({ ...one })),
      });
    }
    const shown: AuditDomainsResult = { domains, catalogue: [] };
    const threshold = request.failOn as Severity | "never";
    const fails =
      threshold !== "never" && domains.some(({ findings }) => findings.some((one) => isAtLeast(one.severity, threshold)));
    const ended: Ended = fails ? "problem" : domains.some((one) => one.unresolved.length > 0) ? "undetermined" : "fine";
    return { ended, result: shown };
  } finally {
    journal?.close();
    dns.close();
  }
}
