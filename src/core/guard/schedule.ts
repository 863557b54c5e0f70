import { DAY_MS } from "../day.ts";
import type { Watched } from "./watched.ts";

const MINUTE = 60_000;

/** The shortest and the longest time between two looks, and the time where something is not as it should be (milliseconds). */
const SHORTEST = 5 * MINUTE;
const LONGEST = 6 * 60 * MINUTE;
const UNSURE = 15 * MINUTE;

/**
 * When a domain is looked at next: as soon as its records could have changed for somebody (their TTL), sooner where something is wrong
 * or could not be asked, and when something is about to end.
 *
 * @param ttl the shortest TTL of what is watched, in seconds; undefined where nothing has one
 * @param luck from 0 to 1: looks are spread, so that not all guards ask at the same moment
 * @returns milliseconds since 1970
 */
export function nextLook(
  now: number,
  watched: readonly Watched[],
  { ttl, within, luck }: { readonly ttl: number | undefined; readonly within: number; readonly luck: number },
): number {
  const byTtl = Math.min(LONGEST, Math.max(SHORTEST, (ttl ?? 3600) * 1000));
  const unsure = watched.some(({ level }) => level === "bad" || level === "unknown");
  const span = unsure ? Math.min(byTtl, UNSURE) : byTtl;
  const at = now + span * (1 + luck / 10);
  const ends = watched.flatMap(({ ends: end }) =>
    end === undefined ? [] : [end - within * DAY_MS, end - 7 * DAY_MS, end - DAY_MS, end],
  );
  return Math.round(Math.min(at, ...ends.filter((moment) => moment > now + SHORTEST)));
}

/** Hours in which nobody is told what can wait: minutes since midnight; `from` may be later than `until`. */
export interface QuietHours {
  readonly from: number;
  readonly until: number;
}

/** Whether a minute of the day lies in quiet hours. */
export const isQuiet = (minute: number, { from, until }: QuietHours): boolean =>
  from <= until ? minute >= from && minute < until : minute >= from || minute < until;
