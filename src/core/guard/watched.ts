import type { Clause } from "../clause/index.ts";
import { DAY_MS } from "../day.ts";
/** What is watched. */
export const WATCHED = [
  "file",
  "look",
  "proof",
  "records",
  "site",
  "certificate",
  "signatures",
  "delegation",
  "ds",
  "spf",
  "include",
  "addresses",
  "senders",
  "sender",
  "reports",
  "events",
] as const;
export type WatchedKind = (typeof WATCHED)[number];

/** How a watched thing is: as it should be, about to end, not as it should be, or nobody can say. */
type Level = "fine" | "soon" | "bad" | "unknown";

/** One thing that is watched, as it is now. */
export interface Watched {
  readonly kind: WatchedKind;
  /** Which one it is: an ask, a host, an include, a sender; the domain, where there is one of its kind. */
  readonly subject: string;
  /** A short text that differs where something changed. */
  readonly state: string;
  readonly level: Level;
  /** What is seen, and why, as a clause. */
  readonly because: Clause;
  /** The command or step that mends it; empty where there is nothing to do. */
  readonly next: Clause;
  /** When it ends by itself; milliseconds since 1970. */
  readonly ends?: number;
  /** Whether it is known to have been right once, so that it is worth a notice even when it is looked at for the first time. */
  readonly wasRight?: boolean;
}

/** The same as the journal remembers it. */
export type Remembered = Pick<Watched, "state" | "level">;

/** What there is to tell about a watched thing. */
export const NOTICES = ["lapsed", "recovered", "ends-soon", "changed", "new-sender"] as const;
export type NoticeKind = (typeof NOTICES)[number];

/** Things that are neither right nor wrong: that they change is the news. */
const NEUTRAL: ReadonlySet<WatchedKind> = new Set(["delegation", "ds"]);

/**
 * What there is to tell when a thing is seen; undefined where it is as before. What could not be asked is not a change.
 *
 * @param first whether the domain is watched for the first time, so that what is there is where the watch begins
 */
export function noticeOf(before: Remembered | undefined, now: Watched, first: boolean): NoticeKind | undefined {
  if (now.level === "unknown") return undefined;
  if (now.kind === "sender") return before === undefined && !first ? "new-sender" : undefined;
  if (before === undefined) {
    if (now.level === "bad") return now.wasRight === true ? "lapsed" : undefined;
    return now.level === "soon" ? "ends-soon" : undefined;
  }
  if (now.level === "bad") return before.level === "bad" ? undefined : "lapsed";
  if (before.level === "bad") return "recovered";
  if (now.level === "soon") return before.state === now.state ? undefined : "ends-soon";
  if (NEUTRAL.has(now.kind) && before.state !== now.state) return "changed";
  return undefined;
}

/** Whether a notice does not wait for the end of quiet hours: something that worked does not any more. */
export const isUrgent = (notice: NoticeKind): boolean => notice === "lapsed";

/** Days before an end at which it is said, as far as the first of them is near enough. */
const STEPS = [7, 1];

/**
 * How near an end is: the number of days that was last reached of those at which it is said; undefined where it is still far.
 *
 * @param within days before the end from which on it is said
 */
export function nearness(ends: number, now: number, within: number): number | undefined {
  const left = (ends - now) / DAY_MS;
  return [within, ...STEPS].filter((days) => days <= within && left <= days).at(-1);
}
