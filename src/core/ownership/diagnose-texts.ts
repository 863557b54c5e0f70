import type { DnsWant } from "../ask/index.ts";
import { isDmarc } from "../dmarc/index.ts";
import { listOf } from "../english.ts";
import type { Answer } from "../lookup/index.ts";
import { type DomainName, displayName } from "../name/index.ts";
import { type DataOf, decodeUtf8, isOfType, type RecordSet, txtValue } from "../record/index.ts";
import { isSpf, readSpfRecord } from "../spf/index.ts";
import { readTagList } from "../tag-list.ts";
import type { Cause } from "./cause.ts";
import { firstDifference, type ValueMismatch, valueMismatch } from "./value.ts";

const quote = (text: string, most = 60) => `“${text.length > most ? `${text.slice(0, most)}…` : text}”`;

const VALUE_WORDS: Readonly<Record<ValueMismatch, (wanted: string, seen: string) => readonly [string, string]>> = {
  "quoted-twice": () => [
    "the value has quotation marks inside it, which the DNS host added to its own",
    "enter the value without quotation marks",
  ],
  typographic: () => [
    "the value has typographic quotation marks or dashes, as a text editor makes them",
    "copy the value from the service again, not through a document",
  ],
  "white-space": () => ["the value has spaces at its beginning or end", "enter the value without spaces around it"],
  wrapped: (wanted, seen) => [
    `the value has a space or line break inside it, at character ${firstDifference(wanted, seen)}`,
    "enter the value as one unbroken line",
  ],
  "case-changed": (wanted, seen) => [
    `capital and small letters differ, first at character ${firstDifference(wanted, seen)}`,
    "enter the value exactly as the service shows it",
  ],
  escaped: () => ["the value has backslashes that are not part of it", "enter the value without backslashes"],
  "html-entities": () => [
    "the value has the markup of a page in it, such as &quot; for a quotation mark",
    "copy the value from the page itself, not from its source",
  ],
  cut: (wanted, seen) => [
    `only ${seen.length} of its ${wanted.length} characters are there`,
    "enter the value whole; some forms need a long value in several quoted parts",
  ],
  "extra-text": () => ["the value has other text around it", "enter only the value, nothing before or behind it"],
  "other-value": () => [
    "an older or another token of the same service is there",
    "publish the token the service shows now; the old one may stay until that is proven",
  ],
};

/** The texts an answer holds. */
export const texts = (answer: Answer): string[] =>
  answer.kind === "found" && isOfType(answer.set, "TXT") ? answer.set.data.map((data) => decodeUtf8(txtValue(data))) : [];

export const targets = (answer: Answer): DomainName[] => {
  const set = answer.chain[0] ?? (answer.kind === "found" ? answer.set : undefined);
  return set?.type === "CNAME" ? (set as RecordSet<DataOf["CNAME"]>).data.map((data) => data.target) : [];
};

const wantedTexts = (wanted: RecordSet): string[] =>
  isOfType(wanted, "TXT") ? wanted.data.map((data) => decodeUtf8(txtValue(data))) : [];

/** What a DMARC record says otherwise than is wanted, tag by tag. */
function policyDifference(wanted: string, seen: readonly string[], at: string): Cause[] {
  const [there, ...more] = seen;
  if (there === undefined || more.length > 0) return [];
  const [want, has] = [wanted, there].map((text) => new Map(readTagList(text).tags.map(({ name, value }) => [name, value]))) as [
    Map<string, string>,
    Map<string, string>,
  ];
  const differences = [...new Set([...want.keys(), ...has.keys()])].flatMap((tag) => {
    const [is, was] = [want.get(tag), has.get(tag)];
    if (is === was) return [];
    if (was === undefined) return [`${tag}= is missing`];
    return [is === undefined ? `${tag}=${was} is there and not wanted` : `${tag}=${was} is there instead of ${tag}=${is}`];
  });
  if (differences.length === 0) return [];
  return [
    {
      kind: "other-value",
      at,
      because: `${at} has another version of the DMARC record: ${listOf(differences)}`,
      remedy: "publish the new version; it takes the place of the old one",
    },
  ];
}

/** How the texts at a name come close to the wanted ones. */
export function diagnoseValues(wanted: RecordSet<DataOf["TXT"]>, answer: Answer): Cause[] {
  const at = displayName(wanted.name);
  const seen = texts(answer);
  return wanted.data.flatMap((data) => {
    const value = decodeUtf8(txtValue(data));
    if (seen.includes(value)) return [];
    // A policy says the same in many spellings: it is compared tag by tag, never character by character.
    if (isDmarc(value)) return policyDifference(value, seen.filter(isDmarc), at);
    const causes = seen.flatMap((text): Cause[] => {
      const kind = valueMismatch(value, text);
      if (kind === undefined) return [];
      const [because, remedy] = VALUE_WORDS[kind](value, text);
      return [{ kind, at, because: `${quote(text)} at ${at}: ${because}`, remedy }];
    });
    const parts = seen.filter((text) => text.length > 0 && value.includes(text));
    if (parts.length > 1 && parts.reduce((sum, text) => sum + text.length, 0) === value.length)
      return [
        {
          kind: "split-records",
          at,
          because: `the value was published in ${parts.length} separate records at ${at}; only the strings of one record are joined`,
          remedy: "delete these records and enter the value as one record",
        },
      ];
    return causes;
  });
}

/** What keeps policy texts from counting although something of the kind is there (RFC 7208 section 3.2, RFC 7489 section 6.6.3). */
export function diagnosePolicy(wanted: DnsWant, answer: Answer): Cause[] {
  const at = displayName(wanted.name);
  const wantsDmarc = wanted.kind === "dmarc-minimum" || (wanted.kind === "records" && wantedTexts(wanted).some(isDmarc));
  const seen = texts(answer);
  const causes: Cause[] = [];
  const spf = seen.filter(isSpf);
  if (wanted.kind === "spf-terms" && spf.length > 1)
    causes.push({
      kind: "second-spf",
      at,
      because: `${at} has ${spf.length} SPF records, and with more than one, receivers use none`,
      remedy: `make them one: zandrel draft --replace ${at} shows how`,
    });
  const broken = wanted.kind === "spf-terms" ? spf.map(readSpfRecord).flatMap((one) => (one.ok ? [] : one.error))[0] : undefined;
  if (broken !== undefined)
    causes.push({
      kind: "broken-spf",
      at,
      because: `the SPF record of ${at} cannot be read at ${quote(broken.text)}: ${broken.message}`,
      remedy: broken.meant === undefined ? "correct that term" : `write ${broken.meant} there`,
    });
  const dmarc = seen.filter(isDmarc);
  if (wantsDmarc && dmarc.length > 1)
    causes.push({
      kind: "second-dmarc",
      at,
      because: `${at} has ${dmarc.length} DMARC records, and with two, receivers use neither`,
      remedy: "delete all but the one that says what you want",
    });
  return causes;
}
