import type { Nothing } from "../../core/clause/index.ts";
import type { FailureKind } from "../../core/failure.ts";
import { type DomainName, displayName } from "../../core/name/index.ts";
import { nearest } from "../../core/nearest.ts";
import { printData, type RecordSet } from "../../core/record/index.ts";
import { listOf } from "../english.ts";
import { visible } from "../safe.ts";

/** What is said about a failure: what happened and where, what to do now, and the place that an editor can open. */
export interface Said {
  readonly message: string;
  readonly remedy: string;
  readonly at?: string;
}

/** How one kind of failure ends a run, and what is said about it. */
interface Failing<P> {
  readonly kind: FailureKind;
  readonly say: (params: P) => Said;
}

/** The failures of a subject, by their codes. */
export type Failings = Readonly<Record<string, Failing<never>>>;

/** What the sentences of each failure need. */
export type ParamsOf<T> = {
  readonly [C in keyof T]: T[C] extends Failing<infer P> ? ([P] extends [never] ? Nothing : P) : never;
};

/** The call or a file is wrong. */
export const usage = <P>(say: (params: P) => Said): Failing<P> => ({ kind: "usage", say });
/** Something is not as it has to be. */
export const problem = <P>(say: (params: P) => Said): Failing<P> => ({ kind: "problem", say });
/** It could not be determined; never one of the other two. */
export const undetermined = <P>(say: (params: P) => Said): Failing<P> => ({ kind: "undetermined", say });

/** A file, line and column, or a place inside a file: what an editor can jump to. */
export type Place = string;

/** A word that is not known, beside the words that are. */
export interface Unknown {
  readonly given: string;
  readonly known: readonly string[];
}

export const say = (message: string, remedy: string, at?: string): Said => ({
  message,
  remedy,
  ...(at === undefined ? {} : { at }),
});
export const quote = (text: string): string => `“${visible(text.length > 60 ? `${text.slice(0, 60)}…` : text)}”`;
export const size = (octets: number): string =>
  octets >= 1 << 20 ? `${Math.round(octets / (1 << 20))} MiB` : `${Math.round(octets / 1024)} KiB`;
export const names = (all: readonly DomainName[]): string => listOf(all.map(displayName));
export const set = (of: RecordSet | undefined): string =>
  of === undefined ? "nothing" : listOf(of.data.map((data) => printData(of.type, data)));
export const known = (words: readonly string[], none: string): string =>
  words.length === 0 ? none : listOf(words, "disjunction");
export const meant = (given: string, words: readonly string[]): string => {
  const near = nearest(given, words);
  return near === undefined ? "" : `; did you mean ${near}?`;
};
export const published = (before: string | undefined): string =>
  before === undefined ? "" : ` (${before} was published before this)`;
export const line = (found: string, expected: string): string =>
  `${found === "" ? "" : `found ${quote(found)}, `}expected ${visible(expected)}`;
