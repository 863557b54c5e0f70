/**
 * The chain of trust from an anchor to an answer (RFC 4033 to 4035, 5155, 6840): what may be believed, and the exact reason
 * where it may not.
 *
 * ```ts
 * const chain = new ChainOfTrust(signedLookup, ROOT_ANCHORS, Math.floor(Date.now() / 1000));
 * await chain.judge(name("brackwater.example"), "TXT");
 * // { kind: "bogus", flaw: { code: "ds-without-key", zone: "brackwater.example.", dsTags: [4711], keyTags: [815] , … } }
 * ```
 */
export * from "./anchors.ts";
export * from "./chain.ts";
export { compareNames, MAX_ITERATIONS, nsec3Hash } from "./denial.ts";
export { dsFor, keyTag, OUTDATED_ALGORITHMS, ownerOctets, standsFor } from "./keys.ts";
export { signedOctets, verifySet } from "./signature.ts";
