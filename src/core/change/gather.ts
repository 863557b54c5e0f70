import { type AbsentWant, type Ask, type DnsWant, dnsWants } from "../ask/index.ts";
import type { DomainName } from "../name/index.ts";
import { type RecordData, type RecordSet, type RecordType, sameData, withData } from "../record/index.ts";

/** Everything that is wanted at one name for one type. */
export interface Wanted {
  readonly name: DomainName;
  readonly type: RecordType;
  /** The wishes, each with the ask it is of. */
  readonly wants: readonly DnsWant[];
  /** Records that have to be there to the letter, in one set. */
  readonly set: RecordSet;
  readonly asks: readonly string[];
  /** The TTLs its asks want; the set can have one only (RFC 2181 section 5.2). */
  readonly ttls: ReadonlySet<number>;
  /** Whether visitors reach a site there, so that an address of the other kind leads some of them elsewhere. */
  readonly site: boolean;
}

/** Records that some asks want gone, at one name for one type. */
export interface Unwanted {
  readonly set: RecordSet;
  readonly asks: readonly string[];
}

/** Wishes with the ask they are of, by name and type. */
function byPlace(asks: readonly Ask[]): { readonly ask: Ask; readonly want: DnsWant }[][] {
  const places = new Map<string, { readonly ask: Ask; readonly want: DnsWant }[]>();
  for (const ask of asks)
    for (const want of dnsWants(ask.wants)) {
      const id = `${want.name} ${want.type} ${want.kind === "absent" ? "absent" : ""}`;
      places.set(id, [...(places.get(id) ?? []), { ask, want }]);
    }
  return [...places.values()];
}

const idsOf = (all: readonly { readonly ask: Ask }[]): string[] => [...new Set(all.map(({ ask }) => ask.id))];

/** Brings the wishes of all asks together by name and type, each record once. */
export function gather(asks: readonly Ask[]): Wanted[] {
  return byPlace(asks).flatMap((all): Wanted[] => {
    const wants = all.map(({ want }) => want);
    const { name, type, kind } = wants[0] as DnsWant;
    if (kind === "absent") return [];
    const ttls = new Set(wants.map((want) => want.ttl));
    const records = wants.flatMap((want) => (want.kind === "records" ? [want] : []));
    const empty: RecordSet = { name, type, ttl: Math.min(...ttls), data: [] };
    const set = records.reduce((so, want) => withData(so, want.data), empty);
    const site = all.some(({ ask }) => ask.purpose === "site" || ask.purpose === "redirect");
    return [{ name, type, wants, set, asks: idsOf(all), ttls, site }];
  });
}

/** Brings together what asks want gone. */
export function gatherUnwanted(asks: readonly Ask[]): Unwanted[] {
  return byPlace(asks).flatMap((all): Unwanted[] => {
    const wants = all.flatMap(({ want }) => (want.kind === "absent" ? [want] : []));
    const [first] = wants as [AbsentWant | undefined];
    if (first === undefined) return [];
    const empty: RecordSet = { name: first.name, type: first.type, ttl: first.ttl, data: [] };
    return [{ set: wants.reduce<RecordSet>((so, want) => withData(so, want.data), empty), asks: idsOf(all) }];
  });
}

/** The data of a set that a test holds for. */
export const pick = (set: RecordSet, test: (data: RecordData) => boolean): RecordSet => ({ ...set, data: set.data.filter(test) });

/** Whether a set holds one piece of data. */
export const holds = (set: RecordSet | undefined, data: RecordData): boolean =>
  set?.data.some((own) => sameData({ ...set, data: [own] }, { ...set, data: [data] })) === true;
