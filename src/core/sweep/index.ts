/**
 * The audit of many domains: reading lists of them, what comes of each, and what all of them say together.
 *
 * ```ts
 * readListed("https://www.brackwater.example/tickets");   // the domain brackwater.example.
 * compareResults(before, after).fixed;                    // ids of findings that are gone
 * ```
 */
export * from "./compare.ts";
export * from "./list.ts";
export * from "./result.ts";
export * from "./shares.ts";
export * from "./store.ts";
