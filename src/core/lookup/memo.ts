import { LRUCache } from "lru-cache";
import type { Answer, Lookup } from "./lookup.ts";

/** What is kept of each memoized lookup; its room is made with the first thing kept, because most keep nothing. */
const findings = new WeakMap<Lookup, { kept?: LRUCache<string, Promise<unknown>> }>();

/** Things found through one lookup that are kept; with more, those not needed for longest go. */
const MAX_KEPT = 20_000;

/**
 * Keeps what was found through a memoized lookup: the same questions would bring the same answers. Through any
 * other lookup it is found anew each time. `key` says all that `find` depends on.
 */
export function remembered<T>(lookup: Lookup, key: string, find: () => Promise<T>): Promise<T> {
  const place = findings.get(lookup);
  if (place === undefined) return find();
  place.kept ??= new LRUCache({ max: MAX_KEPT });
  const known = place.kept;
  let found = known.get(key) as Promise<T> | undefined;
  if (found === undefined) {
    known.set(key, (found = find()));
  }
  return found;
}

/** The same lookup, except that each question is asked once, even when it is asked again before the answer is there. */
export function memoized(lookup: Lookup): Lookup {
  const answers = new Map<string, Promise<Answer>>();
  const memo: Lookup = {
    ask(name, type) {
      const key = `${type} ${name}`;
      let answer = answers.get(key);
      if (answer === undefined) answers.set(key, (answer = lookup.ask(name, type)));
      return answer;
    },
  };
  findings.set(memo, {});
  return memo;
}
