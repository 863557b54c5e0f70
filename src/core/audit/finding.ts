import type { Facts } from "./facts.ts";

/** How bad a finding is, the worst first. */
export const SEVERITIES = ["breaks", "risks", "untidy", "note"] as const;
export type Severity = (typeof SEVERITIES)[number];

export const AREAS = [
  "delegation",
  "wildcard",
  "ownership",
  "mail-in",
  "spf",
  "dkim",
  "dmarc",
  "reports",
  "certificate",
  "site",
  "parked",
  "transport",
  "bulk",
] as const;
export type Area = (typeof AREAS)[number];

/** What a rule saw, and what to do about it; both are sentences without their full stop. */
export interface Seen {
  readonly evidence: string;
  readonly remedy: string;
}

/** One entry of the catalogue: what may be wrong, why it matters, and how it is seen. */
export interface Rule {
  /** Stable for ever; programs rely on it. */
  readonly id: string;
  readonly area: Area;
  readonly severity: Severity;
  readonly title: string;
  /** Why it matters, in the words of somebody who answers for mail and launches. */
  readonly why: string;
  /** The standard and section it rests on. */
  readonly standard: string;
  check(facts: Facts): readonly Seen[];
}

/** One thing the audit has to say about a domain. */
export interface Finding extends Seen {
  readonly id: string;
  readonly area: Area;
  readonly severity: Severity;
  readonly title: string;
  readonly why: string;
  readonly standard: string;
}

type Entry = readonly [
  id: string,
  severity: Severity,
  standard: string,
  title: string,
  why: string,
  check: (facts: Facts) => readonly Seen[],
];

/** Rules of one area, written as a table. */
export const rulesOf = (area: Area, entries: readonly Entry[]): Rule[] =>
  entries.map(([id, severity, standard, title, why, check]) => ({ id, area, severity, standard, title, why, check }));

/** One sighting where something holds, none where not. */
export const when = (met: boolean, evidence: string, remedy: string): Seen[] => (met ? [{ evidence, remedy }] : []);

/** At least as bad as a severity. */
export const isAtLeast = (one: Severity, threshold: Severity): boolean =>
  SEVERITIES.indexOf(one) <= SEVERITIES.indexOf(threshold);
