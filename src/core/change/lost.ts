import { type Lookup, liveAt, ownSetOf } from "../lookup/index.ts";
import { type DomainName, name as nameOf } from "../name/index.ts";
import type { RecordSet, RecordType } from "../record/index.ts";
import type { SetChange } from "../zone/index.ts";
import { holds, pick } from "./gather.ts";

/** The types people delete by mistake, because they stand beside what they came to change. */
const BESIDE: readonly RecordType[] = ["A", "AAAA", "CNAME", "MX", "TXT", "NS", "CAA", "SRV"];

/** Everything that stands at some names: the state that a change was made from. What could not be asked is left out. */
export async function standingAt(names: Iterable<DomainName>, lookup: Lookup, apex: DomainName): Promise<RecordSet[]> {
  const sets = await Promise.all(
    [...new Set(names)].flatMap((name) => BESIDE.map(async (type) => ownSetOrAlias(lookup, apex, name, type))),
  );
  return sets.flatMap((set) => set ?? []);
}

async function ownSetOrAlias(
  lookup: Lookup,
  apex: DomainName,
  name: DomainName,
  type: RecordType,
): Promise<RecordSet | undefined> {
  const live = await liveAt(lookup, apex, name, type);
  return type === "CNAME" && live.kind === "alias" ? live.set : ownSetOf(live);
}

/**
 * Records that stood there when a change was drafted, that the change was not to touch, and that are gone now: somebody
 * deleted too much. Each set holds only what is lost. A set that cannot be asked about is not called lost.
 */
export async function lostOf(
  beside: readonly RecordSet[],
  changes: readonly SetChange[],
  lookup: Lookup,
  apex: DomainName,
): Promise<RecordSet[]> {
  const lost = await Promise.all(
    beside.map(async (was): Promise<RecordSet[]> => {
      const name = nameOf(was.name);
      const touched = changes.filter((change) => change.name === name && change.type === was.type);
      const kept = pick(was, (data) => touched.every(({ after, before }) => holds(after, data) || !holds(before, data)));
      if (kept.data.length === 0) return [];
      const live = await liveAt(lookup, apex, name, was.type);
      if (live.kind === "failed") return [];
      // A wildcard that answers with the same still does what the record did.
      const now = was.type === "CNAME" && live.kind === "alias" ? live.set : live.kind === "wildcard" ? live.set : ownSetOf(live);
      const gone = pick(kept, (data) => !holds(now, data));
      return gone.data.length === 0 ? [] : [{ ...gone, name }];
    }),
  );
  return lost.flat();
}
