import { type DomainName, relativeText } from "../../name/index.ts";
import { type DataOf, decodeUtf8, txtValue } from "../../record/index.ts";
import { isSpf } from "../../spf/index.ts";
import type { Purpose } from "../ask.ts";
import { purposeByName } from "../purpose-by-name.ts";
import type { PastedRecord } from "./pasted.ts";

/** What a record is for, and whether the page or the record says so; otherwise it is the usual purpose of such a record. */
interface PurposeOf {
  readonly purpose: Purpose;
  readonly sure: boolean;
}

/**
 * Words of a page by which it says what a record is for; the first that is found counts. What the reader is told to do (press verify, click
 * here, open the settings, activate) says nothing of it.
 */
const SAID: readonly (readonly [RegExp, Purpose])[] = [
  [
    /\b(?:track(?:ing|ed)|(?:click|open) (?:rates?|track\w*)|clicks and opens|opens and clicks|link branding|branded links?|links in (?:your )?(?:mail|newsletters?|messages))\b/i,
    "tracking",
  ],
  [/\b(?:return[- ]path|bounces?|bounced|envelope|feedback (?:host|domain))\b/i, "bounce"],
  [/\b(?:certificates?|SSL|TLS|ACME)\b/i, "certificate"],
  [
    /\b(?:own(?:s|ed|er|ership)?|verif(?:y|ies|ied|ying|ication)(?: of| that| your| the| you| this| domain| token| code| record|:)|prove|proof|claim|belongs? to you|validat(?:e|ion) (?:of |your |the )?domain)\b/i,
    "ownership",
  ],
];

const first = (table: readonly (readonly [RegExp, Purpose])[], text: string): Purpose | undefined =>
  table.find(([words]) => words.test(text))?.[1];

/** What one record is for, by the words around it, its name and its type. `whole` is everything the page says. */
function purposeOf({ record, about }: PastedRecord, domain: DomainName, whole: string): PurposeOf {
  const { type, name, data } = record;
  const label = relativeText(name, domain);
  const sure = (purpose: Purpose): PurposeOf => ({ purpose, sure: true });
  if (/(?:^|\.)_domainkey(?:\.|$)/.test(label)) return sure("sending");
  if (label === "_dmarc" || label.startsWith("_dmarc.")) return sure("policy");
  if (type === "MX") return sure(label === "@" ? "mailbox" : "bounce");
  if (type === "CAA") return sure("certificate");
  if (label.startsWith("_acme-challenge")) return sure("certificate");
  if (type === "SRV") return sure(/^_(?:imap|pop|submission|autodiscover)/.test(label) ? "mailbox" : "site");
  if (type === "TXT" && isSpf(decodeUtf8(txtValue(data as DataOf["TXT"])))) return sure(label === "@" ? "sending" : "bounce");
  const said = first(SAID, about);
  if (type === "TXT") return sure(said === "certificate" ? "certificate" : "ownership");
  if (type === "A" || type === "AAAA") return sure("site");
  if (said !== undefined) return sure(said);
  const target = "target" in data ? data.target : "";
  const named = purposeByName(label, target);
  if (named !== undefined) return sure(named);
  if (label === "www" || label === "@" || label === "*" || label.startsWith("*.")) return sure("site");
  const inPage = first(SAID, whole);
  if (label.startsWith("_")) return sure(inPage === "ownership" ? "ownership" : "certificate");
  return inPage === undefined ? { purpose: "site", sure: false } : sure(inPage);
}

/** The records of a paste in groups that a specialist would name: one for each purpose, in the order of the page. */
export function byPurpose(
  records: readonly PastedRecord[],
  domain: DomainName,
  text: string,
): { readonly purpose: Purpose; readonly sure: boolean; readonly records: readonly PastedRecord[] }[] {
  const groups = new Map<Purpose, { sure: boolean; records: PastedRecord[] }>();
  // A page that speaks of one record only speaks of it everywhere.
  const whole = records.length === 1 ? text.slice(0, 5000) : "";
  for (const record of records) {
    const { purpose, sure } = purposeOf(record, domain, whole);
    const group = groups.get(purpose);
    if (group === undefined) groups.set(purpose, { sure, records: [record] });
    else {
      // What a page asks for beside the addresses of a site belongs to that site.
      group.sure ||= sure;
      group.records.push(record);
    }
  }
  return [...groups].map(([purpose, group]) => ({ purpose, ...group }));
}
