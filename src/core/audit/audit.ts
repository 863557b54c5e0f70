import { type AuditInput, gatherFacts, type Unresolved } from "./facts.ts";
import { AREAS, type Finding, type Rule, SEVERITIES } from "./finding.ts";
import { bulk, certificate, parked, transport } from "./rules/certificate-and-bulk.ts";
import { delegation } from "./rules/delegation.ts";
import { dkim } from "./rules/dkim.ts";
import { dmarc, reports } from "./rules/dmarc.ts";
import { mailIn } from "./rules/mail-in.ts";
import { ownership } from "./rules/ownership.ts";
import { site } from "./rules/site.ts";
import { spf } from "./rules/spf.ts";
import { wildcard } from "./rules/wildcard.ts";

/** Everything the audit can say, in the order of the areas. */
export const CATALOGUE: readonly Rule[] = [
  delegation,
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
  readonly findings: readonly Finding[];
  /** What could not be asked; a finding may be missing because of it. */
  readonly unresolved: readonly Unresolved[];
}

/** Looks at a domain and applies every rule; the worst findings come first. */
export async function audit(input: AuditInput): Promise<Audit> {
  const facts = await gatherFacts(input);
  const findings = CATALOGUE.flatMap(({ check, ...rule }) => check(facts).map((seen): Finding => ({ ...rule, ...seen })));
  const order = (one: Finding): number => SEVERITIES.indexOf(one.severity) * AREAS.length + AREAS.indexOf(one.area);
  return { findings: findings.sort((a, b) => order(a) - order(b)), unresolved: facts.unresolved };
}
