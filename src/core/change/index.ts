/**
 * From what is wanted and what is live to what would change.
 *
 * ```ts
 * const draft = await makeDraft({ domain, asks, lookup, replace: new Set(), world, provenanceOf });
 * draft.changes;      // [{ action: "merge", name, type, before, after, because, asks, cacheWindow }]
 * draft.clashes;      // [{ kind: "alias-in-the-way", because, breaks, options, … }]
 * pending(draft);     // the changes that have to be carried out
 * ```
 */
export type { Clash, ClashKind } from "./clash.ts";
export * from "./draft.ts";
export type { Change, Draft } from "./drafting.ts";
export { isCarriedOut, isSameText } from "./entered.ts";
export * from "./lost.ts";
export * from "./retire.ts";
export * from "./sheet.ts";
export * from "./ways.ts";
