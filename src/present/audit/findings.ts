import { type Area, CATALOGUE, type Finding, type Right, type Severity, type Sightings } from "../../core/audit/index.ts";
import { type DomainName, withoutRootDot } from "../../core/name/index.ts";
import { type KeptFinding, ruleOf } from "../../core/sweep/index.ts";
import { RIGHT } from "./right.ts";
import type { AreaWords, FindingWords } from "./say.ts";
import { BULK, CERTIFICATE, PARKED, TRANSPORT } from "./words/certificate-and-bulk.ts";
import { DELEGATION } from "./words/delegation.ts";
import { DKIM } from "./words/dkim.ts";
import { DMARC } from "./words/dmarc.ts";
import { DNSSEC } from "./words/dnssec.ts";
import { MAIL_IN } from "./words/mail-in.ts";
import { OWNERSHIP } from "./words/ownership.ts";
import { REPORTS } from "./words/reports.ts";
import { SITE } from "./words/site.ts";
import { SPF } from "./words/spf.ts";
import { WILDCARD } from "./words/wildcard.ts";

/** Everything the audit says, by area and id. */
const WORDS = {
  delegation: { ...DELEGATION, ...DNSSEC },
  wildcard: WILDCARD,
  ownership: OWNERSHIP,
  "mail-in": MAIL_IN,
  spf: SPF,
  dkim: DKIM,
  dmarc: DMARC,
  reports: REPORTS,
  certificate: CERTIFICATE,
  site: SITE,
  parked: PARKED,
  transport: TRANSPORT,
  bulk: BULK,
} satisfies { readonly [A in keyof Sightings]: AreaWords<A> };

/** One rule of the audit with its sentences. */
export interface SaidRule {
  readonly id: string;
  readonly area: string;
  readonly severity: Severity;
  readonly title: string;
  readonly why: string;
  /** The standard and section it rests on. */
  readonly standard: string;
}

/** A finding in words; evidence and remedy are sentences without their full stop. */
export interface SaidFinding extends SaidRule {
  readonly evidence: string;
  readonly remedy: string;
}

// That a rule and its sentences belong together is in the type of WORDS; here they are met by name.
const wordsOf = (area: Area, id: string): FindingWords<object> =>
  (WORDS[area] as unknown as Readonly<Record<string, FindingWords<object>>>)[id] as FindingWords<object>;

/** The catalogue of the audit in words. */
export const SAID_CATALOGUE: readonly SaidRule[] = CATALOGUE.map(({ id, area, severity, standard }) => {
  const { title, why } = wordsOf(area, id);
  return { id, area, severity, title, why, standard };
});

/** What a rule is called; one that is gone, by its id. */
export const titleOfRule = (id: string): string => SAID_CATALOGUE.find((rule) => rule.id === id)?.title ?? id;

/** A finding in words. */
export function sayFinding({ id, area, severity, standard, domain, seen }: Finding): SaidFinding {
  const { title, why, evidence, remedy } = wordsOf(area, id);
  const audited = { domain, plain: withoutRootDot(domain) };
  const say = (said: typeof evidence): string => (typeof said === "string" ? said : said(seen, audited));
  return { id, area, severity, title, why, evidence: say(evidence), remedy: say(remedy), standard };
}

/** A finding of a sweep in words; one whose rule is gone keeps its id for a title. */
export function sayKept(domain: DomainName, { id, seen }: KeptFinding): SaidFinding {
  const rule = ruleOf(id);
  if (rule !== undefined) return sayFinding({ ...rule, domain, seen } as Finding);
  return { id, area: "", severity: "note", title: id, why: "", evidence: "", remedy: "", standard: "" };
}

/** What is right, in words: a sentence without its full stop. */
export const sayRight = ({ area, domain, seen }: Right): { readonly area: string; readonly because: string } => ({
  area,
  because: (RIGHT[area] as (seen: object, plain: string) => string)(seen, withoutRootDot(domain)),
});
