/**
 * What is watched after it was proven: when a change is worth a notice, and when to look again.
 *
 * ```ts
 * noticeOf({ state: "proven", level: "fine" }, { ...watched, state: "lapsed", level: "bad" }, false);   // "lapsed"
 * ```
 */
export * from "./schedule.ts";
export * from "./watched.ts";
