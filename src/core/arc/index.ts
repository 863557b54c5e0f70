/**
 * Forwarded mail (ARC, RFC 8617): who handled a message before, what each of them saw, and whether that can be relied on.
 *
 * ```ts
 * const bodies = new BodyHashes();
 * let chain;
 * const header = await scanMessage(source, (header) => ((chain = new Chain(header, bodies)), bodies.all));
 * await verifyChain(chain, header.value, lookup, now);   // { result: "pass", oldestPass: 0, sets: [{ instance: 1, seal: … }] }
 * readAuthenticationResults("mx.example; dkim=pass header.d=brackwater.example");
 * makeSet(header.value, body, { domain, selector, key, … });   // the three fields to put on top
 * ```
 */
export * from "./authentication-results.ts";
export * from "./chain.ts";
export * from "./make-set.ts";
export type { ArcSet } from "./read-sets.ts";
export * from "./seal.ts";
