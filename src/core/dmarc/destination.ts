import type { Clause } from "../clause/index.ts";
import type { Lookup } from "../lookup/index.ts";
import { type DomainName, isAtOrBelow, mailDomainOf, name as nameOf, under } from "../name/index.ts";
import { decodeUtf8, isOfType, txtValue } from "../record/index.ts";
import { isDmarc } from "./policy.ts";
import type { ReportUri } from "./record.ts";

/** The domain reports are sent to; undefined where the URI names none. */
export function destinationOf({ address }: ReportUri): DomainName | undefined {
  return address === undefined ? undefined : mailDomainOf(address);
}

/** The name at which another organization allows reports about a domain (RFC 7489 section 7.1). */
export const permissionName = (domain: DomainName, destination: DomainName): DomainName | undefined =>
  under(domain, under(nameOf("_report._dmarc"), destination) ?? destination);

/** Whether reports about a domain may go to a destination. */
export type Permission = "own" | "granted" | "missing" | { readonly failed: Clause };

/** Asks whether a destination takes reports about a domain, as receivers do before they send any (RFC 7489 section 7.1). */
export async function verifyExternalDestination(
  domain: DomainName,
  organizational: DomainName,
  destination: DomainName,
  lookup: Lookup,
): Promise<Permission> {
  if (isAtOrBelow(destination, organizational)) return "own";
  const at = permissionName(domain, destination);
  if (at === undefined) return "missing";
  const answer = await lookup.ask(at, "TXT");
  if (answer.kind === "failed") return { failed: answer.detail };
  const granted =
    answer.kind === "found" && isOfType(answer.set, "TXT") && answer.set.data.some((data) => isDmarc(decodeUtf8(txtValue(data))));
  return granted ? "granted" : "missing";
}
