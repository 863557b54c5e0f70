import type { DnsWant } from "../ask/index.ts";
import { type Clause, clause } from "../clause/index.ts";
import { isDmarc } from "../dmarc/index.ts";
import type { Answer } from "../lookup/index.ts";
import { type DomainName, displayName } from "../name/index.ts";
import { type DataOf, decodeUtf8, isOfType, type RecordSet, txtValue } from "../record/index.ts";
import { isSpf, readSpfRecord } from "../spf/index.ts";
import { readTagList } from "../tag-list.ts";
import type { Cause } from "./cause.ts";
import { firstDifference, type ValueMismatch, valueMismatch } from "./value.ts";

const VALUE_WORDS: Readonly<Record<ValueMismatch, (wanted: string, seen: string) => readonly [Clause, Clause]>> = {
  "quoted-twice": () => [clause("cause-quoted-twice"), clause("cause-quoted-twice-mend")],
  typographic: () => [clause("cause-typographic"), clause("cause-typographic-mend")],
  "white-space": () => [clause("cause-white-space"), clause("cause-white-space-mend")],
  wrapped: (wanted, seen) => [
    clause("cause-wrapped", { character: firstDifference(wanted, seen) }),
    clause("cause-wrapped-mend"),
  ],
  "case-changed": (wanted, seen) => [
    clause("cause-case-changed", { character: firstDifference(wanted, seen) }),
    clause("cause-case-changed-mend"),
  ],
  escaped: () => [clause("cause-escaped"), clause("cause-escaped-mend")],
  "html-entities": () => [clause("cause-html-entities"), clause("cause-html-entities-mend")],
  cut: (wanted, seen) => [clause("cause-cut", { seen: seen.length, wanted: wanted.length }), clause("cause-cut-mend")],
  "extra-text": () => [clause("cause-extra-text"), clause("cause-extra-text-mend")],
  "other-value": () => [clause("cause-other-token"), clause("cause-other-token-mend")],
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
    return [{ tag, is, was }];
  });
  if (differences.length === 0) return [];
  return [
    {
      kind: "other-value",
      at,
      because: clause("cause-other-policy", { at, differences }),
      remedy: clause("cause-other-policy-mend"),
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
      return [{ kind, at, because: clause("cause-value", { text, at, because }), remedy }];
    });
    const parts = seen.filter((text) => text.length > 0 && value.includes(text));
    if (parts.length > 1 && parts.reduce((sum, text) => sum + text.length, 0) === value.length)
      return [
        {
          kind: "split-records",
          at,
          because: clause("cause-split-records", { parts: parts.length, at }),
          remedy: clause("cause-split-records-mend"),
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
      because: clause("cause-second-spf", { at, spf: spf.length }),
      remedy: clause("cause-second-spf-mend", { at }),
    });
  const broken = wanted.kind === "spf-terms" ? spf.map(readSpfRecord).flatMap((one) => (one.ok ? [] : one.error))[0] : undefined;
  if (broken !== undefined)
    causes.push({
      kind: "broken-spf",
      at,
      because: clause("cause-broken-spf", { at, text: broken.text, message: broken.message }),
      remedy:
        broken.meant === undefined ? clause("cause-broken-spf-mend") : clause("cause-broken-spf-meant", { meant: broken.meant }),
    });
  const dmarc = seen.filter(isDmarc);
  if (wantsDmarc && dmarc.length > 1)
    causes.push({
      kind: "second-dmarc",
      at,
      because: clause("cause-second-dmarc", { at, dmarc: dmarc.length }),
      remedy: clause("cause-second-dmarc-mend"),
    });
  return causes;
}
