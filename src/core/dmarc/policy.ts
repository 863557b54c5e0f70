/** What receivers are asked to do with mail that fails, from lenient to strict (RFC 7489 section 6.3). */
export const POLICIES = ["none", "quarantine", "reject"] as const;
export type Policy = (typeof POLICIES)[number];

/** Whether a TXT text is a DMARC record: the version comes first and exactly so (RFC 7489 section 6.3). */
export const isDmarc = (text: string): boolean => /^v[ \t]*=[ \t]*DMARC1[ \t]*(;|$)/.test(text);

/** Whether one policy is at least as strict as another. */
export const atLeast = (policy: Policy, minimum: Policy): boolean => POLICIES.indexOf(policy) >= POLICIES.indexOf(minimum);

/** The policy one step milder; `none` stays. */
export const milder = (policy: Policy): Policy => (policy === "reject" ? "quarantine" : "none");
