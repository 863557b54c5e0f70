import {
  CATALOGUE,
  type Finding,
  isAtLeast,
  type Providers,
  SEVERITIES,
  type Severity,
  type Unresolved,
} from "../audit/index.ts";

/** A finding as it is kept: the rest of it is in the catalogue, by its id. */
export type KeptFinding = Pick<Finding, "id" | "evidence" | "remedy">;

/** What the audit of one domain of a sweep came to. */
export interface SweepResult {
  readonly findings: readonly KeptFinding[];
  /** What nobody could be asked; a finding may be missing because of it. */
  readonly unresolved: readonly Unresolved[];
  readonly providers: Providers;
}

const RULES: ReadonlyMap<string, (typeof CATALOGUE)[number]> = new Map(CATALOGUE.map((rule) => [rule.id, rule]));

const severityOf = ({ id }: KeptFinding): Severity => RULES.get(id)?.severity ?? "note";

/** A kept finding with what the catalogue says of it; one whose rule is gone keeps its id for a title. */
export function wholeFinding(kept: KeptFinding): Omit<Finding, "area"> & { readonly area: string } {
  const rule = RULES.get(kept.id);
  const { area = "", severity = "note", title = kept.id, why = "", standard = "" } = rule ?? {};
  return { ...kept, area, severity, title, why, standard };
}

/** How bad the worst of some findings is; undefined where there are none, or only notes that ask for nothing. */
export function worstSeverity(findings: readonly KeptFinding[]): Severity | undefined {
  const severities = findings.map(severityOf);
  return SEVERITIES.find((severity) => severity !== "note" && severities.includes(severity));
}

/** Whether any of some findings is at least as bad as a severity. */
export const anyAtLeast = (findings: readonly KeptFinding[], threshold: Severity): boolean =>
  findings.some((one) => isAtLeast(severityOf(one), threshold));
