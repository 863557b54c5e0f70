import type { Area, Sightings } from "../../core/audit/index.ts";
import { type DomainName, displayName } from "../../core/name/index.ts";

/** The domain that is audited, as a name and as people type it, in a command, a record or an address. */
type Audited = {
  readonly domain: DomainName;
  readonly plain: string;
};

/** What is said about a finding: a sentence that is always the same, or one made of what was seen. No full stop ends it. */
type Said<S> = string | ((seen: S, audited: Audited) => string);

/** The sentences of one rule. */
export interface FindingWords<S> {
  readonly title: string;
  /** Why it matters, in the words of somebody who answers for mail and launches. */
  readonly why: string;
  readonly evidence: Said<S>;
  readonly remedy: Said<S>;
}

/** The sentences of all rules of one area. */
export type AreaWords<A extends Area> = { readonly [I in keyof Sightings[A]]: FindingWords<Sightings[A][I]> };

export const namesOf = (names: readonly DomainName[]): string => names.map(displayName).join(", ");

/** A text that fits into a sentence. */
export const short = (text: string, most = 60): string => (text.length > most ? `${text.slice(0, most)}…` : text);

/** The data of a set, or that there are none. */
export const someOf = (data: readonly string[]): string =>
  data.length === 0 ? "none" : data.map((text) => short(text, 50)).join(" and ");
