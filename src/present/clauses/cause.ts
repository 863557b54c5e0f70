import type { CauseClauses } from "../../core/clause/index.ts";
import { displayName } from "../../core/name/index.ts";
import { allOf, listOf } from "../english.ts";
import type { WordsOf } from "./words.ts";

const quote = (text: string, most = 60): string => `“${text.length > most ? `${text.slice(0, most)}…` : text}”`;

/** What a tag of a policy is, and what it should be. */
function difference({ tag, is, was }: CauseClauses["cause-other-policy"]["differences"][number]): string {
  if (was === undefined) return `${tag}= is missing`;
  return is === undefined ? `${tag}=${was} is there and not wanted` : `${tag}=${was} is there instead of ${tag}=${is}`;
}

function misplaced({ kind, at, wanted }: CauseClauses["cause-misplaced"]): string {
  switch (kind) {
    case "name-doubled":
      return `the right record is at ${displayName(at)}: the DNS host added the domain to a name that already had it`;
    case "at-apex":
      return `the right record is at ${displayName(at)}, the domain itself, instead of ${displayName(wanted)}`;
    case "at-label":
      return `the right record is at ${displayName(at)} instead of ${displayName(wanted)}`;
  }
}

export const CAUSE: WordsOf<CauseClauses> = {
  "cause-other-policy": ({ at, differences }) =>
    `${at} has another version of the DMARC record: ${listOf(differences.map(difference))}`,
  "cause-value": ({ text, at, because }, say) => `${quote(text)} at ${at}: ${say(because)}`,
  "cause-broken-spf": ({ at, text, message }, say) => `the SPF record of ${at} cannot be read at ${quote(text)}: ${say(message)}`,
  "cause-some-servers-only": ({ having, lacking, behind }) => {
    const older = behind?.older.map(({ name, serial }) => `${name} still has version ${serial}`).join(", ");
    const why = behind === undefined ? "" : ` (${older}, the newest is ${behind.newest})`;
    return `${allOf(having, "has", "have")} the record and ${allOf(lacking, "does", "do")} not, so the answer depends on luck${why}`;
  },
  "cause-misplaced": misplaced,
  "cause-misplaced-mend": ({ host }) =>
    `change the host of that record to ${host === "@" ? "@ (or leave the host field empty, where the form wants that)" : host}`,
  "cause-leftover-mend": ({ host, type, entries }) => {
    const fields = entries.map(
      ({ host: field, value }) => `with the host ${field === "" ? "left empty" : `“${field}”`} and the value “${value}”`,
    );
    return `${host === undefined ? "where the domain’s DNS records are kept" : `at ${host}`}, delete the ${type} ${entries.length === 1 ? "record" : "records"} ${listOf(fields)}`;
  },
  "cause-options": ({ options }, say) => options.map(say).join("; or "),
  "cause-target-doubled": ({ type, at, doubled }) =>
    `the ${type} of ${at} leads to ${displayName(doubled)}: the DNS host added the domain to the target, because the final dot was missing`,
  "cause-target-doubled-mend": ({ target }) => `enter the target with a final dot: ${target}`,
  "cause-target-is-url": ({ type, at, url }) =>
    `the ${type} of ${at} leads to ${displayName(url)}, which is the address of a page and not a name`,
  "cause-target-is-url-mend": ({ target }) => `enter only the name: ${target}`,
  "cause-other-target": ({ type, at, other, plain }) => `the ${type} of ${at} leads to ${displayName(other)}, not to ${plain}`,
  "cause-other-target-mend": ({ target }) => `change the target to ${target}`,
  "cause-quoted-twice": "the value has quotation marks inside it, which the DNS host added to its own",
  "cause-quoted-twice-mend": "enter the value without quotation marks",
  "cause-typographic": "the value has typographic quotation marks or dashes, as a text editor makes them",
  "cause-typographic-mend": "copy the value from the service again, not through a document",
  "cause-white-space": "the value has spaces at its beginning or end",
  "cause-white-space-mend": "enter the value without spaces around it",
  "cause-wrapped": ({ character }) => `the value has a space or line break inside it, at character ${character}`,
  "cause-wrapped-mend": "enter the value as one unbroken line",
  "cause-case-changed": ({ character }) => `capital and small letters differ, first at character ${character}`,
  "cause-case-changed-mend": "enter the value exactly as the service shows it",
  "cause-escaped": "the value has backslashes that are not part of it",
  "cause-escaped-mend": "enter the value without backslashes",
  "cause-html-entities": "the value has the markup of a page in it, such as &quot; for a quotation mark",
  "cause-html-entities-mend": "copy the value from the page itself, not from its source",
  "cause-cut": ({ seen, wanted }) => `only ${seen} of its ${wanted} characters are there`,
  "cause-cut-mend": "enter the value whole; some forms need a long value in several quoted parts",
  "cause-extra-text": "the value has other text around it",
  "cause-extra-text-mend": "enter only the value, nothing before or behind it",
  "cause-other-token": "an older or another token of the same service is there",
  "cause-other-token-mend": "publish the token the service shows now; the old one may stay until that is proven",
  "cause-other-policy-mend": "publish the new version; it takes the place of the old one",
  "cause-split-records": ({ parts, at }) =>
    `the value was published in ${parts} separate records at ${at}; only the strings of one record are joined`,
  "cause-split-records-mend": "delete these records and enter the value as one record",
  "cause-second-spf": ({ at, spf }) => `${at} has ${spf} SPF records, and with more than one, receivers use none`,
  "cause-second-spf-mend": ({ at }) => `make them one: zandrel draft --replace ${at} shows how`,
  "cause-broken-spf-mend": "correct that term",
  "cause-broken-spf-meant": ({ meant }) => `write ${meant} there`,
  "cause-second-dmarc": ({ at, dmarc }) => `${at} has ${dmarc} DMARC records, and with two, receivers use neither`,
  "cause-second-dmarc-mend": "delete all but the one that says what you want",
  "cause-wrong-type": ({ target, at }) =>
    `${displayName(target)} was published at ${at} as a TXT record; the service wants a CNAME`,
  "cause-wrong-type-mend": "delete the TXT record and enter a CNAME record",
  "cause-alias-in-the-way": ({ at, target }) =>
    `${at} is an alias (CNAME) for ${displayName(target)}, so no other record may be there`,
  "cause-alias-in-the-way-mend": `ask the service for a way with another name, or remove the alias if nothing needs it: zandrel draft shows what would break`,
  "cause-wildcard-answers": ({ at, wildcard }) =>
    `nothing is published at ${at} itself; the wildcard ${displayName(wildcard)} answers there, with something else`,
  "cause-wildcard-answers-mend": ({ at }) => `publish the record at ${at}: it takes the wildcard's place there`,
  "cause-below-dname": ({ above, at, to }) =>
    `everything below ${above} is led elsewhere (by a DNAME record), so what is entered at ${at} is never seen: ${to} answers for it`,
  "cause-below-dname-mend": ({ to, above }) => `publish the record at ${to}, or remove the DNAME record at ${above}`,
  "cause-below-zone-cut": ({ cut, at, apex }) =>
    `${cut} is a zone of its own with other name servers, so what you enter for ${at} in ${displayName(apex)} is never asked for`,
  "cause-below-zone-cut-mend": ({ cut, servers }) => `publish it where ${cut} is served: ${listOf(servers)}`,
  "cause-some-servers-only-mend":
    "wait a few minutes for the servers to agree; if they do not, ask the DNS host why this one lags behind",
  "cause-not-delegated": ({ title, apex }) =>
    `the record is published at ${title}, but ${displayName(apex)} is not delegated to the name servers of ${title}, so nobody asks there`,
  "cause-not-delegated-mend": ({ apex }) =>
    `publish it at the DNS host that answers for ${displayName(apex)}, or change the name servers at the registrar`,
  "cause-other-zone": ({ name }) => `the record is published at ${displayName(name)}, in another of your domains`,
  "cause-other-zone-mend": ({ name }) => `publish it at ${displayName(name)} instead`,
};
