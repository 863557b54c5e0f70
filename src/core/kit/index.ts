/**
 * Kits: what a service always asks for, with blanks to fill in (docs/kits.md).
 *
 * ```ts
 * const kit = kitSchema.parse(read);
 * checkKit(kit);                                     // mistakes that the shape alone does not show
 * fillKit(kit, domain, new Map([["token", "4f1d"]]), 3600);   // { ok: true, value: { asks, later } }
 * ```
 */
export * from "./fill.ts";
export { checkKit, isGiven, type Kit, kitSchema, withBlanks } from "./kit.ts";
export * from "./match.ts";
