import { type DomainName, isAtOrBelow } from "../name/index.ts";
import { type DataOf, decodeUtf8, isOfType, type RecordSet, txtValue } from "../record/index.ts";

/** How a template treats texts that stand at the name of one of its own. */
type TextConflict = { readonly mode: "none" } | { readonly mode: "all" } | { readonly mode: "prefix"; readonly prefix: string };

/** A record that a host is about to put into the zone, as its conflict rules see it. */
export interface Incoming {
  readonly name: DomainName;
  readonly type: string;
  readonly texts?: TextConflict;
}

/** Whether a host that applies a template takes a standing set away, and which of its data. */
function removedBy({ name, type, texts = { mode: "none" } }: Incoming, set: RecordSet): RecordSet["data"] {
  // A delegation takes everything at and below the name with it.
  if (type === "NS") return isAtOrBelow(set.name, name) ? set.data : [];
  if (set.name !== name) return [];
  if (type === "CNAME") return set.data;
  if (set.type === "CNAME") return set.data;
  switch (type) {
    case "A":
    case "AAAA":
      return set.type === "A" || set.type === "AAAA" ? set.data : [];
    case "MX":
    case "SRV":
      return set.type === type ? set.data : [];
    case "TXT": {
      if (!isOfType(set, "TXT") || texts.mode === "none") return [];
      const text = (data: DataOf["TXT"]) => decodeUtf8(txtValue(data));
      return set.data.filter((data) => texts.mode === "all" || text(data).startsWith(texts.prefix));
    }
    default:
      return [];
  }
}

/**
 * What of a zone a host removes by itself when it applies a template, by the conflict rules of the open set-up format: addresses
 * replace addresses and aliases, an alias replaces everything at its name, mail servers replace mail servers, and texts go where
 * the template says so. The zone's own SOA, and its name servers, stay.
 */
export function removedByHost(zone: Iterable<RecordSet>, apex: DomainName, incoming: readonly Incoming[]): RecordSet[] {
  const removed: RecordSet[] = [];
  for (const set of zone) {
    if (set.name === apex && (set.type === "SOA" || set.type === "NS")) continue;
    const gone = new Set(incoming.flatMap((one) => [...removedBy(one, set)]));
    if (gone.size > 0) removed.push({ ...set, data: set.data.filter((data) => gone.has(data)) });
  }
  return removed;
}
