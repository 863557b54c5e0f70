/**
 * Cache arithmetic: who can still hold an old answer, until when, and why.
 *
 * ```ts
 * const hold = holdOf(await liveAt(lookup, apex, name, "TXT"));
 * hold;                          // { seconds: 300, rule: "negative-ttl", because: "some resolvers keep the old …" }
 * visibleBy(publishedAt, hold);  // milliseconds since 1970
 * ```
 */
export * from "./deadline.ts";
export * from "./launch.ts";
