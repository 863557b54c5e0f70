import { type Clause, clause } from "../clause/index.ts";
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
function textBreaks(text: string, name: DomainName): Clause {
  if (isKeyText(text)) return clause("change-breaks-key", { name });
  if (isSpf(text)) return clause("change-breaks-spf", { name });
  if (isDmarc(text)) return clause("change-breaks-policy");
  return clause("change-breaks-proof", { text, name });
}

/** What stops working when a set goes, in words for people who do not know record types. */
export async function breaksWithout(set: RecordSet, domain: DomainName, lookup: Lookup): Promise<Clause> {
  const name = displayName(set.name);
  if (isOfType(set, "TXT"))
    return clause("change-breaks-all", { parts: set.data.map((data) => textBreaks(decodeUtf8(txtValue(data)), set.name)) });
  if (set.type === "A" || set.type === "AAAA" || set.type === "CNAME") {
    if ((await mailServersOf(domain, lookup)).includes(set.name)) return clause("change-breaks-mail", { domain, name });
    if (set.name.includes("._domainkey.")) return clause("change-breaks-key-behind", { name });
  }
  switch (set.type) {
    case "A":
    case "AAAA":
      return clause("change-breaks-address", { name, set: shown(set) });
    case "CNAME":
      return clause("change-breaks-alias", { name, set: shown(set) });
    case "MX":
      return clause("change-breaks-mx", { name, set: shown(set) });
    case "NS":
      return clause("change-breaks-zone", { name });
    default:
      return clause("change-breaks-record", { type: set.type, name });
  }
}
