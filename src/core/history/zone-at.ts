import type { DomainName } from "../name/index.ts";
import type { RecordSet, RecordType } from "../record/index.ts";

/** What was once known to stand at a name for one type; `at` in milliseconds since 1970. */
export interface Sighting {
  readonly at: number;
  readonly name: DomainName;
  readonly type: RecordType;
  /** Undefined where nothing stood there. */
  readonly set: RecordSet | undefined;
  /** `published`: it was put there then; `seen`: it was seen there then, and may have been there before. */
  readonly how: "published" | "seen";
}

/** A set as it was at a moment, and from when that is known. */
export interface KnownSet {
  readonly set: RecordSet;
  readonly since: number;
  /** Whether it was first seen later, and nothing says that it was otherwise before. */
  readonly assumed: boolean;
}

/**
 * The sets of a zone at a moment, as far as sightings tell: the newest one up to then counts; where there is none, the first
 * later one that saw the set, because what was seen had been there for some time.
 *
 * @param at milliseconds since 1970
 */
export function zoneAt(sightings: readonly Sighting[], at: number): readonly KnownSet[] {
  const places = new Map<string, Sighting[]>();
  for (const sighting of sightings) {
    const key = `${sighting.name} ${sighting.type}`;
    places.set(key, [...(places.get(key) ?? []), sighting]);
  }
  return [...places.values()].flatMap((all): KnownSet[] => {
    const inOrder = [...all].sort((a, b) => a.at - b.at);
    const before = inOrder.findLast((candidate) => candidate.at <= at);
    const after = inOrder.find((candidate) => candidate.at > at);
    const found = before ?? (after?.how === "seen" ? after : undefined);
    return found?.set === undefined ? [] : [{ set: found.set, since: found.at, assumed: before === undefined }];
  });
}
