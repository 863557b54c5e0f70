import type { DomainName } from "../name/index.ts";
import type { Area } from "./area.ts";
import type { Facts } from "./facts.ts";

/** How bad a finding is, the worst first. */
export const SEVERITIES = ["breaks", "risks", "untidy", "note"] as const;
export type Severity = (typeof SEVERITIES)[number];

/** How one thing that may be wrong is seen. What is said about it is in `present/audit/words`, by its id. */
export interface Rule<S extends object = object> {
  readonly severity: Severity;
  /** The standard and section it rests on. */
  readonly standard: string;
  /** What its sentences need, once for every place where it is so; empty where it is not. */
  check(facts: Facts): readonly S[];
}

/** One thing the audit has to say about a domain: which of its rules, and what that rule saw. */
export interface FindingOf<A extends Area, I extends string, S> {
  /** Stable for ever; programs rely on it. */
  readonly id: I;
  readonly area: A;
  readonly severity: Severity;
  readonly standard: string;
  readonly domain: DomainName;
  readonly seen: S;
}

export const rule = <S extends object>(severity: Severity, standard: string, check: (facts: Facts) => readonly S[]): Rule<S> => ({
  severity,
  standard,
  check,
});

/** A sighting of which there is nothing more to say than that it is so. */
export type Plain = Readonly<Record<never, never>>;

/** One sighting where something holds, none where not. */
export function when(met: boolean): Plain[];
export function when<S extends object>(met: boolean, seen: S): S[];
export function when(met: boolean, seen: object = {}): object[] {
  return met ? [seen] : [];
}

/** At least as bad as a severity. */
export const isAtLeast = (one: Severity, threshold: Severity): boolean =>
  SEVERITIES.indexOf(one) <= SEVERITIES.indexOf(threshold);
