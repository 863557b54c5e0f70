import { type Ask, type DnsWant, dnsWants, isMet, type SpfWant } from "../ask/index.ts";
import { type Clause, clause, verbatim } from "../clause/index.ts";
import { isDmarc } from "../dmarc/index.ts";
import { type Live, type Lookup, liveAt, ownSetOf } from "../lookup/index.ts";
import type { DomainName } from "../name/index.ts";
import {
  type DataOf,
  dataKey,
  decodeUtf8,
  octetsOf,
  printData,
  type RecordData,
  type RecordSet,
  splitCharacterStrings,
  txtValue,
} from "../record/index.ts";
import { isSpf, readSpfRecord, type Term } from "../spf/index.ts";
import { cacheWindowOf } from "../spread/index.ts";
import type { Change } from "./drafting.ts";

/** A record that stays although its ask ends, and why. */
interface Staying {
  readonly name: DomainName;
  readonly type: string;
  /** What stays, in words where it is not a single record. */
  readonly data: Clause;
  readonly because: Clause;
}

export interface Retirement {
  readonly changes: readonly Change[];
  readonly stays: readonly Staying[];
  /** Sets that could not be looked at. */
  readonly undetermined: readonly { readonly name: DomainName; readonly type: string; readonly because: Clause }[];
}

export interface RetireRequest {
  readonly ask: Ask;
  /** The asks of the domain that go on. */
  readonly others: readonly Ask[];
  readonly lookup: Lookup;
  /** Whether Zandrel itself put a record there, by the journal. */
  readonly isOurs: (set: RecordSet, data: RecordData) => boolean;
  /** Whether the name had no SPF record before Zandrel published one there, by the journal. */
  readonly madeSpfAt?: (name: DomainName) => boolean;
  /** Names at which records go although somebody else put them there, because the user said so. */
  readonly named: ReadonlySet<DomainName>;
}

const text = (data: RecordData): string => decodeUtf8(txtValue(data as DataOf["TXT"]));
const plainTerm = (term: Term): string => term.text.toLowerCase().replace(/^\+/, "");
const termsOf = (wants: readonly SpfWant[]): Set<string> =>
  new Set(
    wants.flatMap(({ record }) => record.terms.filter((term) => term.kind === "mechanism" && term.name !== "all").map(plainTerm)),
  );

/** The SPF record without the terms that only the ending ask wanted; undefined where all of them stay. */
function withoutTerms(record: string, ended: SpfWant, needed: readonly SpfWant[]): string | undefined {
  const read = readSpfRecord(record);
  if (!read.ok) return undefined;
  const going = termsOf([ended]);
  const staying = termsOf(needed);
  const left = read.value.terms.filter((term) => !going.has(plainTerm(term)) || staying.has(plainTerm(term)));
  return left.length === read.value.terms.length ? undefined : ["v=spf1", ...left.map((term) => term.text)].join(" ");
}

/** What is left of a set when wishes about it end, and what of them stays all the same. */
interface Leaving {
  readonly left: RecordData[];
  readonly stays: Staying[];
}

/** Ends one wish about a set. */
function endWish(
  want: DnsWant,
  before: RecordSet,
  { left, stays }: Leaving,
  { others, isOurs, named, madeSpfAt }: Pick<RetireRequest, "others" | "isOurs" | "named" | "madeSpfAt">,
): Leaving {
  const { name, type } = want;
  const staying = (data: Clause, because: Clause): Leaving => ({ left, stays: [...stays, { name, type, data, because }] });
  const sharing = others.flatMap((other) =>
    dnsWants(other.wants)
      .filter((dnsWant) => dnsWant.name === name && dnsWant.type === type)
      .map((dnsWant) => ({ id: other.id, want: dnsWant })),
  );
  switch (want.kind) {
    case "absent":
      return { left, stays };
    case "dmarc-minimum":
      return isMet(before, want)
        ? staying(clause("change-policy-or-stricter", { policy: want.policy }), clause("change-policy-stays"))
        : { left, stays };
    case "spf-terms": {
      const needed = sharing.flatMap(({ want: other }) => (other.kind === "spf-terms" ? [other] : []));
      const record = left.find((recordData) => isSpf(text(recordData)));
      const ended = record === undefined ? undefined : withoutTerms(text(record), want, needed);
      if (record === undefined || ended === undefined)
        return isMet(before, want) ? staying(verbatim(want.record.text), clause("change-terms-needed")) : { left, stays };
      if (!isOurs(before, record) && !named.has(name))
        return staying(verbatim(want.record.text), clause("change-spf-not-ours", { name }));
      // The record that Zandrel made goes with its last term: what would be left forbids or allows nothing of anybody's.
      if (needed.length === 0 && /^v=spf1(?: [+?~-]?all)?$/i.test(ended) && madeSpfAt?.(name) === true)
        return { left: left.filter((candidate) => candidate !== record), stays };
      const shorter = { strings: splitCharacterStrings(octetsOf(ended)) };
      return { left: left.map((recordData) => (recordData === record ? shorter : recordData)), stays };
    }
    case "records":
      return want.data.reduce<Leaving>(
        (so, data) => {
          const key = dataKey(type, data);
          if (!so.left.some((recordData) => dataKey(type, recordData) === key)) return so;
          const stay = (because: Clause): Leaving => ({
            left: so.left,
            stays: [...so.stays, { name, type, data: verbatim(printData(type, data)), because }],
          });
          const needing = sharing.filter(
            ({ want: other }) => other.kind === "records" && other.data.some((recordData) => dataKey(type, recordData) === key),
          );
          if (type === "TXT" && isDmarc(text(data))) return stay(clause("change-policy-stays"));
          if (needing.length > 0) return stay(clause("change-needed-too", { asks: needing.map(({ id }) => id) }));
          if (!isOurs(before, data) && !named.has(name)) return stay(clause("change-there-before", { name }));
          return { left: so.left.filter((recordData) => dataKey(type, recordData) !== key), stays: so.stays };
        },
        { left, stays },
      );
  }
}

/**
 * What can go when an ask ends: its records that no other ask wants and that Zandrel put there itself. What
 * was there before, or is shared, stays, with the reason. The domain's DMARC record always stays.
 */
export async function retireAsk(request: RetireRequest): Promise<Retirement> {
  const { ask, lookup } = request;
  const changes: Change[] = [];
  const stays: Staying[] = [];
  const undetermined: Retirement["undetermined"][number][] = [];
  const wants = dnsWants(ask.wants);
  const places = new Map(wants.map(({ name, type }) => [`${name} ${type}`, { name, type }]));
  for (const { name, type } of places.values()) {
    const live: Live = await liveAt(lookup, ask.domain, name, type);
    if (live.kind === "failed") {
      undetermined.push({ name, type, because: live.answer.detail });
      continue;
    }
    const before = ownSetOf(live);
    if (before === undefined) continue;
    const ended = wants
      .filter((want) => want.name === name && want.type === type)
      .reduce<Leaving>((leaving, want) => endWish(want, before, leaving, request), { left: [...before.data], stays: [] });
    stays.push(...ended.stays);
    const { left } = ended;
    const after = left.length === 0 ? undefined : { ...before, data: left };
    const same =
      after !== undefined &&
      after.data.length === before.data.length &&
      after.data.every((recordData, i) => recordData === before.data[i]);
    if (same) continue;
    const cacheWindow = cacheWindowOf(live);
    changes.push({
      action: after === undefined ? "remove" : "merge",
      name,
      type,
      before,
      after,
      because: clause("change-ask-ends", { id: ask.id }),
      asks: [ask.id],
      ...(cacheWindow === undefined ? {} : { cacheWindow }),
    });
  }
  return { changes, stays, undetermined };
}
