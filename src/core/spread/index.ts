/**
 * Cache arithmetic: who can still hold an old answer, until when, and why.
 *
 * ```ts
 * const window = cacheWindowOf(await liveAt(lookup, apex, name, "TXT"));
 * window;                        // { seconds: 300, rule: "negative-ttl", because: "some resolvers keep the old …" }
 * visibleBy(publishedAt, window);  // milliseconds since 1970
 * ```
 */
export * from "./deadline.ts";
export * from "./launch.ts";
