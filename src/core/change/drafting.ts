import type { Ask } from "../ask/index.ts";
import type { Clause } from "../clause/index.ts";
import type { Live, Lookup } from "../lookup/index.ts";
import type { DomainName } from "../name/index.ts";
import type { RecordSet, RecordType } from "../record/index.ts";
import { type CacheWindow, cacheWindowOf } from "../spread/index.ts";
import type { SetChange } from "../zone/index.ts";
import type { Clash } from "./clash.ts";
import type { Unwanted, Wanted } from "./gather.ts";

/** One record set and what happens to it, with the reason and the asks it is for. */
export interface Change extends SetChange {
  readonly action: "add" | "replace" | "merge" | "remove" | "keep";
  readonly because: Clause;
  readonly asks: readonly string[];
  /** How long others may still show what was there before; undefined for `keep`. */
  readonly cacheWindow?: CacheWindow;
}

/** A set that could not be looked at, so that nothing can be said about it. */
interface Undetermined {
  readonly name: DomainName;
  readonly type: RecordType;
  readonly because: Clause;
  readonly asks: readonly string[];
}

export interface Draft {
  readonly domain: DomainName;
  readonly changes: readonly Change[];
  readonly clashes: readonly Clash[];
  readonly undetermined: readonly Undetermined[];
}

export interface DraftRequest {
  readonly domain: DomainName;
  /** The asks to be published; those that wait for others are left out by the caller. */
  readonly asks: readonly Ask[];
  /** Every ask of the domain: what one of them needs is not removed for another without naming it. */
  readonly all?: readonly Ask[];
  /** The zone as its authoritative server, or a zone file, shows it. */
  readonly lookup: Lookup;
  /** The DNS at large: where targets lead, what an SPF include costs. */
  readonly world: Lookup;
  /** Names at which the records may be replaced, because the user said so. */
  readonly replace: ReadonlySet<DomainName>;
  /** Who put a set there, as far as the workspace knows. */
  readonly provenanceOf: (set: RecordSet) => Clause;
  /** Whether Zandrel put all of a set there for one of these asks, and nobody changed it since: a new version is an update then. */
  readonly isOwn?: (set: RecordSet, asks: readonly string[]) => boolean;
}

/** Everything that the draft of one set may look at, and what all of them have said so far. */
export interface Drafting extends Required<DraftRequest> {
  readonly gathered: readonly Wanted[];
  readonly unwanted: readonly Unwanted[];
  /** What all asks of the domain want, those that are left out too. */
  readonly needed: readonly Wanted[];
  /** Names of this domain as the draft sees them, all others as the world does. */
  readonly everywhere: Lookup;
  readonly changes: Change[];
  readonly clashes: Clash[];
  readonly undetermined: Undetermined[];
}

/** How long others may keep the set as it is now, as a part of a change. */
export function cacheWindowPart(before: Live): { cacheWindow?: CacheWindow } {
  const cacheWindow = cacheWindowOf(before);
  return cacheWindow === undefined ? {} : { cacheWindow };
}
