import { CATALOGUE, isAtLeast, type Providers, SEVERITIES, type Severity, type Unresolved } from "../audit/index.ts";

/** A finding as it is kept: what its rule saw; the rest of it is in the catalogue, by its id. */
export interface KeptFinding {
  readonly id: string;
  readonly seen: object;
}

/** What the audit of one domain of a sweep came to. */
export interface SweepResult {
  readonly findings: readonly KeptFinding[];
  /** What nobody could be asked; a finding may be missing because of it. */
  readonly unresolved: readonly Unresolved[];
  readonly providers: Providers;
}

const RULES: ReadonlyMap<string, (typeof CATALOGUE)[number]> = new Map(CATALOGUE.map((rule) => [rule.id, rule]));

/** The rule of a kept finding; undefined where it is gone. */
export const ruleOf = (id: string): (typeof CATALOGUE)[number] | undefined => RULES.get(id);

/** How bad a kept finding is; one whose rule is gone asks for nothing. */
export const severityOf = ({ id }: Pick<KeptFinding, "id">): Severity => ruleOf(id)?.severity ?? "note";

/** How bad the worst of some findings is; undefined where there are none, or only notes that ask for nothing. */
export function worstSeverity(findings: readonly KeptFinding[]): Severity | undefined {
  const severities = findings.map(severityOf);
  return SEVERITIES.find((severity) => severity !== "note" && severities.includes(severity));
}

/**
 * What a domain came to, by its worst finding: `fine` where there is none that asks for anything, and `unknown` where nobody can say
 * that, because not everything could be asked.
 */
export const WORST = ["breaks", "risks", "untidy", "fine", "unknown"] as const;
export type Worst = (typeof WORST)[number];

export const worstOf = ({ findings, unresolved }: Pick<SweepResult, "findings" | "unresolved">): Worst =>
  (worstSeverity(findings) as Exclude<Severity, "note"> | undefined) ?? (unresolved.length > 0 ? "unknown" : "fine");

/** Whether any of some findings is at least as bad as a severity. */
export const anyAtLeast = (findings: readonly KeptFinding[], threshold: Severity): boolean =>
  findings.some((finding) => isAtLeast(severityOf(finding), threshold));
