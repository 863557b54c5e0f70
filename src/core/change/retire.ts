import { type Ask, isMet } from "../ask/index.ts";
import { isDmarc } from "../dmarc/index.ts";
import { type Live, type Lookup, liveAt, ownSetOf } from "../lookup/index.ts";
import { type DomainName, displayName } from "../name/index.ts";
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
import type { Change } from "./draft.ts";

/** A record that stays although its ask ends, and why. */
export interface Staying {
  readonly name: DomainName;
  readonly type: string;
  readonly data: string;
  readonly because: string;
}

export interface Retirement {
  readonly changes: readonly Change[];
  readonly stays: readonly Staying[];
  /** Sets that could not be looked at. */
  readonly undetermined: readonly { readonly name: DomainName; readonly type: string; readonly because: string }[];
}

export interface RetireRequest {
  readonly ask: Ask;
  /** The asks of the domain that go on. */
  readonly others: readonly Ask[];
  readonly lookup: Lookup;
  /** Whether Zandrel itself put a record there, by the journal. */
  readonly isOurs: (set: RecordSet, data: RecordData) => boolean;
  /** Names at which records go although somebody else put them there, because the user said so. */
  readonly named: ReadonlySet<DomainName>;
}

const text = (data: RecordData): string => decodeUtf8(txtValue(data as DataOf["TXT"]));
const plainTerm = (term: Term): string => term.text.toLowerCase().replace(/^\+/, "");

/** The SPF record without the terms that only the ending ask wanted; undefined where all of them stay. */
function withoutTerms(record: string, ended: readonly string[], needed: readonly string[]): string | undefined {
  const parsed = readSpfRecord(record);
  const terms = (texts: readonly string[]) =>
    new Set(
      texts
        .map(readSpfRecord)
        .flatMap((one) =>
          one.ok ? one.value.terms.filter((term) => term.kind === "mechanism" && term.name !== "all").map(plainTerm) : [],
        ),
    );
  if (!parsed.ok) return undefined;
  const going = terms(ended);
  const staying = terms(needed);
  const left = parsed.value.terms.filter((term) => !going.has(plainTerm(term)) || staying.has(plainTerm(term)));
  return left.length === parsed.value.terms.length ? undefined : ["v=spf1", ...left.map((term) => term.text)].join(" ");
}

/**
 * What can go when an ask ends: its records that no other ask wants and that Zandrel put there itself. What
 * was there before, or is shared, stays, with the reason. The domain's DMARC record always stays.
 */
export async function retireAsk({ ask, others, lookup, isOurs, named }: RetireRequest): Promise<Retirement> {
  const changes: Change[] = [];
  const stays: Staying[] = [];
  const undetermined: Retirement["undetermined"][number][] = [];
  for (const wanted of ask.wanted) {
    const { name, type } = wanted;
    const live: Live = await liveAt(lookup, ask.domain, name, type);
    if (live.kind === "failed") {
      undetermined.push({ name, type, because: live.answer.detail });
      continue;
    }
    const before = ownSetOf(live);
    if (before === undefined) continue;
    const shared = others.filter((other) => other.wanted.some((set) => set.name === name && set.type === type));
    const sharedData = shared.flatMap((other) =>
      other.wanted.filter((set) => set.name === name && set.type === type).flatMap((set) => set.data),
    );
    let left: RecordData[] = [...before.data];
    for (const data of wanted.data) {
      const stay = (because: string) => stays.push({ name, type, data: printData(type, data), because });
      const key = dataKey(type, data);
      const needing = shared.filter((other) =>
        other.wanted.some((set) => set.name === name && set.type === type && set.data.some((one) => dataKey(type, one) === key)),
      );
      if (type === "TXT" && isSpf(text(data))) {
        const record = left.find((one) => isSpf(text(one)));
        const ended =
          record === undefined ? undefined : withoutTerms(text(record), [text(data)], sharedData.map(text).filter(isSpf));
        if (record === undefined || ended === undefined) {
          if (isMet(before, { ...wanted, data: [data] })) stay("another ask needs these terms too");
        } else if (!isOurs(before, record) && !named.has(name))
          stay(`the SPF record was not last written by Zandrel; --replace ${displayName(name)} takes the terms out all the same`);
        else left = left.map((one) => (one === record ? { strings: splitCharacterStrings(octetsOf(ended)) } : one));
        continue;
      }
      if (!left.some((one) => dataKey(type, one) === key)) continue;
      if (type === "TXT" && isDmarc(text(data))) stay("a domain that sends mail keeps its DMARC record");
      else if (needing.length > 0) stay(`${needing.map((other) => other.id).join(", ")} needs it too`);
      else if (!isOurs(before, data) && !named.has(name))
        stay(`it was there before Zandrel; --replace ${displayName(name)} removes it all the same`);
      else left = left.filter((one) => dataKey(type, one) !== key);
    }
    const after = left.length === 0 ? undefined : { ...before, data: left };
    const same =
      after !== undefined && after.data.length === before.data.length && after.data.every((one, i) => one === before.data[i]);
    if (same) continue;
    const cacheWindow = cacheWindowOf(live);
    changes.push({
      action: after === undefined ? "remove" : "merge",
      name,
      type,
      before,
      after,
      because: `${ask.id} ends, and nobody else needs it`,
      asks: [ask.id],
      ...(cacheWindow === undefined ? {} : { cacheWindow }),
    });
  }
  return { changes, stays, undetermined };
}
