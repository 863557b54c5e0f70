import { type DomainName, displayName, name, parseName, relativeText, withoutRootDot } from "../core/name/index.ts";
import { isOfType, printData, type RecordSet, withData } from "../core/record/index.ts";
import { readRecords } from "../core/zone/index.ts";
import type { AuthorityHost } from "./authority.ts";
import { html, page } from "./practice-page.ts";

/** What somebody types into the form. */
export interface Entered {
  readonly type: string;
  readonly host: string;
  readonly value: string;
}

/** Stores one entry as the form understands it; why it is refused where it is. */
export function enter(host: AuthorityHost, apex: DomainName, { type, host: typed, value }: Entered): string | undefined {
  // Like many forms, it puts the domain behind whatever is typed, and takes nothing back.
  const label = typed.trim() === "" || typed.trim() === "@" ? "@" : typed.trim().replace(/\.$/, "");
  const at = label === "@" ? { ok: true as const, value: apex } : parseName(label, apex);
  if (!at.ok) return `“${typed}” is not a valid host.`;
  const data =
    type === "TXT"
      ? JSON.stringify(value.trim())
      : type === "MX" && !/^\d/.test(value.trim())
        ? `10 ${value.trim()}`
        : value.trim();
  const dotted = type === "CNAME" || type === "MX" ? data.replace(/([^.])$/, "$1.") : data;
  const { records, issues } = readRecords(`${at.value} 3600 ${type} ${dotted}`, { origin: apex });
  const [record] = records;
  if (record === undefined || issues.length > 0) return `“${value}” is not a valid value for a ${type} record.`;
  const here = host
    .zones()
    .find((zone) => zone.apex === apex)
    ?.nodes.get(at.value);
  const others = [...(here?.keys() ?? [])].filter((other) => other !== type && other !== "SOA" && other !== "NS");
  if (type === "CNAME" && others.length > 0)
    return `This name is taken: ${displayName(at.value)} has another record, and an alias wants to be alone.`;
  if (here?.has("CNAME") === true && type !== "CNAME")
    return `This name is taken: ${displayName(at.value)} is an alias, beside which nothing may be.`;
  const there = host.set(apex, at.value, type);
  const set: RecordSet = { name: at.value, type, ttl: 3600, data: [record.data] };
  host.put(apex, there === undefined || type === "CNAME" ? set : withData(there, set.data));
  return undefined;
}

/** Whether the form hides a record: what Nettlehost itself put into a new zone it calls system records. */
const isHidden = (set: RecordSet, parked: string): boolean =>
  set.type === "SOA" ||
  set.type === "NS" ||
  (isOfType(set, "A") && set.data.some(({ address }) => address === parked)) ||
  (isOfType(set, "CNAME") && set.data.some(({ target }) => target === name("parked.nettlehost.example")));

/** The form with the zone as the host shows it. */
export function formPage(host: AuthorityHost, apex: DomainName, parked: string, all: boolean, said = ""): string {
  const zone = host.zones().find((candidate) => candidate.apex === apex);
  const sets = [...(zone?.nodes.values() ?? [])]
    .flatMap((node) => [...node.values()])
    .filter((set) => all || !isHidden(set, parked));
  const own = withoutRootDot(apex);
  const rows = sets.flatMap((set) =>
    set.data.map(
      (data) =>
        `<tr><td>${set.type}</td><td>${html(relativeText(set.name, apex))}</td><td><code>${html(printData(set.type, data))}</code></td><td>${set.ttl}</td><td><form method="post" action="/nettlehost/${own}/delete"><input type="hidden" name="name" value="${html(set.name)}"><input type="hidden" name="type" value="${set.type}"><input type="hidden" name="data" value="${html(printData(set.type, data))}"><button>Delete</button></form></td></tr>`,
    ),
  );
  return page(
    `Nettlehost: the zone of ${own}`,
    `${said === "" ? "" : `<p class="said" role="alert">${html(said)}</p>`}<table><tr><th>Type</th><th>Host</th><th>Value</th><th>TTL</th><th></th></tr>${rows.join("")}</table><p><a href="?all=${all ? 0 : 1}">${all ? "Hide" : "Show"} system records</a></p><form method="post" action="/nettlehost/${own}/add"><label>Type <select name="type">${["A", "AAAA", "CNAME", "MX", "TXT"].map((type) => `<option>${type}</option>`).join("")}</select></label> <label>Host <input name="host"> .${own}</label> <label>Value <input name="value" size="40"></label> <button>Add record</button></form>`,
  );
}
