import { isKeyText, isSameKey } from "../dkim/index.ts";
import { doesAllOf, isDmarc, uniteDmarc } from "../dmarc/index.ts";
import { type Lookup, liveAt, ownSetOf } from "../lookup/index.ts";
import { type DomainName, name as nameOf } from "../name/index.ts";
import {
  type DataOf,
  decodeUtf8,
  octetsOf,
  type RecordData,
  type RecordSet,
  type RecordType,
  splitCharacterStrings,
  txtValue,
} from "../record/index.ts";
import { combine, endingAs, guardsLess, hasTerms, isSpf, readSpfRecord } from "../spf/index.ts";
import type { SetChange } from "../zone/index.ts";
import { holds, pick } from "./gather.ts";

/** The types people delete by mistake, because they stand beside what they came to change. */
const BESIDE: readonly RecordType[] = [
  "A",
  "AAAA",
  "CNAME",
  "MX",
  "TXT",
  "NS",
  "CAA",
  "SRV",
  "HTTPS",
  "SVCB",
  "TLSA",
  "DS",
  "DNAME",
];

/** Everything that stands at some names: the state that a change was made from. What could not be asked is left out. */
export async function standingAt(names: Iterable<DomainName>, lookup: Lookup, apex: DomainName): Promise<RecordSet[]> {
  const sets = await Promise.all(
    [...new Set(names)].map(async (name) => {
      // Where a name is not there, none of its types is (RFC 8020 section 2); an alias to a name that is not there is itself there.
      const answer = await lookup.ask(name, "A");
      if (answer.kind === "nxdomain" && answer.chain.length === 0) return [];
      return Promise.all(BESIDE.map((type) => ownSetOrAlias(lookup, apex, name, type)));
    }),
  );
  return sets.flat().flatMap((set) => set ?? []);
}

async function ownSetOrAlias(
  lookup: Lookup,
  apex: DomainName,
  name: DomainName,
  type: RecordType,
): Promise<RecordSet | undefined> {
  const live = await liveAt(lookup, apex, name, type);
  return type === "CNAME" && live.kind === "alias" ? live.set : ownSetOf(live);
}

/** Something that a change was not to touch, and that is not as it was. */
export interface Loss {
  readonly name: DomainName;
  readonly type: RecordType;
  /** What is missing of it. */
  readonly was: RecordSet;
  /** What took its place; undefined where it was deleted. Entered again beside that, it would be there twice. */
  readonly now: RecordSet | undefined;
  /** The whole set as it is, and as it has to be. */
  readonly mend: SetChange;
}

/** What is missing of a set, and what the set has to become so that nothing is. */
interface Missing {
  readonly was: readonly RecordData[];
  readonly isChanged: boolean;
  readonly after: readonly RecordData[];
}

const textOf = (data: RecordData): string => decodeUtf8(txtValue(data as DataOf["TXT"]));
const dataOf = (text: string): DataOf["TXT"] => ({ strings: splitCharacterStrings(octetsOf(text)) });

/** How records of which a name has one are compared: by what they say. */
const SINGLE: readonly {
  readonly is: (text: string) => boolean;
  /**
   * The text that has all that the old one was to keep, or all that the change itself made of it; the one that is there where it has it
   * already, undefined where it cannot.
   */
  readonly united: (now: string, was: string, afters: readonly string[]) => string | undefined;
  /** One text of several that stand beside each other; undefined where they are not to be united. */
  readonly inOne: (texts: readonly string[]) => string | undefined;
}[] = [
  {
    is: isSpf,
    united: unitedSpf,
    inOne: (texts) => {
      const [first, ...others] = texts.map(readSpfRecord).flatMap((read) => (read.ok ? [read.value] : []));
      return first === undefined || others.length + 1 < texts.length ? undefined : combine(first, others);
    },
  },
  {
    is: isDmarc,
    inOne: (texts) => {
      const policy = uniteDmarc(texts);
      return policy.ok ? policy.value : undefined;
    },
    united: (now, was, afters) => {
      const meant = [was, ...afters];
      if (meant.some((text) => doesAllOf(now, text))) return now;
      const last = meant.at(-1) as string;
      const both = uniteDmarc([now, last]);
      return both.ok ? both.value : last;
    },
  },
  {
    is: (text) => isKeyText(text) && !isDmarc(text),
    inOne: () => undefined,
    united: (now, was, afters) => ([was, ...afters].some((text) => isSameKey(text, now)) ? now : (afters.at(-1) ?? was)),
  },
];

/** SPF terms that stood there and that no change was to take away have to be there still, in whatever order. */
function unitedSpf(now: string, was: string, afters: readonly string[]): string | undefined {
  const [own, old] = [readSpfRecord(now), readSpfRecord(was)];
  if (!own.ok || !old.ok) return now === was ? now : undefined;
  const later = afters.flatMap((text) => {
    const read = readSpfRecord(text);
    return read.ok ? [read.value] : [];
  });
  const kept = old.value.terms.flatMap((term) => {
    const alone = readSpfRecord(`v=spf1 ${term.text}`);
    return alone.ok && later.every((after) => hasTerms(after, alone.value)) ? [alone.value] : [];
  });
  // Whom it does not name may not become more welcome than before, unless a change said so.
  const isOpened = [old.value, ...later].every((before) => guardsLess(own.value, before));
  if (!isOpened && kept.every((term) => hasTerms(own.value, term))) return now;
  return combine(isOpened ? endingAs(own.value, later.at(-1) ?? old.value) : own.value, kept);
}

/** What is missing of some texts, of which policies and keys are compared by what they say. */
function missingTexts(
  kept: readonly RecordData[],
  was: RecordSet,
  now: RecordSet | undefined,
  afters: readonly RecordSet[],
  isDisputed: boolean,
): Missing {
  const there = now?.data ?? [];
  const missing: RecordData[] = [];
  let after: readonly RecordData[] = there;
  let isChanged = false;
  for (const { is, united, inOne } of SINGLE) {
    const [old, ...more] = was.data.filter((data) => is(textOf(data)));
    const mine = there.filter((data) => is(textOf(data)));
    const [own, ...second] = mine;
    if (old === undefined || more.length > 0 || (second.length > 0 && isDisputed)) continue;
    const touched = afters.map((set) => set.data.map(textOf).filter(is));
    // A change that takes it away leaves nothing to miss.
    if (touched.some((texts) => texts.length === 0)) continue;
    if (own === undefined) {
      const [last] = touched.at(-1) ?? [];
      missing.push(old);
      after = [...after, last === undefined ? old : dataOf(last)];
      continue;
    }
    // With two of them receivers use neither: what one of them did is gone, though its text is there.
    const single = second.length === 0 ? textOf(own) : (inOne(mine.map(textOf)) ?? textOf(old));
    const whole = united(single, textOf(old), touched.flat());
    if (whole === undefined || (second.length === 0 && whole === single)) continue;
    missing.push(old);
    isChanged = true;
    after = after.flatMap((data) => (data === own ? [dataOf(whole)] : second.includes(data) ? [] : [data]));
  }
  const plain = kept.filter((data) => !SINGLE.some(({ is }) => is(textOf(data))) && !holds(now, data));
  return { was: [...missing, ...plain], isChanged, after: [...after, ...plain] };
}

/** What is missing of a set of another type; where something else stands there that nobody planned, it was changed. */
function missingData(
  kept: readonly RecordData[],
  was: RecordSet,
  now: RecordSet | undefined,
  afters: readonly RecordSet[],
): Missing {
  const missing = kept.filter((data) => !holds(now, data));
  const planned = (data: RecordData) => holds(was, data) || afters.some((set) => holds(set, data));
  const isChanged = missing.length > 0 && now?.data.some((data) => !planned(data)) === true;
  return { was: missing, isChanged, after: [...(now?.data ?? []).filter(planned), ...missing] };
}

/**
 * What stood there when a change was drafted, what the change was not to touch, and what is gone or changed now: somebody did more than
 * was to be. What SPF records and policies say is compared, and not how they are written. A set that cannot be asked about is not
 * called lost.
 *
 * @param pending changes that are still to come: what they bring back is missing, and not lost
 * @param isDisputed whether it is said already that a set holds two records of which there may be one
 */
export async function lostOf(
  beside: readonly RecordSet[],
  changes: readonly SetChange[],
  lookup: Lookup,
  apex: DomainName,
  pending: readonly SetChange[] = [],
  isDisputed: (name: DomainName, type: RecordType) => boolean = () => false,
): Promise<Loss[]> {
  const lost = await Promise.all(
    beside.map(async (set): Promise<Loss[]> => {
      const name = nameOf(set.name);
      const was = { ...set, name };
      const touched = changes.filter((change) => change.name === name && change.type === was.type);
      const kept = pick(was, (data) => touched.every(({ after, before }) => holds(after, data) || !holds(before, data)));
      const afters = touched.map(({ after }) => after ?? { ...was, data: [] });
      if (kept.data.length === 0 && was.type !== "TXT") return [];
      const live = await liveAt(lookup, apex, name, was.type);
      if (live.kind === "failed") return [];
      // A wildcard that answers with the same still does what the record did.
      const now = was.type === "CNAME" && live.kind === "alias" ? live.set : live.kind === "wildcard" ? live.set : ownSetOf(live);
      const missingIn = (set: RecordSet | undefined) =>
        was.type === "TXT"
          ? missingTexts(kept.data, was, set, afters, isDisputed(name, "TXT"))
          : missingData(kept.data, was, set, afters);
      const coming = pending.find((change) => change.name === name && change.type === was.type);
      const missing = missingIn(now);
      if (missing.was.length === 0 || (coming !== undefined && missingIn(coming.after).was.length === 0)) return [];
      const { type } = was;
      return [
        {
          ...{ name, type, was: { ...was, data: missing.was } },
          now: missing.isChanged ? now : undefined,
          mend: { name, type, before: now, after: { ...(now ?? was), data: missing.after } },
        },
      ];
    }),
  );
  return lost.flat();
}
