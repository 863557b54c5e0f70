import { AREAS, type Area, SEVERITIES, type Severity } from "../audit/index.ts";
import { type KeptFinding, ruleOf, type SweepResult, worstSeverity } from "./result.ts";

/** How one domain differs between two sweeps. */
export interface DomainDifference {
  readonly kind: "compared" | "added" | "removed" | "unresolved";
  /** Ids of findings. */
  readonly fixed: readonly string[];
  readonly fresh: readonly string[];
  /** Whether the worst finding is worse than the worst one before. */
  readonly worse: boolean;
}

const rank = (severity: Severity | undefined): number =>
  severity === undefined ? SEVERITIES.length : SEVERITIES.indexOf(severity);

/** The areas that two sweeps both looked at; an empty list of checks is all of them. Undefined where they have none in common. */
export function commonAreas(before: readonly Area[], after: readonly Area[]): readonly Area[] | undefined {
  const all = (checks: readonly Area[]) => (checks.length === 0 ? AREAS : checks);
  const both = all(before).filter((area) => all(after).includes(area));
  return both.length === 0 ? undefined : both;
}

/**
 * What changed at one domain, in some areas. Where a later sweep could not ask everything, what is not found any more is not called fixed;
 * where an earlier one could not, what is found now is not called new.
 */
export function compareResults(
  before: SweepResult | undefined,
  after: SweepResult | undefined,
  areas: readonly Area[] = AREAS,
): DomainDifference {
  const none = { fixed: [], fresh: [], worse: false };
  if (before === undefined) return { kind: "added", ...none };
  if (after === undefined) return { kind: "removed", ...none };
  const isCompared = (keptFinding: KeptFinding): boolean => {
    const rule = ruleOf(keptFinding.id);
    return rule !== undefined && rule.severity !== "note" && areas.includes(rule.area);
  };
  const idsOf = (result: SweepResult) => new Set(result.findings.filter(isCompared).map(({ id }) => id));
  const [was, is] = [idsOf(before), idsOf(after)];
  const fixed = after.unresolved.length > 0 ? [] : [...was].filter((id) => !is.has(id));
  const fresh = before.unresolved.length > 0 ? [] : [...is].filter((id) => !was.has(id));
  const unsure = before.unresolved.length + after.unresolved.length > 0;
  return {
    kind: unsure && fixed.length + fresh.length === 0 ? "unresolved" : "compared",
    fixed,
    fresh,
    worse:
      !unsure && rank(worstSeverity(after.findings.filter(isCompared))) < rank(worstSeverity(before.findings.filter(isCompared))),
  };
}
