import { isKeyText } from "../dkim/index.ts";
import { isDmarc } from "../dmarc/index.ts";
import type { Lookup } from "../lookup/index.ts";
import { type DomainName, displayName } from "../name/index.ts";
import { decodeUtf8, isOfType, printData, type RecordSet, txtValue } from "../record/index.ts";
import { isSpf } from "../spf/index.ts";

/** The data of a set inside a sentence: names without the final dot, which would end it. */
export const shown = (set: RecordSet): string => set.data.map((data) => printData(set.type, data).replace(/\.$/, "")).join(", ");

/** The names that mail for a domain is delivered to; none where that could not be asked. */
async function mailServersOf(domain: DomainName, lookup: Lookup): Promise<readonly DomainName[]> {
  const answer = await lookup.ask(domain, "MX");
  return answer.kind === "found" && isOfType(answer.set, "MX") ? answer.set.data.map(({ exchange }) => exchange) : [];
}

/** What stops working without a text, by what the text is for. */
function textBreaks(text: string, name: DomainName): string {
  if (isKeyText(text)) return `mail signed with the key at ${displayName(name)} fails until the service signs with another one`;
  if (isSpf(text))
    return `mail sent with an address at ${displayName(name)} is no longer allowed by SPF (the list of servers that may send)`;
  if (isDmarc(text)) return `receivers no longer know what to do with mail that is not proven, and send no reports`;
  return `whatever is proven with “${text.length > 40 ? `${text.slice(0, 40)}…` : text}” at ${displayName(name)} may lapse`;
}

/** What stops working when a set goes, in words for people who do not know record types. */
export async function breaksWithout(set: RecordSet, domain: DomainName, lookup: Lookup): Promise<string> {
  const name = displayName(set.name);
  if (isOfType(set, "TXT"))
    return [...new Set(set.data.map((data) => textBreaks(decodeUtf8(txtValue(data)), set.name)))].join("; ");
  if (set.type === "A" || set.type === "AAAA" || set.type === "CNAME") {
    if ((await mailServersOf(domain, lookup)).includes(set.name))
      return `mail for all of ${displayName(domain)} stops, because ${name} is its mail server`;
    if (set.name.includes("._domainkey."))
      return `mail signed with the key behind ${name} fails until the service signs with another one`;
  }
  switch (set.type) {
    case "A":
    case "AAAA":
      return `whatever is reached at ${name} today (${shown(set)}) is no longer reached there`;
    case "CNAME":
      return `whatever ${name} leads to today (${shown(set)}) is no longer reached there`;
    case "MX":
      return `mail to ${name} no longer arrives at ${shown(set)}`;
    case "NS":
      return `everything below ${name} is no longer found`;
    default:
      return `the ${set.type} record at ${name} is no longer found`;
  }
}
