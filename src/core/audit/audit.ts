import type { AuditInput, Unresolved } from "./facts.ts";
import { AREAS, type Area, type Finding, type Rule, SEVERITIES } from "./finding.ts";
import { gatherFacts } from "./gather.ts";
import { type Providers, providersOf } from "./providers.ts";
import { type Right, whatIsRight } from "./right.ts";
import { bulk, certificate, parked, transport } from "./rules/certificate-and-bulk.ts";
import { delegation } from "./rules/delegation.ts";
import { dkim } from "./rules/dkim.ts";
import { dmarc, NOTHING_PASSES } from "./rules/dmarc.ts";
import { dnssec } from "./rules/dnssec.ts";
import { mailIn } from "./rules/mail-in.ts";
import { ownership } from "./rules/ownership.ts";
import { reports } from "./rules/reports.ts";
import { site } from "./rules/site.ts";
import { spf } from "./rules/spf.ts";
import { wildcard } from "./rules/wildcard.ts";

/** Everything the audit can say, in the order of the areas. */
export const CATALOGUE: readonly Rule[] = [
  delegation,
  dnssec,
  wildcard,
  ownership,
  mailIn,
  spf,
  dkim,
  dmarc,
  reports,
  certificate,
  site,
  parked,
  transport,
  bulk,
].flat();

/** The audit of one domain. */
export interface Audit {
  /** What was checked and is right. */
  readonly right: readonly Right[];
  readonly findings: readonly Finding[];
  /** What could not be asked; a finding may be missing because of it. */
  readonly unresolved: readonly Unresolved[];
  readonly providers: Providers;
}

/** Looks at a domain and applies every rule; the worst findings come first. */
export async function audit(input: AuditInput): Promise<Audit> {
  const facts = await gatherFacts(input);
  const { areas = [] } = input;
  const isLookedAt = ({ area }: { readonly area: Area }): boolean => areas.length === 0 || areas.includes(area);
  const findings = CATALOGUE.filter(isLookedAt).flatMap(({ check, ...rule }) =>
    check(facts).map((seen): Finding => ({ ...rule, ...seen })),
  );
  // Where no mail can pass, nothing else matters until that is mended.
  const order = (one: Finding): number =>
    one.id === NOTHING_PASSES ? -1 : SEVERITIES.indexOf(one.severity) * AREAS.length + AREAS.indexOf(one.area);
  findings.sort((a, b) => order(a) - order(b));
  return {
    right: whatIsRight(facts, findings).filter(isLookedAt),
    findings,
    unresolved: facts.unresolved,
    providers: providersOf(facts),
  };
}
