import type { Area } from "../audit/index.ts";
import type { DomainName } from "../name/index.ts";
import type { Unreadable } from "./list.ts";
import type { SweepResult } from "./result.ts";

/** One sweep: a list of domains that is gone through. Times in milliseconds since 1970. */
export interface Sweep {
  readonly id: number;
  /** What people call it: the list's name and the day. */
  readonly name: string;
  /** The areas of the audit that are looked at; all of them where it is empty. */
  readonly checks: readonly Area[];
  /** Names of the list's own columns. */
  readonly columns: readonly string[];
  readonly started: number;
  /** Undefined as long as some domain is to be looked at. */
  readonly finished: number | undefined;
}

/** A domain of a list, with the line it was first found in. */
export interface SweepEntry {
  readonly domain: DomainName;
  /** What the list says in its place. */
  readonly given: string;
  readonly line: number;
  /** The other cells of its row, in the order of the sweep's columns. */
  readonly own: readonly string[];
}

/** A line of a list that is not looked at, and why; `duplicate` with the line that has the same domain. */
export interface SkippedLine {
  readonly line: number;
  readonly text: string;
  readonly why: Unreadable | "duplicate";
  readonly detail: string;
  /** The other cells of its row, in the order of the sweep's columns. */
  readonly own: readonly string[];
}

/** A domain that is to be looked at. */
export interface SweepJob {
  readonly domain: DomainName;
  /** How often it was looked at and could not be asked about everything. */
  readonly attempts: number;
  /** Not before this moment. */
  readonly due: number;
}

/** A domain that was looked at. */
export interface SweepOutcome {
  readonly domain: DomainName;
  readonly attempts: number;
  readonly at: number;
  readonly result: SweepResult;
}

/** An outcome with its line of the list, and its place in the order in which they were kept. */
export type KeptOutcome = SweepOutcome & SweepEntry & { readonly sequence: number };

/** How far a sweep has come. */
export interface SweepProgress {
  readonly domains: number;
  readonly done: number;
  readonly skipped: number;
}

/**
 * Where sweeps and their results are kept: in a file of this machine, or in a database that many machines share. Everything that
 * is kept is kept as a whole or not at all, and a domain has one outcome in a sweep, however often it is handed in.
 */
export interface SweepStore {
  /** The sweep of the same list and checks that was not finished; undefined where there is none. */
  unfinished(fingerprint: string): Promise<Sweep | undefined>;
  byName(name: string): Promise<Sweep | undefined>;
  /** All sweeps, the newest first. */
  sweeps(): Promise<readonly (Sweep & SweepProgress)[]>;
  /** Begins a sweep with the lines of a list; until the last of them is there it is not a sweep. */
  begin(
    sweep: Pick<Sweep, "name" | "checks" | "columns"> & { readonly fingerprint: string },
    lines: AsyncIterable<SweepEntry | SkippedLine>,
    now: number,
  ): Promise<Sweep>;
  /** Takes back a sweep that has nothing to look at. */
  discard(sweep: Sweep): Promise<void>;
  progress(sweep: Sweep): Promise<SweepProgress>;
  /**
   * Jobs that wait, in the order in which they are to be done, without those that `apart` names. Where several machines share the work
   * they are this one's from then on.
   */
  waiting(sweep: Sweep, most: number, apart: ReadonlySet<DomainName>): Promise<readonly SweepJob[]>;
  /** Gives back what this process took and did not keep, so that others need not wait until it is missed. */
  release(sweep: Sweep): Promise<void>;
  /** How many domains have no outcome yet. */
  left(sweep: Sweep): Promise<number>;
  /** Keeps what domains came to, and which of them are to be looked at again. */
  keep(sweep: Sweep, done: readonly SweepOutcome[], again: readonly SweepJob[]): Promise<void>;
  finish(sweep: Sweep, now: number): Promise<void>;
  /** Outcomes after one of them, in the order in which they were kept. */
  outcomes(sweep: Sweep, after: number, most: number): Promise<readonly KeptOutcome[]>;
  skipped(sweep: Sweep): AsyncIterable<SkippedLine>;
  outcomeOf(sweep: Sweep, domain: DomainName): Promise<KeptOutcome | undefined>;
  close(): Promise<void>;
}
