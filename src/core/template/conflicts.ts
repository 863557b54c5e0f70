import { type DomainName, isAtOrBelow, parseName, withoutRootDot } from "../name/index.ts";
import { type DataOf, decodeUtf8, isOfType, type RecordSet, txtValue } from "../record/index.ts";
import type { TemplateCall } from "./link.ts";
import { type TemplateRecord, withVariables } from "./template.ts";

/** How a template treats texts that stand at the name of one of its own. */
type TextConflict = { readonly mode: "none" } | { readonly mode: "all" } | { readonly mode: "prefix"; readonly prefix: string };

/** A record that a host is about to put into the zone, as its conflict rules see it. */
export interface Incoming {
  readonly name: DomainName;
  readonly type: string;
  readonly texts?: TextConflict;
}

/** The rule for texts at the name of a template's record. */
function textsOf(record: TemplateRecord): TextConflict {
  switch (record.txtConflictMatchingMode) {
    case "All":
      return { mode: "all" };
    case "Prefix":
      return { mode: "prefix", prefix: record.txtConflictMatchingPrefix ?? "" };
    default:
      return { mode: "none" };
  }
}

/** How the host's own variables and those of a call are filled in. */
function filler({ host = "", variables }: Pick<TemplateCall, "host" | "variables">, apex: DomainName): (text: string) => string {
  const domain = withoutRootDot(apex);
  const given: Readonly<Record<string, string>> = { domain, host, fqdn: host === "" ? domain : `${host}.${domain}` };
  return (text) => withVariables(text, (variable) => given[variable] ?? variables[variable] ?? "");
}

/**
 * What the records of a template are to the zone: each with its name, by whichever spelling, and its rule for texts. Only the groups of the
 * call count.
 */
export function incomingRecords(
  records: readonly TemplateRecord[],
  call: Pick<TemplateCall, "groups" | "host" | "variables">,
  apex: DomainName,
): Incoming[] {
  const fill = filler(call, apex);
  const at = call.host === undefined ? apex : under(apex, call.host);
  return records
    .filter(({ groupId = "" }) => call.groups.length === 0 || call.groups.includes(groupId))
    .flatMap((record): Incoming[] => {
      const label = (text = "") => (text.startsWith("_") ? text : `_${text}`);
      const host =
        record.type === "SRV"
          ? [label(fill(record.service ?? "")), label(fill(record.protocol ?? "").toLowerCase()), fill(record.name ?? "@")]
              .filter((part) => part !== "@" && part !== "")
              .join(".")
          : fill(record.host ?? "@").replace(/^\.|(?<=\.)\./g, "");
      const name = under(at, host);
      return isAtOrBelow(name, apex) ? [{ name, type: record.type, texts: textsOf(record) }] : [];
    });
}

/** A host field as a name: `@` and nothing are the name itself, a whole name stays one. */
function under(origin: DomainName, host: string): DomainName {
  const text = host === "" ? "@" : host;
  // A host that ends in the domain was meant whole, with or without its final dot.
  const whole = parseName(text.endsWith(".") ? text : `${text}.`);
  if (text !== "@" && whole.ok && isAtOrBelow(whole.value, origin)) return whole.value;
  const parsed = text === "@" ? undefined : parseName(text, origin);
  return parsed === undefined || !parsed.ok ? origin : parsed.value;
}

/** Types whose place a web redirect and an alias flattened by the host take. */
const WEB: ReadonlySet<string> = new Set(["A", "AAAA", "CNAME"]);

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
    case "APEXCNAME":
    case "REDIR301":
    case "REDIR302":
      return WEB.has(set.type) ? set.data : [];
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
