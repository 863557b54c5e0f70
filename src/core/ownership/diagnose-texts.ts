import { distance } from "fastest-levenshtein";
import type { DnsWant } from "../ask/index.ts";
import { type Clause, clause } from "../clause/index.ts";
import { isKeyText } from "../dkim/index.ts";
import { isDmarc } from "../dmarc/index.ts";
import type { Answer } from "../lookup/index.ts";
import { type DomainName, displayName } from "../name/index.ts";
import { type DataOf, decodeUtf8, isOfType, type RecordSet, txtValue } from "../record/index.ts";
import { hasTerms, isAll, isSpf, readSpfRecord, type Term } from "../spf/index.ts";
import { readTagList } from "../tag-list.ts";
import type { Cause } from "./cause.ts";
import { beforeMistakes, valueMistakes } from "./mistakes.ts";
import { firstDifference, type ValueMismatch } from "./value.ts";

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
  "percent-encoded": () => [clause("cause-percent-encoded"), clause("cause-percent-encoded-mend")],
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

/** What one or two mistakes did to a value, in words, and the mend. */
export function spoiltWords(wanted: string, seen: string, kinds: readonly ValueMismatch[]): readonly [Clause, Clause] {
  const [first, second] = kinds.map((kind) => VALUE_WORDS[kind](wanted, seen));
  const [because, remedy] = first as readonly [Clause, Clause];
  return second === undefined
    ? [because, remedy]
    : [clause("cause-both", { first: because, second: second[0] }), clause("cause-value-again", { value: wanted })];
}

/** How the texts at a name come close to the wanted ones. */
export function diagnoseValues(
  wanted: RecordSet<DataOf["TXT"]>,
  answer: Answer,
  others: readonly { readonly name: DomainName; readonly text: string }[] = [],
): Cause[] {
  const at = displayName(wanted.name);
  const seen = texts(answer);
  return wanted.data.flatMap((data) => {
    const value = decodeUtf8(txtValue(data));
    if (seen.includes(value)) return [];
    // A policy says the same in many spellings: it is compared tag by tag, never character by character.
    const policies = seen.filter((text) => isDmarc(text) && readTagList(text).tags.length > 1);
    if (isDmarc(value) && policies.length > 0) return policyDifference(value, policies, at);
    const causes = seen.flatMap((text): Cause[] => {
      const belongs = others.find((other) => other.text === text);
      if (belongs !== undefined)
        return [
          {
            kind: "token-of-another-service",
            at,
            because: clause("cause-token-of-other", { at, text, belongs: belongs.name }),
            remedy: clause("cause-token-of-other-mend", { value }),
          },
        ];
      const kinds = valueMistakes(value, text);
      const [kind] = kinds;
      if (kind === undefined) return [];
      const [because, remedy] = spoiltWords(value, text, kinds);
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

/** Why terms that are wanted do not count: the record is no SPF record because of a mistake, or they are behind `all`, glued, mistyped. */
function diagnoseTerms({ record }: Extract<DnsWant, { kind: "spf-terms" }>, seen: readonly string[], at: string): Cause[] {
  const there = seen.find(isSpf);
  if (there === undefined) {
    const holds = (text: string): boolean => {
      const read = readSpfRecord(text);
      return isSpf(text) && read.ok && hasTerms(read.value, record);
    };
    return seen.flatMap((text): Cause[] => {
      const before = beforeMistakes(text, holds);
      const [kind] = before?.kinds ?? [];
      if (before === undefined || kind === undefined) return [];
      const [because, remedy] = spoiltWords(before.text, text, before.kinds);
      return [{ kind, at, because: clause("cause-value", { text, at, because }), remedy }];
    });
  }
  const words = there.split(/\s+/);
  const own = readSpfRecord(there);
  const end = words.findIndex((word) => /^[+?~-]?all$/i.test(word));
  const isMissing = (term: Term): boolean => {
    const alone = readSpfRecord(`v=spf1 ${term.text}`);
    return !isAll(term) && !(own.ok && alone.ok && hasTerms(own.value, alone.value));
  };
  const cause = (because: Clause, remedy: Clause): Cause => ({ kind: "broken-spf", at, because, remedy });
  return record.terms.filter(isMissing).flatMap(({ text: term }): Cause[] => {
    if (end !== -1 && words.indexOf(term) > end)
      return [cause(clause("cause-spf-behind-all", { at, term }), clause("cause-spf-behind-all-mend", { term }))];
    const glued = words.find((word) => word !== term && word.includes(term));
    if (glued !== undefined)
      return [cause(clause("cause-spf-glued", { at, word: glued }), clause("cause-spf-glued-mend", { term }))];
    const isWanted = (word: string): boolean => record.terms.some(({ text }) => text === word);
    const close = words.find((word) => word.length > 8 && !isWanted(word) && distance(word, term) <= MAX_SLIPS);
    return close === undefined
      ? []
      : [cause(clause("cause-spf-mistyped", { at, close, term }), clause("cause-broken-spf-meant", { meant: term }))];
  });
}

/** Letters by which a mistyped term may differ; two turned round are two. More make another host. */
const MAX_SLIPS = 2;

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
  const terms = wanted.kind === "spf-terms" && spf.length < 2 ? diagnoseTerms(wanted, seen, at) : [];
  causes.push(...terms);
  if (broken !== undefined && terms.length === 0)
    causes.push({
      kind: "broken-spf",
      at,
      because: clause("cause-broken-spf", { at, text: broken.text, message: broken.message }),
      remedy:
        broken.meant === undefined ? clause("cause-broken-spf-mend") : clause("cause-broken-spf-meant", { meant: broken.meant }),
    });
  const keys = seen.filter((text) => isKeyText(text) && !isDmarc(text));
  const key = wanted.kind === "records" ? wantedTexts(wanted).find((text) => isKeyText(text) && !isDmarc(text)) : undefined;
  if (key !== undefined && keys.length > 1 && keys.includes(key))
    causes.push({
      kind: "second-key",
      at,
      because: clause("cause-second-key", { at, keys: keys.length }),
      remedy: clause("cause-second-key-mend", { texts: keys.filter((text) => text !== key) }),
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
