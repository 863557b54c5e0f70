import { type DomainName, displayName, isAtOrBelow, name, parseName, relativeText, withoutRootDot } from "../core/name/index.ts";
import { isOfType, printData, type RecordSet, splitCharacterStrings, toSets, withData } from "../core/record/index.ts";
import { readRecords, readZone } from "../core/zone/index.ts";
import type { AuthorityHost } from "./authority.ts";
import { html, page } from "./practice-page.ts";
import { emptyZone, nameServersOf, type PracticeHost } from "./zones.ts";

/** What somebody types into the form. */
export interface Entered {
  readonly type: string;
  readonly host: string;
  readonly value: string;
}

/** A DNS host with a form, and what its form does with what is typed. */
export interface FormHost {
  readonly key: PracticeHost;
  readonly title: string;
  readonly host: AuthorityHost;
  /** Whether it sees that a name has the domain behind it already. */
  readonly knowsWholeNames: boolean;
  /** Whether it stores texts in lower case. */
  readonly lowerCases: boolean;
  /** After how many characters it begins another string of a text. */
  readonly splitsAt: number;
  /** Whether it signs what it serves (DNSSEC). */
  readonly signs: boolean;
}

/** The habits of the forms: the one puts the domain behind everything, the other stores in lower case and in small pieces. */
export const FORMS: Readonly<Record<PracticeHost, Omit<FormHost, "host" | "signs">>> = {
  nettlehost: { key: "nettlehost", title: "Nettlehost", knowsWholeNames: false, lowerCases: false, splitsAt: 255 },
  zonemarrow: { key: "zonemarrow", title: "Zonemarrow", knowsWholeNames: true, lowerCases: true, splitsAt: 100 },
};

/** The text as the form stores it. */
const stored = (text: string, { lowerCases, splitsAt }: FormHost): string =>
  splitCharacterStrings(lowerCases ? text.toLowerCase() : text, splitsAt)
    .map((piece) => JSON.stringify(piece))
    .join(" ");

/** Stores one entry as the form understands it; why it is refused where it is. */
export function enter(form: FormHost, apex: DomainName, { type, host: typed, value }: Entered): string | undefined {
  const { host } = form;
  // Like many forms, it puts the domain behind whatever is typed, and takes nothing back.
  const label = typed.trim() === "" || typed.trim() === "@" ? "@" : typed.trim().replace(/\.$/, "");
  const whole = parseName(label);
  const isWhole = form.knowsWholeNames && whole.ok && isAtOrBelow(whole.value, apex);
  const at = label === "@" ? { ok: true as const, value: apex } : isWhole ? whole : parseName(label, apex);
  if (!at.ok) return `“${typed}” is not a valid host.`;
  const data =
    type === "TXT"
      ? stored(value.trim(), form)
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

/** Whether the form hides a record: what the host itself put into a new zone it calls system records. */
const isHidden = (set: RecordSet, parked: string): boolean =>
  set.type === "SOA" ||
  set.type === "NS" ||
  (isOfType(set, "A") && set.data.some(({ address }) => address === parked)) ||
  (isOfType(set, "CNAME") && set.data.some(({ target }) => target === name("parked.nettlehost.example")));

/** The form with the zone as the host shows it. */
export function formPage({ key, title, host }: FormHost, apex: DomainName, parked: string, all: boolean, said = ""): string {
  const zone = host.zones().find((candidate) => candidate.apex === apex);
  const sets = [...(zone?.nodes.values() ?? [])]
    .flatMap((node) => [...node.values()])
    .filter((set) => all || !isHidden(set, parked));
  const own = withoutRootDot(apex);
  const rows = sets.flatMap((set) =>
    set.data.map(
      (data) =>
        `<tr><td>${set.type}</td><td>${html(relativeText(set.name, apex))}</td><td><code>${html(printData(set.type, data))}</code></td><td>${set.ttl}</td><td><form method="post" action="/${key}/${own}/delete"><input type="hidden" name="name" value="${html(set.name)}"><input type="hidden" name="type" value="${set.type}"><input type="hidden" name="data" value="${html(printData(set.type, data))}"><button>Delete</button></form></td></tr>`,
    ),
  );
  return page(
    `${title}: the zone of ${own}`,
    `${said === "" ? "" : `<p class="said" role="alert">${html(said)}</p>`}<table><tr><th>Type</th><th>Host</th><th>Value</th><th>TTL</th><th></th></tr>${rows.join("")}</table><p><a href="?all=${all ? 0 : 1}">${all ? "Hide" : "Show"} system records</a></p><form method="post" action="/${key}/${own}/add"><label>Type <select name="type">${["A", "AAAA", "CNAME", "MX", "TXT"].map((type) => `<option>${type}</option>`).join("")}</select></label> <label>Host <input name="host"> .${own}</label> <label>Value <input name="value" size="40"></label> <button>Add record</button></form>`,
  );
}

/** Adds a domain with the records of a zone file, none where it is empty; why not, as the host says it. */
export function addZone({ key, host, signs }: FormHost, apex: DomainName, text: string): string | undefined {
  const { entries, issues } = readZone(Buffer.from(text).toString("latin1"), { origin: apex, ttl: 3600 });
  if (issues.length > 0) return `Line ${issues[0]?.line} of the zone file cannot be read.`;
  const stray = entries.find((entry) => !isAtOrBelow(entry.name, apex));
  if (stray !== undefined) return `${displayName(stray.name)} is not in ${displayName(apex)}.`;
  host.serve(apex, emptyZone(key));
  if (signs) host.sign(apex);
  // Whose servers answer, and with which keys, is the host's own business.
  const isOwn = (set: RecordSet): boolean => set.name === apex && ["SOA", "NS", "DNSKEY"].includes(set.type);
  for (const set of toSets(entries)) if (!isOwn(set)) host.preset(apex, set);
  return undefined;
}

/** What a DNS host shows of a domain that it does not have yet. */
export function addZonePage({ key, title }: FormHost, apex: DomainName, said = ""): string {
  const own = withoutRootDot(apex);
  return page(
    `${title}: ${own} is not here yet`,
    `${said === "" ? "" : `<p class="said" role="alert">${html(said)}</p>`}<p>Add the domain, and paste its records as a zone file if you have one. It answers for nobody until the registrar names ${title}’s name servers: <code>${nameServersOf(key).map(withoutRootDot).join("</code> and <code>")}</code>.</p><form method="post" action="/${key}/${own}/zone"><label for="zone">Zone file</label><br><textarea id="zone" name="zone" rows="14" cols="70"></textarea><br><button>Add ${html(own)}</button></form>`,
  );
}
