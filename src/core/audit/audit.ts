import { NOTHING } from "../clause/index.ts";
import { AREAS, type Area } from "./area.ts";
import type { AuditInput, Unresolved } from "./facts.ts";
import { type FindingOf, type Rule, SEVERITIES } from "./finding.ts";
import { gatherFacts, isNoName, isNotRegistered } from "./gather.ts";
import { type Providers, providersOf } from "./providers.ts";
import { type Right, whatIsRight } from "./right.ts";
import { bulk, certificate, parked, transport } from "./rules/certificate-and-bulk.ts";
import { delegation } from "./rules/delegation.ts";
import { dkim } from "./rules/dkim.ts";
import { dmarc } from "./rules/dmarc.ts";
import { dnssec } from "./rules/dnssec.ts";
import { mailIn } from "./rules/mail-in.ts";
import { ownership } from "./rules/ownership.ts";
import { reports } from "./rules/reports.ts";
import { site } from "./rules/site.ts";
import { spf } from "./rules/spf.ts";
import { wildcard } from "./rules/wildcard.ts";

/** All rules, by area and id. */
const RULES = {
  delegation: { ...delegation, ...dnssec },
  wildcard,
  ownership,
  "mail-in": mailIn,
  spf,
  dkim,
  dmarc,
  reports,
  certificate,
  site,
  parked,
  transport,
  bulk,
} satisfies Record<Area, Readonly<Record<string, Rule>>>;

type Rules = typeof RULES;

/** What each rule sees, by area and id. */
export type Sightings = {
  readonly [A in Area]: { readonly [I in keyof Rules[A]]: Rules[A][I] extends Rule<infer S> ? S : never };
};

/** The findings of one area. */
type FindingIn<A extends Area> = {
  [I in keyof Sightings[A] & string]: FindingOf<A, I, Sightings[A][I]>;
}[keyof Sightings[A] & string];

export type Finding = { [A in Area]: FindingIn<A> }[Area];
type FindingId = Finding["id"];

/** A rule with its name and place. */
export interface CatalogueEntry extends Rule {
  readonly id: FindingId;
  readonly area: Area;
}

/** Everything the audit can say, in the order of the areas. */
export const CATALOGUE: readonly CatalogueEntry[] = AREAS.flatMap((area) =>
  Object.entries(RULES[area]).map(([id, rule]: [string, Rule]) => ({ id: id as FindingId, area, ...rule })),
);

/** The finding that comes next: mail is lost at this moment. */
const NOTHING_PASSES: FindingId = "dmarc-without-checks";

/** What takes the whole domain away comes before all others. */
const takesAll = ({ area, severity }: Finding): boolean => area === "delegation" && severity === "breaks";

/** The audit of one domain. */
export interface Audit {
  /** What was checked and is right. */
  readonly right: readonly Right[];
  readonly findings: readonly Finding[];
  /** What could not be asked; a finding may be missing because of it. */
  readonly unresolved: readonly Unresolved[];
  readonly providers: Providers;
}

/** What there is besides of a domain or a name that is not there. */
const NOTHING_ELSE: Omit<Audit, "findings"> = {
  right: [],
  unresolved: [],
  providers: { nameServers: [], mail: [], signing: [], sending: [] },
};

/** The one finding of a domain that is not registered, or of a name that is not there, whichever areas are looked at. */
function onlyFinding(id: "delegation-missing" | "name-missing", { domain, authority }: AuditInput): Audit {
  const because = "because" in authority ? authority.because : NOTHING;
  const seen = authority.kind === "within" ? { zone: authority.zone } : { because };
  const { check: _, ...rule } = CATALOGUE.find((candidate) => candidate.id === id) as CatalogueEntry;
  return { ...NOTHING_ELSE, findings: [{ ...rule, domain, seen } as Finding] };
}

/** Looks at a domain and applies every rule; the worst findings come first. */
export async function audit(input: AuditInput): Promise<Audit> {
  // Of a domain that is not there nothing else is right or wrong, and nothing more is asked.
  if (await isNotRegistered(input)) return onlyFinding("delegation-missing", input);
  if (await isNoName(input)) return onlyFinding("name-missing", input);
  const facts = await gatherFacts(input);
  const { areas = [] } = input;
  const isLookedAt = ({ area }: { readonly area: Area }): boolean => areas.length === 0 || areas.includes(area);
  const { domain } = input;
  const findings = CATALOGUE.filter(isLookedAt).flatMap(({ check, ...rule }) =>
    check(facts).map((seen) => ({ ...rule, domain, seen }) as Finding),
  );
  // Where the domain is gone, or no mail can pass, nothing else matters until that is mended.
  const order = (finding: Finding): number => {
    if (takesAll(finding)) return -2;
    if (finding.id === NOTHING_PASSES) return -1;
    return SEVERITIES.indexOf(finding.severity) * AREAS.length + AREAS.indexOf(finding.area);
  };
  findings.sort((a, b) => order(a) - order(b));
  return {
    right: whatIsRight(facts, findings).filter(isLookedAt),
    findings,
    unresolved: facts.unresolved,
    providers: providersOf(facts),
  };
}
