/**
 * DMARC records.
 *
 * ```ts
 * policyOf("v=DMARC1; p=quarantine; rua=mailto:dmarc@brackwater.example");   // "quarantine"
 * atLeast("reject", "none");                                                 // true
 * ```
 */
export * from "./policy.ts";
