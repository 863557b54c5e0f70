/** What receivers are asked to do with mail that fails, from lenient to strict (RFC 7489 section 6.3). */
export const POLICIES = ["none", "quarantine", "reject"] as const;
export type Policy = (typeof POLICIES)[number];

/** Whether a TXT text is a DMARC record: the version comes first and exactly so (RFC 7489 section 6.3). */
export const isDmarc = (text: string): boolean => /^v\s*=\s*DMARC1\s*(;|$)/.test(text);

/** The policy a DMARC record names; undefined where it names none that exists. */
export function policyOf(text: string): Policy | undefined {
  const value = /;\s*p\s*=\s*([a-z]+)\s*(?:;|$)/i.exec(text)?.[1]?.toLowerCase();
  return POLICIES.find((policy) => policy === value);
}

/** Whether one policy is at least as strict as another. */
export const atLeast = (policy: Policy, minimum: Policy): boolean => POLICIES.indexOf(policy) >= POLICIES.indexOf(minimum);

/** Whether a record asks for no more than a minimum policy, so that any stricter record satisfies it. */
export const isMinimum = (text: string): boolean => /^v=DMARC1;\s*p=[a-z]+;?\s*$/i.test(text);
