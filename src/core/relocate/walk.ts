import type { Lookup } from "../lookup/index.ts";
import { type DomainName, isBelow } from "../name/index.ts";
import { isOfType, type RecordType } from "../record/index.ts";

/** Types that the DNS host makes itself as it signs. */
const SIGNING: ReadonlySet<RecordType> = new Set(["RRSIG", "NSEC", "DNSKEY", "NSEC3PARAM", "CDS", "CDNSKEY"]);

/** Names that are followed at most; a zone of an organisation has far fewer. */
const MAX_NAMES = 20_000;

/**
 * Every name of a zone with its types, by the list that a signed zone keeps of itself (NSEC, RFC 4034 section 4): each name says
 * which one is next. Undefined where there is no such list, or it is made up for each question (RFC 4470), so that it never ends.
 */
export async function walkNames(
  lookup: Lookup,
  apex: DomainName,
): Promise<ReadonlyMap<DomainName, readonly RecordType[]> | undefined> {
  const names = new Map<DomainName, readonly RecordType[]>();
  let at = apex;
  while (names.size < MAX_NAMES) {
    const answer = await lookup.ask(at, "NSEC");
    const set = answer.kind === "found" && answer.chain.length === 0 && isOfType(answer.set, "NSEC") ? answer.set : undefined;
    const [data] = set?.data ?? [];
    if (set === undefined || data === undefined || set.name !== at) return undefined;
    names.set(
      at,
      data.types.filter((type) => !SIGNING.has(type)),
    );
    const next = data.next.name;
    if (next === apex) return names;
    if (!isBelow(next, apex) || names.has(next) || next.startsWith("\\000")) return undefined;
    at = next;
  }
  return undefined;
}
