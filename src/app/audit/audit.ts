import * as z from "zod";
import { type Audit, CATALOGUE, isAtLeast, SEVERITIES, type Severity } from "../../core/audit/index.ts";
import { clause } from "../../core/clause/index.ts";
import { keyNameOf } from "../../core/dkim/index.ts";
import { Failure } from "../../core/failure.ts";
import type { DomainName } from "../../core/name/index.ts";
import { findWorkspace, openWorkspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Ended, Outcome } from "../context.ts";
import { type DnsOptions, nameOperand, openDns } from "../dns/context.ts";
import { domainName, sentence } from "../shapes.ts";
import { auditDomain } from "./one-domain.ts";

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
        .array(z.object({ name: domainName, type: z.string(), because: sentence }))
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

/** What the audit of some domains came to; {@link auditDomainsSchema} is the same in words. */
export interface AuditDomainsResult {
  readonly domains: readonly ({ readonly domain: DomainName } & Pick<Audit, "right" | "findings" | "unresolved">)[];
  readonly catalogue: typeof CATALOGUE;
}

/** What {@link auditDomains} is asked. */
export interface AuditDomainsRequest extends CommonRequest, DnsOptions {
  readonly selector: readonly string[];
  readonly failOn: Severity | "never";
  readonly list: boolean;
}

/** Everything that is wrong with a domain's delegation, mail, keys, policies and site, what it means, and what to do. */
export async function auditDomains(request: AuditDomainsRequest, context: AppContext): Promise<Outcome<AuditDomainsResult>> {
  if (request.list) return { ended: "fine", result: { domains: [], catalogue: CATALOGUE } };
  const folder = findWorkspace(context.cwd, request.workspace);
  const workspace = folder === undefined ? undefined : openWorkspace(context.cwd, folder);
  const names =
    request.operands.length > 0 ? request.operands.map(nameOperand) : (workspace?.domains ?? []).map((one) => one.name);
  if (names.length === 0) throw new Failure("no-domain", {});
  const selectors = request.selector ?? [];
  for (const one of selectors)
    if (keyNameOf(names[0] as DomainName, one) === undefined) throw new Failure("not-a-selector", { given: one });
  const dns = openDns(request, context, workspace?.settings, names);
  const journal = workspace?.hasJournal === true ? await workspace.openJournal(context) : undefined;
  try {
    const domains: AuditDomainsResult["domains"][number][] = [];
    for (const [i, name] of names.entries()) {
      await context.progress(clause("told-looking", { domain: name, nth: i + 1, of: names.length }));
      const using = { workspace, journal, dns, selectors, areas: [], cwd: context.cwd };
      const { right, findings, unresolved } = await auditDomain(name, using);
      domains.push({ domain: name, right, findings, unresolved });
    }
    const shown: AuditDomainsResult = { domains, catalogue: [] };
    const threshold = request.failOn as Severity | "never";
    const fails =
      threshold !== "never" && domains.some(({ findings }) => findings.some((finding) => isAtLeast(finding.severity, threshold)));
    const ended: Ended = fails
      ? "problem"
      : domains.some((candidate) => candidate.unresolved.length > 0)
        ? "undetermined"
        : "fine";
    return { ended, result: shown };
  } finally {
    journal?.close();
    dns.close();
  }
}
