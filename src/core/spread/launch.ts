import { displayName } from "../name/index.ts";
import type { RecordSet } from "../record/index.ts";
import { type CacheWindow, spanText } from "./deadline.ts";

/** What a launch needs to know of one change. */
export interface LaunchChange {
  readonly before: RecordSet | undefined;
  readonly cacheWindow: CacheWindow;
}

/** One moment of the timeline; `at` in milliseconds since 1970. */
interface LaunchStep {
  readonly at: number;
  readonly kind: "lower-ttl" | "publish" | "visible" | "ask-service" | "launch";
  readonly what: string;
  readonly because: string;
}

export interface Timeline {
  readonly steps: readonly LaunchStep[];
  /** Whether the publication may still wait, is due now at the latest, or comes too late for the launch. */
  readonly verdict: "in-time" | "hurry" | "too-late";
  readonly because: string;
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
  const longestHold = (met: readonly number[]) => Math.max(0, ...met);
  const cacheWindow = longestHold(changes.map((change) => change.cacheWindow.seconds));
  const lowered = changes.filter(({ before, cacheWindow: own }) => before !== undefined && own.seconds > LOW_TTL);
  const shortHold = longestHold(changes.map((change) => (lowered.includes(change) ? LOW_TTL : change.cacheWindow.seconds)));
  const visibleAt = launch - margin * 1000;
  const latest = visibleAt - cacheWindow * 1000;
  const latestLowered = visibleAt - shortHold * 1000;
  const slowest = changes.find((change) => change.cacheWindow.seconds === cacheWindow);
  const oldTtl = longestHold(lowered.map((change) => change.cacheWindow.seconds));
  const lowerBy = latestLowered - oldTtl * 1000;
  const mayLower = lowered.length > 0 && shortHold < cacheWindow && lowerBy > now;
  const publishBy = mayLower ? latestLowered : latest;
  const steps: LaunchStep[] = [];
  if (mayLower) {
    const names = lowered.map(({ before }) => `${displayName((before as RecordSet).name)} ${(before as RecordSet).type}`);
    steps.push({
      at: lowerBy,
      kind: "lower-ttl",
      what: `lower the TTL of ${names.join(", ")} to ${spanText(LOW_TTL)}`,
      because: `until ${spanText(oldTtl)} later some still keep it for the old time; after that a change takes ${spanText(shortHold)} instead of ${spanText(cacheWindow)}`,
    });
  }
  steps.push({
    at: publishBy,
    kind: "publish",
    what: "publish at the latest",
    because: mayLower
      ? `with the TTLs lowered everyone sees it ${spanText(shortHold)} later`
      : (slowest?.cacheWindow.because ?? "nothing has to be waited for"),
  });
  const seenAt = publishBy + (mayLower ? shortHold : cacheWindow) * 1000;
  steps.push({ at: seenAt, kind: "visible", what: "everyone sees it", because: "every cache has let go of the old records" });
  steps.push({
    at: seenAt,
    kind: "ask-service",
    what: "ask the services, not before",
    because:
      margin > 0
        ? `a certificate gets ${spanText(margin)} from here to the launch`
        : "a service that looks earlier may remember “not found”",
  });
  steps.push({ at: launch, kind: "launch", what: "launch", because: "" });
  if (changes.length === 0) return { steps, verdict: "in-time", because: "nothing has to be published for it" };
  if (now > latest && !mayLower) {
    const from = now + cacheWindow * 1000 + margin * 1000;
    const late = Math.round((from - launch) / 1000);
    return {
      steps,
      verdict: "too-late",
      because: `published now, everyone sees it ${spanText(cacheWindow)} later${margin > 0 ? `, and a certificate takes up to ${spanText(margin)} more` : ""}: ${spanText(late)} after the launch`,
    };
  }
  const left = Math.round(((steps[0] as LaunchStep).at - now) / 1000);
  return { steps, verdict: left < 3600 ? "hurry" : "in-time", because: `first step due in ${spanText(left)}` };
}
