import { type Clause, clause, NOTHING } from "../clause/index.ts";
import { displayName } from "../name/index.ts";
import type { RecordSet } from "../record/index.ts";
import type { CacheWindow } from "./deadline.ts";

/** What a launch needs to know of one change. */
export interface LaunchChange {
  readonly before: RecordSet | undefined;
  readonly cacheWindow: CacheWindow;
}

/** One moment of the timeline; `at` in milliseconds since 1970. */
interface LaunchStep {
  readonly at: number;
  readonly kind: "lower-ttl" | "publish" | "visible" | "ask-service" | "launch";
  readonly what: Clause;
  readonly because: Clause;
}

export interface Timeline {
  readonly steps: readonly LaunchStep[];
  /** Whether the publication may still wait, is due now at the latest, or comes too late for the launch. */
  readonly verdict: "in-time" | "hurry" | "too-late";
  readonly because: Clause;
}

/** TTL to go down to before a change, in seconds: short enough to be quick, long enough for every form. */
export const LOW_TTL = 300;

/**
 * Works a launch out backwards: when every cache has let go of the old records, when to publish for that, and
 * when to lower TTLs so that publishing may come late.
 *
 * @param launch the moment of the launch, and `now`; milliseconds since 1970
 * @param margin seconds that a certificate gets between being asked for and the launch; 0 where none is needed
 */
export function timeline(changes: readonly LaunchChange[], launch: number, now: number, margin: number): Timeline {
  const longest = (seconds: readonly number[]) => Math.max(0, ...seconds);
  const cacheWindow = longest(changes.map((change) => change.cacheWindow.seconds));
  const lowered = changes.filter(({ before, cacheWindow: own }) => before !== undefined && own.seconds > LOW_TTL);
  const loweredWindow = longest(changes.map((change) => (lowered.includes(change) ? LOW_TTL : change.cacheWindow.seconds)));
  const visibleAt = launch - margin * 1000;
  const latest = visibleAt - cacheWindow * 1000;
  const latestLowered = visibleAt - loweredWindow * 1000;
  const slowest = changes.find((change) => change.cacheWindow.seconds === cacheWindow);
  const oldTtl = longest(lowered.map((change) => change.cacheWindow.seconds));
  const lowerBy = latestLowered - oldTtl * 1000;
  const mayLower = lowered.length > 0 && loweredWindow < cacheWindow && lowerBy > now;
  const publishBy = mayLower ? latestLowered : latest;
  const steps: LaunchStep[] = [];
  if (mayLower) {
    const names = lowered.map(({ before }) => `${displayName((before as RecordSet).name)} ${(before as RecordSet).type}`);
    steps.push({
      at: lowerBy,
      kind: "lower-ttl",
      what: clause("spread-lower-ttl", { names, ttl: LOW_TTL }),
      because: clause("spread-lower-ttl-why", { oldTtl, loweredWindow, cacheWindow }),
    });
  }
  steps.push({
    at: publishBy,
    kind: "publish",
    what: clause("spread-publish"),
    because: mayLower
      ? clause("spread-publish-lowered", { loweredWindow })
      : (slowest?.cacheWindow.because ?? clause("spread-nothing-to-wait-for")),
  });
  const seenAt = publishBy + (mayLower ? loweredWindow : cacheWindow) * 1000;
  steps.push({ at: seenAt, kind: "visible", what: clause("spread-visible"), because: clause("spread-visible-why") });
  steps.push({
    at: seenAt,
    kind: "ask-service",
    what: clause("spread-ask-services"),
    because: margin > 0 ? clause("spread-certificate-time", { margin }) : clause("spread-remembers-not-found"),
  });
  steps.push({ at: launch, kind: "launch", what: clause("spread-launch"), because: NOTHING });
  if (changes.length === 0) return { steps, verdict: "in-time", because: clause("spread-nothing-to-publish") };
  if (now > latest && !mayLower) {
    const from = now + cacheWindow * 1000 + margin * 1000;
    const late = Math.round((from - launch) / 1000);
    return {
      steps,
      verdict: "too-late",
      because: clause("spread-too-late", { cacheWindow, margin, late }),
    };
  }
  const left = Math.round(((steps[0] as LaunchStep).at - now) / 1000);
  return { steps, verdict: left < 3600 ? "hurry" : "in-time", because: clause("spread-first-step", { left }) };
}
