import { type Clause, clause } from "../clause/index.ts";
import { DAY } from "../day.ts";
import type { Live } from "../lookup/index.ts";

/** How long others may still show what was there before a change, and why. */
export interface CacheWindow {
  /** Seconds after the last name server has the change. */
  readonly seconds: number;
  /** Half a sentence for people: what is kept, where and for how long. */
  readonly because: Clause;
  readonly rule: "set-ttl" | "negative-ttl" | "wildcard-ttl" | "alias-ttl";
}

/** RFC 2308 section 5 lets nobody keep “no such record” for longer than a day; it is also assumed where the SOA is not known. */
const MAX_NEGATIVE = DAY;

const SPANS: readonly (readonly [number, string])[] = [
  [604_800, "week"],
  [86_400, "day"],
  [3600, "hour"],
  [60, "minute"],
  [1, "second"],
];

/** A span of time in words, exact: `1 hour 30 minutes`. */
export function spanText(seconds: number): string {
  const parts: string[] = [];
  let rest = Math.max(0, Math.round(seconds));
  for (const [size, word] of SPANS) {
    const count = Math.floor(rest / size);
    if (count === 0 || (word === "week" && rest % size !== 0)) continue;
    rest -= count * size;
    parts.push(`${count} ${word}${count === 1 ? "" : "s"}`);
  }
  return parts.length === 0 ? "0 seconds" : parts.join(" ");
}

/**
 * How long resolvers that asked just before a change may keep showing what stood there: the old set's TTL,
 * the negative TTL where nothing stood there (RFC 2308 section 5), the TTL of the wildcard or alias that
 * answered instead. Undefined where what stood there is not known.
 */
export function cacheWindowOf(before: Live): CacheWindow | undefined {
  switch (before.kind) {
    case "set":
      return {
        seconds: before.set.ttl,
        rule: "set-ttl",
        because: clause("spread-old-set", { type: before.set.type, name: before.set.name, ttl: before.set.ttl }),
      };
    case "alias":
    case "dname":
      return {
        seconds: before.set.ttl,
        rule: "alias-ttl",
        because: clause("spread-old-alias", { name: before.set.name, ttl: before.set.ttl }),
      };
    case "wildcard":
      return {
        seconds: before.set.ttl,
        rule: "wildcard-ttl",
        because: clause("spread-old-wildcard", { wildcard: before.wildcard, ttl: before.set.ttl }),
      };
    case "nothing": {
      const seconds = Math.min(before.negativeTtl ?? MAX_NEGATIVE, MAX_NEGATIVE);
      return {
        seconds,
        rule: "negative-ttl",
        because: before.negativeTtl === undefined ? clause("spread-negative-unknown") : clause("spread-negative", { seconds }),
      };
    }
    case "failed":
      return undefined;
  }
}

/** The cache window that ends last. */
export function longestWindow(windows: readonly CacheWindow[]): CacheWindow | undefined {
  return windows.reduce<CacheWindow | undefined>(
    (last, cacheWindow) => (last === undefined || cacheWindow.seconds > last.seconds ? cacheWindow : last),
    undefined,
  );
}

/** When everyone sees a change at the latest, in milliseconds since 1970. `since` is when the last name server got it. */
export const visibleBy = (since: number, cacheWindow: CacheWindow): number => since + cacheWindow.seconds * 1000;
