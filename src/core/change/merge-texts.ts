import { type DmarcWant, isMet, type RecordsWant, type SpfWant, unmet } from "../ask/index.ts";
import { type Clause, clause } from "../clause/index.ts";
import { isKeyText } from "../dkim/index.ts";
import { atLeast, isDmarc, readDmarcRecord, uniteDmarc } from "../dmarc/index.ts";
import type { Lookup } from "../lookup/index.ts";
import { type DomainName, displayName } from "../name/index.ts";
import { type DataOf, decodeUtf8, octetsOf, type RecordSet, splitCharacterStrings, txtValue, withData } from "../record/index.ts";
import { combine, isSpf, MAX_LOOKUPS, readSpfRecord, type SpfCost, spfCost, withoutTerms } from "../spf/index.ts";

export type PolicyClashKind = "asked-broken" | "second-spf" | "broken-spf" | "spf-over-limit" | "second-dmarc" | "second-key";

/** Texts of which a name has one only, SPF aside: a second one takes the first one's place or is in its way. */
const SINGLE: readonly {
  readonly is: (text: string) => boolean;
  readonly kind: "second-dmarc" | "second-key";
}[] = [
  { is: isDmarc, kind: "second-dmarc" },
  // A policy has a `p=` tag like a key.
  { is: (text) => isKeyText(text) && !isDmarc(text), kind: "second-key" },
];

interface TextClash {
  readonly kind: PolicyClashKind;
  readonly because: Clause;
  readonly breaks: Clause;
  readonly options: readonly Clause[];
  /** Whether `--replace NAME` is an option too. */
  readonly replaceable: boolean;
}

type Merged = { readonly after: RecordSet; readonly because: Clause; readonly replaced: boolean } | { readonly clash: TextClash };

const textData = (text: string): DataOf["TXT"] => ({ strings: splitCharacterStrings(octetsOf(text)) });
const textsOf = (set: RecordSet | undefined): string[] =>
  (set?.data ?? []).map((data) => decodeUtf8(txtValue(data as DataOf["TXT"])));

/** Every wish about the texts of one name. */
export interface WantedTexts {
  readonly name: DomainName;
  /** Seconds, for a set that is not there yet. */
  readonly ttl: number;
  /** Texts that have to be there to the letter. */
  readonly literal: readonly RecordsWant[];
  readonly spf: readonly SpfWant[];
  readonly dmarc: readonly DmarcWant[];
}

/**
 * Brings wanted texts into the texts that stand at a name. Tokens are added beside what is there; SPF terms go
 * into the one SPF record (RFC 7208 section 3.2); of DMARC records (RFC 7489 section 6.6.3) and DKIM keys there is one.
 */
export async function mergeTexts(
  before: RecordSet | undefined,
  wanted: WantedTexts,
  {
    domain,
    world,
    mayReplace,
  }: { readonly domain: DomainName; readonly world: Lookup; readonly mayReplace: (text: string) => boolean },
): Promise<Merged> {
  const name = displayName(wanted.name);
  const there = textsOf(before);
  const literal = [
    ...new Set(wanted.literal.flatMap((want) => unmet(before, want)).map((data) => decodeUtf8(txtValue(data as DataOf["TXT"])))),
  ];
  const [broken] = literal.flatMap((text) => brokenPolicy(wanted.name, text) ?? []);
  if (broken !== undefined) return { clash: broken };
  const minimum = strictest(wanted.dmarc.filter((want) => !isMet(before, want)));
  const policies = uniteWithThere(there, wanted, [...literal.filter(isDmarc), ...minimum], mayReplace);
  if ("conflict" in policies) return { clash: contradicting(name, policies.conflict) };
  const asked = [...literal.filter((text) => !isDmarc(text)), ...policies.texts];
  const tokens = asked.filter((text) => !SINGLE.some(({ is }) => is(text)));
  const reasons: Clause[] = [];
  const silent = asked.some((text) => isDmarc(text) && !/;\s*rua\s*=/.test(text));
  let texts = [...there, ...tokens];
  let replaced = false;
  if (tokens.length > 0) reasons.push(before === undefined ? clause("change-none-there") : clause("change-values-kept"));

  const spf = wanted.spf.filter((want) => !isMet(before, want));
  if (spf.length > 0) {
    const own = there.filter(isSpf);
    const parsed = own.map(readSpfRecord);
    const unreadable = own.find((_, i) => parsed[i]?.ok === false);
    if (unreadable !== undefined) return { clash: unreadableSpf(name, unreadable) };
    if (own.length > 1 && !own.every(mayReplace))
      return {
        clash: {
          kind: "second-spf",
          because: clause("change-second-spf", { name, own: own.length }),
          breaks: clause("change-second-spf-breaks"),
          options: [],
          replaceable: true,
        },
      };
    const records = parsed.flatMap((one) => (one.ok ? [one.value] : []));
    const [first, ...others] = records;
    const whole = combine(first, [...others, ...spf.map(({ record }) => record)]);
    const read = readSpfRecord(whole);
    const gone = spf.flatMap(({ without }) => without ?? []);
    const combined = read.ok && gone.length > 0 ? withoutTerms(read.value, gone).text : whole;
    const parsedCombined = readSpfRecord(combined);
    const cost = parsedCombined.ok ? await spfCost(parsedCombined.value, world) : undefined;
    if (cost !== undefined && cost.lookups > MAX_LOOKUPS) return { clash: overLimit(cost, wanted.name, domain) };
    texts = [...texts.filter((text) => !isSpf(text)), combined];
    replaced ||= own.length > 1;
    reasons.push(own.length === 0 ? clause("change-first-spf") : clause("change-merged-spf"));
    // What could not be counted may hide lookups, and is never taken for none.
    if (cost !== undefined && cost.uncounted.length > 0)
      reasons.push(clause("change-spf-uncounted", { lookups: cost.lookups, most: MAX_LOOKUPS, uncounted: cost.uncounted }));
  }

  for (const { is, kind } of SINGLE) {
    const chosen = asked.findLast(is);
    if (chosen === undefined) continue;
    const own = there.filter(is);
    // One policy that can be read is united with what is asked for, and not pushed out.
    const isUnited = is(chosen) && isDmarc(chosen) && own.length === 1 && readDmarcRecord(own[0] as string).ok;
    if (own.length > 0 && !isUnited && !own.every(mayReplace))
      return {
        clash: {
          kind,
          because: clause("change-second-single", { kind, name, own }),
          breaks: clause("change-second-single-breaks", { kind }),
          options: [clause("change-change-there", { chosen })],
          replaceable: true,
        },
      };
    const isNew = !isUnited || own.every(mayReplace);
    texts = [...texts.filter((text) => !is(text)), chosen];
    replaced ||= own.length > 0 && isNew;
    reasons.push(
      own.length === 0 ? clause("change-first-single", { kind }) : clause(isNew ? "change-in-its-place" : "change-united-policy"),
    );
  }
  // A policy of none without an address for reports does nothing yet, and somebody has to know.
  if (silent) reasons.push(clause("change-no-report-address"));
  const kept = (before?.data ?? []).filter((data) => texts.includes(decodeUtf8(txtValue(data as DataOf["TXT"]))));
  const { name: at, ttl } = wanted;
  const after = withData({ name: at, type: "TXT", ttl: before?.ttl ?? ttl, data: kept }, texts.map(textData));
  return { after, because: clause("change-reasons", { reasons }), replaced };
}

/**
 * The policy that is to stand at a name: all that is asked for in one record, with what the one that is there says besides, unless the
 * asks themselves put that there. None where nothing is asked for that is not there.
 */
function uniteWithThere(
  there: readonly string[],
  wanted: WantedTexts,
  asked: readonly string[],
  mayReplace: (text: string) => boolean,
): { readonly texts: readonly string[] } | { readonly conflict: string } {
  if (asked.length === 0) return { texts: [] };
  const every = wanted.literal
    .flatMap(({ data }) => data.map((one) => decodeUtf8(txtValue(one as DataOf["TXT"]))))
    .filter(isDmarc);
  const own = there.filter(isDmarc);
  const kept = own.length === 1 && !own.every(mayReplace) && readDmarcRecord(own[0] as string).ok ? own : [];
  const united = uniteDmarc([...kept, ...every, ...strictest(wanted.dmarc), ...asked]);
  return united.ok ? { texts: [united.value] } : { conflict: united.error };
}

/** The clash of policies that say contrary things in a tag that has one value. */
const contradicting = (name: string, tag: string): TextClash => ({
  kind: "second-dmarc",
  because: clause("change-policies-differ", { name, tag }),
  breaks: clause("change-second-single-breaks", { kind: "second-dmarc" }),
  options: [clause("change-same-tag", { tag })],
  replaceable: false,
});

/** The clash of an SPF record that is there and that nobody can read: nothing can be merged into it. */
const unreadableSpf = (name: string, broken: string): TextClash => ({
  kind: "broken-spf",
  because: clause("change-broken-spf", { name, broken }),
  breaks: clause("change-broken-spf-breaks"),
  options: [clause("change-broken-spf-mend")],
  replaceable: false,
});

/** The clash of a policy that is asked for and that receivers would not take; beside one that is there it would break that one, too. */
function brokenPolicy(name: DomainName, text: string): TextClash | undefined {
  const dmarc = name.startsWith("_dmarc.") && isDmarc(text) ? readDmarcRecord(text) : undefined;
  const spf = isSpf(text) ? readSpfRecord(text) : undefined;
  const [mistake] = dmarc?.ok === false ? dmarc.error : spf?.ok === false ? spf.error : [];
  if (mistake === undefined) return undefined;
  const { message, meant } = mistake;
  const standard = spf === undefined ? "DMARC" : "SPF";
  return {
    kind: "asked-broken",
    because: clause("change-asked-broken", { standard, message, meant }),
    breaks: clause("change-asked-broken-breaks", { standard }),
    options: [clause("change-asked-broken-mend")],
    replaceable: false,
  };
}

/** The record for the strictest of some minimum policies; none where nothing is asked. */
const strictest = (wants: readonly DmarcWant[]): string[] => {
  const [first, ...others] = wants;
  if (first === undefined) return [];
  const policy = others.reduce((strict, want) => (atLeast(want.policy, strict) ? want.policy : strict), first.policy);
  return [`v=DMARC1; p=${policy}`];
};

/** The clash of a record that would ask the DNS too often, with the costliest terms named (RFC 7208 section 4.6.4). */
function overLimit({ lookups, terms }: SpfCost, name: DomainName, domain: DomainName): TextClash {
  const costliest = terms.slice(0, 3).map(({ text, lookups: costs }) => ({ text, costs }));
  return {
    kind: "spf-over-limit",
    because: clause("change-spf-over-limit", { name, lookups, most: MAX_LOOKUPS }),
    breaks: clause("change-spf-over-limit-breaks"),
    options: [clause("change-remove-term", { costliest }), clause("change-send-from-subdomain", { domain })],
    replaceable: false,
  };
}
