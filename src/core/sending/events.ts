import { type Clause, clause } from "../clause/index.ts";
import { EVENT_KINDS, type EventKind } from "./link.ts";

/** Events of one service and domain on one day, by kind. */
export interface DayOfEvents {
  /** Days since 1970, in UTC. */
  readonly day: number;
  readonly service: string;
  readonly domain: string;
  readonly counts: Readonly<Record<EventKind, number>>;
}

/** A line that says that the mail of a window was worse than receivers put up with. */
interface EventWarning {
  readonly service: string;
  readonly domain: string;
  readonly kind: "bounces" | "complaints";
  /** Share of messages, from 0 to 1. */
  readonly share: number;
  readonly limit: number;
  readonly severe: boolean;
  readonly because: Clause;
  readonly remedy: Clause;
}

/** What the events of a window say: warnings, and of whom there is too little to say anything. */
export interface EventJudgement {
  readonly warnings: readonly EventWarning[];
  readonly tooFew: readonly { readonly service: string; readonly domain: string; readonly messages: number }[];
}

/** With fewer messages than this a share says nothing: one mistyped address would be a scandal. */
export const FEWEST = 100;

/** Shares receivers and services usually put up with: of bounces among all that ended, of complaints among those delivered. */
const LIMITS = { bounces: { careful: 0.02, severe: 0.05 }, complaints: { careful: 0.001, severe: 0.003 } } as const;

export const noEvents = (): Record<EventKind, number> =>
  Object.fromEntries(EVENT_KINDS.map((kind) => [kind, 0])) as Record<EventKind, number>;

/** All events of one service and domain, whatever the day. */
function summed(days: readonly DayOfEvents[]): Omit<DayOfEvents, "day">[] {
  const sums = new Map<string, Omit<DayOfEvents, "day"> & { counts: Record<EventKind, number> }>();
  for (const { service, domain, counts } of days) {
    const key = `${service} ${domain}`;
    const sum = sums.get(key) ?? { service, domain, counts: noEvents() };
    for (const kind of EVENT_KINDS) sum.counts[kind] += counts[kind] ?? 0;
    sums.set(key, sum);
  }
  return [...sums.values()];
}

/**
 * Whether, over a window of days, more mail came back, or more people called it spam, than receivers usually put up
 * with: by service and domain, over the sums of all its days.
 */
export function judgeEvents(days: readonly DayOfEvents[]): EventJudgement {
  const all = summed(days);
  const ended = ({ counts }: Omit<DayOfEvents, "day">): number => counts.arrived + counts.returned;
  const warnings = all.flatMap((sum) => {
    const { service, domain, counts } = sum;
    const { arrived, returned, reported } = counts;
    const judged = (kind: EventWarning["kind"], part: number, whole: number): EventWarning[] => {
      const share = part / whole;
      const { careful, severe } = LIMITS[kind];
      if (part < 2 || whole < FEWEST || share <= careful) return [];
      const limit = share > severe ? severe : careful;
      const because = clause("events-over-limit", { kind, share, messages: whole, limit });
      const remedy = clause("events-over-limit-mend", { kind });
      return [{ service, domain, kind, share, limit, severe: share > severe, because, remedy }];
    };
    return [...judged("bounces", returned, ended(sum)), ...judged("complaints", reported, Math.max(arrived, reported))];
  });
  const tooFew = all
    .filter((sum) => ended(sum) < FEWEST)
    .map((sum) => ({ service: sum.service, domain: sum.domain, messages: ended(sum) }));
  return { warnings, tooFew };
}
