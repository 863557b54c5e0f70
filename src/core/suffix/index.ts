/**
 * Organizational domains by the public suffix list (RFC 7489 section 3.2).
 *
 * ```ts
 * organizationalDomain(name("mail.brackwater.example"));   // "brackwater.example."
 * ```
 * Kept apart from `core/name`, because the list is large and few commands need it.
 */
import { getDomain, parse } from "tldts";
import { type DomainName, isAtOrBelow, name } from "../name/index.ts";

const OPTIONS = { allowPrivateDomains: true, extractHostname: false, validateHostname: false } as const;

/** The domain one label below the public suffix; the name itself where it is a public suffix. */
export function organizationalDomain(of: DomainName): DomainName {
  const found = getDomain(of.slice(0, -1), OPTIONS);
  const domain = found === null ? undefined : name(found);
  return domain !== undefined && isAtOrBelow(of, domain) ? domain : of;
}

/** Whether a name ends in a suffix under which anybody can register, by the public part of the list. */
export const isPublicSuffix = (text: string): boolean => parse(text, OPTIONS).isIcann === true;
