/**
 * How the built program is loaded: its files one by one, as they are needed, with the code that was made of them in earlier runs.
 *
 * ```ts
 * const { run } = loadBuilt("/usr/lib/zandrel/program", "run.cjs", openCodeCache("1f0c", process.env));
 * ```
 */
export { openCodeCache } from "./code-cache.ts";
export { loadBuilt } from "./load.ts";
