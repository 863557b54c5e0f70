import type { Ask } from "../ask/index.ts";
import { type Live, type Lookup, liveAt, ownSetOf } from "../lookup/index.ts";
import { type DomainName, isAtOrBelow } from "../name/index.ts";
import type { RecordSet, RecordType } from "../record/index.ts";
import { type CacheWindow, cacheWindowOf, longestWindow } from "../spread/index.ts";
import type { SetChange } from "../zone/index.ts";
import type { Clash } from "./clash.ts";
import { draftSet } from "./draft-set.ts";
import { gather, gatherUnwanted, holds, pick, type Unwanted, type Wanted } from "./gather.ts";

/** One record set and what happens to it, with the reason and the asks it is for. */
export interface Change extends SetChange {
  readonly action: "add" | "replace" | "merge" | "remove" | "keep";
  readonly because: string;
  readonly asks: readonly string[];
  /** How long others may still show what was there before; undefined for `keep`. */
  readonly cacheWindow?: CacheWindow;
}

/** A set that could not be looked at, so that nothing can be said about it. */
export interface Undetermined {
  readonly name: DomainName;
  readonly type: RecordType;
  readonly because: string;
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
  readonly provenanceOf: (set: RecordSet) => string;
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

/** Computes what would change in a zone so that every ask gets what it wants, and what stands in the way. Changes nothing. */
export async function makeDraft(request: DraftRequest): Promise<Draft> {
  const { domain, asks, lookup, world, all = asks, isOwn = () => false } = request;
  const drafting: Drafting = {
    ...request,
    all,
    isOwn,
    gathered: gather(asks),
    unwanted: gatherUnwanted(asks),
    needed: gather(all),
    everywhere: { ask: (name, type) => (isAtOrBelow(name, domain) ? lookup : world).ask(name, type) },
    changes: [],
    clashes: [],
    undetermined: [],
  };
  for (const wanted of drafting.gathered) await draftSet(drafting, wanted);
  for (const unwanted of drafting.unwanted) await draftRemoval(drafting, unwanted);
  const { changes, clashes, undetermined } = drafting;
  return { domain, changes, clashes, undetermined };
}

/** Removes what a service's page tells to remove, where it is there and no ask needs it. */
async function draftRemoval(drafting: Drafting, { set, asks }: Unwanted): Promise<void> {
  const { domain, lookup, changes, needed, undetermined } = drafting;
  const { name, type } = set;
  // What has to go may have made room for something else already.
  if (
    !isAtOrBelow(name, domain) ||
    changes.some((change) => change.name === name && change.type === type && change.action !== "keep")
  )
    return;
  const live = await liveAt(lookup, domain, name, type);
  if (live.kind === "failed") {
    undetermined.push({ name, type, because: live.answer.detail, asks });
    return;
  }
  const before = ownSetOf(live);
  const going = (data: RecordSet["data"][number]) =>
    holds(set, data) && !needed.some((other) => other.name === name && other.type === type && holds(other.set, data));
  if (before === undefined || !before.data.some(going)) return;
  const after = pick(before, (data) => !going(data));
  changes.push({
    action: after.data.length === 0 ? "remove" : "replace",
    name,
    type,
    before,
    after: after.data.length === 0 ? undefined : after,
    because: `the page that ${asks.join(" and ")} was saved from tells to remove it`,
    asks,
    ...cacheWindowPart(live),
  });
}

export function cacheWindowPart(before: Live): { cacheWindow?: CacheWindow } {
  const cacheWindow = cacheWindowOf(before);
  return cacheWindow === undefined ? {} : { cacheWindow };
}

/** The changes that have to be carried out. */
export const pending = (draft: Draft): Change[] => draft.changes.filter((change) => change.action !== "keep");

/** When everyone sees the draft at the latest, counted from its publication, and which change decides it. */
export const draftCacheWindow = (draft: Draft): CacheWindow | undefined =>
  longestWindow(pending(draft).flatMap((change) => change.cacheWindow ?? []));
