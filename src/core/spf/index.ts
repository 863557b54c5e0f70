/**
 * SPF records (RFC 7208): read with the place of every mistake, combined, counted.
 *
 * ```ts
 * readSpfRecord("v=spf1 ipv4:192.0.2.0/24 -all");   // { ok: false, error: [{ at: 7, meant: "ip4:192.0.2.0/24", … }] }
 * combine(record, [asked]);                    // "v=spf1 include:spf.inglemail.example include:spf.heronpost.example -all"
 * await spfCost(record, lookup);               // { lookups: 4, uncounted: [], terms: [...] }
 * ```
 */
export * from "./combine.ts";
export { describeTerm } from "./describe.ts";
export * from "./evaluate.ts";
export * from "./flatten.ts";
export { expandMacros, fitName, type MacroContext } from "./macro.ts";
export * from "./networks.ts";
export * from "./parse.ts";
export { spfIn } from "./published.ts";
export * from "./tree.ts";
export * from "./tree-outcome.ts";
