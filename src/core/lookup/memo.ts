import type { Answer, Lookup } from "./lookup.ts";

/** The same lookup, except that each question is asked once, even when it is asked again before the answer is there. */
export function memoized(lookup: Lookup): Lookup {
  const answers = new Map<string, Promise<Answer>>();
  return {
    ask(name, type) {
      const key = `${type} ${name}`;
      let answer = answers.get(key);
      if (answer === undefined) answers.set(key, (answer = lookup.ask(name, type)));
      return answer;
    },
  };
}
