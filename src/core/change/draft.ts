import { clause } from "../clause/index.ts";
import { liveAt, ownSetOf } from "../lookup/index.ts";
import { isAtOrBelow } from "../name/index.ts";
import type { RecordSet } from "../record/index.ts";
import { type CacheWindow, longestWindow } from "../spread/index.ts";
import { draftSet } from "./draft-set.ts";
import { type Change, cacheWindowPart, type Draft, type Drafting, type DraftRequest } from "./drafting.ts";
import { gather, gatherUnwanted, holds, pick, type Unwanted } from "./gather.ts";

/** Computes what would change in a zone so that every ask gets what it wants, and what is in the way. Changes nothing. */
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

/** Removes what a service's page says to remove, where it is there and no ask needs it. */
async function draftRemoval(drafting: Drafting, { set, asks }: Unwanted): Promise<void> {
  const { domain, lookup, changes, needed, undetermined } = drafting;
  const { name, type } = set;
  if (!isAtOrBelow(name, domain)) return;
  // What has to go may have made room for something else already; what is added beside it takes its place in the same change.
  const at = changes.findIndex((change) => change.name === name && change.type === type && change.action !== "keep");
  const beside = changes[at];
  const going = (data: RecordSet["data"][number]) =>
    holds(set, data) && !needed.some((other) => other.name === name && other.type === type && holds(other.set, data));
  if (beside !== undefined) {
    const { after } = beside;
    if (after === undefined || !after.data.some(going)) return;
    changes[at] = {
      ...beside,
      action: "replace",
      after: pick(after, (data) => !going(data)),
      because: clause("change-reasons", { reasons: [beside.because, clause("change-page-removes", { asks })] }),
    };
    return;
  }
  const live = await liveAt(lookup, domain, name, type);
  if (live.kind === "failed") {
    undetermined.push({ name, type, because: live.answer.detail, asks });
    return;
  }
  const before = ownSetOf(live);
  if (before === undefined || !before.data.some(going)) return;
  const after = pick(before, (data) => !going(data));
  changes.push({
    action: after.data.length === 0 ? "remove" : "replace",
    name,
    type,
    before,
    after: after.data.length === 0 ? undefined : after,
    because: clause("change-page-removes", { asks }),
    asks,
    ...cacheWindowPart(live),
  });
}

/** The changes that have to be carried out. */
export const pending = (draft: Draft): Change[] => draft.changes.filter((change) => change.action !== "keep");

/** When everyone sees the draft at the latest, counted from its publication, and which change decides it. */
export const draftCacheWindow = (draft: Draft): CacheWindow | undefined =>
  longestWindow(pending(draft).flatMap((change) => change.cacheWindow ?? []));
