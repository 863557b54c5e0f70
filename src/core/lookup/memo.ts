import { LRUCache } from "lru-cache";
import { type DomainName, upwards } from "../name/index.ts";
import type { Answer, Lookup } from "./lookup.ts";

/** What is kept of each memoized lookup; its room is made with the first thing kept, because most keep nothing. */
const findings = new WeakMap<Lookup, { kept?: LRUCache<string, Promise<unknown>> }>();

/** Things found through one lookup that are kept; with more, those not needed for longest go. */
const MAX_KEPT = 20_000;

/**
 * Keeps what was found through a memoized lookup: the same questions would bring the same answers. Through any
 * other lookup it is found again each time. `key` says all that `find` depends on.
 */
export function remembered<T>(lookup: Lookup, key: string, find: () => Promise<T>): Promise<T> {
  const place = findings.get(lookup);
  if (place === undefined) return find();
  // Room is made as it is needed: most lookups keep a few things, and there are as many lookups as domains.
  place.kept ??= new LRUCache({ maxSize: MAX_KEPT, sizeCalculation: () => 1 });
  const known = place.kept;
  let found = known.get(key) as Promise<T> | undefined;
  if (found === undefined) {
    known.set(key, (found = find()));
  }
  return found;
}

/** Answers of many lookups in one place; with more than it has room for, those not needed for longest go. */
export class AnswerMemo {
  readonly #answers: LRUCache<string, Promise<Answer>>;
  readonly #failed = new Set<string>();
  /** The keys of what was asked about a domain that is looked at now, and about names below it. */
  readonly #own = new Map<DomainName, string[]>();

  constructor(max = 20_000) {
    // Room is made as it is needed.
    this.#answers = new LRUCache({ maxSize: max, sizeCalculation: () => 1, dispose: (_, key) => this.#failed.delete(key) });
  }

  /** The answer that is kept under a key, or the one that `ask` brings; `about` is the name that is asked about. */
  take(key: string, about: DomainName, ask: () => Promise<Answer>): Promise<Answer> {
    const known = this.#answers.get(key);
    if (known !== undefined) return known;
    const answer = ask();
    this.#answers.set(key, answer);
    if (this.#own.size > 0)
      for (const name of upwards(about)) {
        const own = this.#own.get(name);
        if (own === undefined) continue;
        own.push(key);
        break;
      }
    void answer.then(({ kind }) => kind === "failed" && this.#failed.add(key));
    return answer;
  }

  /**
   * Looks at a domain; what was asked about it and about names below it is forgotten with its end, so that of many domains only what
   * they share is kept.
   */
  async during<T>(domain: DomainName, look: () => Promise<T>): Promise<T> {
    const own: string[] = [];
    this.#own.set(domain, own);
    try {
      return await look();
    } finally {
      this.#own.delete(domain);
      for (const key of own) this.#answers.delete(key);
    }
  }

  /** Forgets what could not be asked, so that it is asked again. */
  forgetFailures(): void {
    for (const key of [...this.#failed]) this.#answers.delete(key);
  }
}

/**
 * The same lookup, except that each question is asked once, even when it is asked again before the answer is there. Several lookups
 * may keep their answers in one place, each under its own name.
 */
export function memoized(lookup: Lookup, shared?: { readonly answers: AnswerMemo; readonly name: string }): Lookup {
  const answers = new Map<string, Promise<Answer>>();
  const memo: Lookup = {
    ask(name, type) {
      const key = `${type} ${name}`;
      if (shared !== undefined) return shared.answers.take(`${shared.name} ${key}`, name, () => lookup.ask(name, type));
      let answer = answers.get(key);
      if (answer === undefined) answers.set(key, (answer = lookup.ask(name, type)));
      return answer;
    },
  };
  findings.set(memo, {});
  return memo;
}
