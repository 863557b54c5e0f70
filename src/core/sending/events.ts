import { EVENT_KINDS, type EventKind } from "./link.ts";

/** Events of one service and domain on one day, by kind. */
export interface DayOfEvents {
  /** Days since 1970, in UTC. */
  readonly day: number;
  readonly service: string;
  readonly domain: string;
  readonly counts: Readonly<Record<EventKind, number>>;
}

/** A line that says that a day was worse than receivers put up with. */
export interface EventWarning {
  readonly day: number;
  readonly service: string;
  readonly domain: string;
  readonly kind: "bounces" | "complaints";
  /** Share of messages, from 0 to 1. */
  readonly share: number;
  readonly limit: number;
  readonly severe: boolean;
  readonly because: string;
  readonly remedy: string;
}

/** Days with fewer messages than this say nothing about shares. */
const FEWEST = 20;

/** Shares receivers and services usually put up with: of bounces among all that ended, of complaints among those delivered. */
const LIMITS = { bounces: { careful: 0.02, severe: 0.05 }, complaints: { careful: 0.001, severe: 0.003 } } as const;

export const noEvents = (): Record<EventKind, number> =>
  Object.fromEntries(EVENT_KINDS.map((kind) => [kind, 0])) as Record<EventKind, number>;

const percent = (share: number): string => `${(share * 100).toFixed(share < 0.01 ? 2 : 1).replace(/\.?0+$/, "")} %`;

/** Days on which more mail came back, or more people called it spam, than receivers usually put up with. */
export function eventWarnings(days: readonly DayOfEvents[]): EventWarning[] {
  return days.flatMap(({ day, service, domain, counts }) => {
    const { arrived, returned, reported } = counts;
    const judged = (kind: EventWarning["kind"], part: number, whole: number, what: string, remedy: string): EventWarning[] => {
      const share = part / whole;
      const { careful, severe } = LIMITS[kind];
      if (part < 2 || whole < FEWEST || share <= careful) return [];
      const limit = share > severe ? severe : careful;
      const because = `${percent(share)} of ${whole.toLocaleString("en")} messages ${what}, the usual limit is ${percent(limit)}`;
      return [{ day, service, domain, kind, share, limit, severe: share > severe, because, remedy }];
    };
    return [
      ...judged(
        "bounces",
        returned,
        arrived + returned,
        "came back",
        "take the addresses whose mail came back off the list before the next mailing",
      ),
      ...judged(
        "complaints",
        reported,
        Math.max(arrived, reported),
        "were called spam by those who got them",
        "write only to people who asked for it, and make leaving the list one click",
      ),
    ];
  });
}
