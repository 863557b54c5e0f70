/**
 * Moving a zone to another DNS host.
 *
 * ```ts
 * const { sets, unresolved } = await captureByAsking(lookup, apex, namesToAsk(apex, known));
 * zoneText(apex, sets, ["taken from Nettlehost"]);
 * await compareSides(oldLookup, newLookup, apex, wanted);   // { same, differences, unresolved }
 * judgeCutOver(delegated, expected, clocks);                // { state: "moved", oldHostUntil }
 * ```
 */
export * from "./plan.ts";
export * from "./relocate.ts";
export * from "./signatures.ts";
export { USUAL_NAMES, USUAL_TYPES } from "./usual-names.ts";
export * from "./walk.ts";
