import { isDeepStrictEqual } from "node:util";
import { type Ask, asAsked, recordsWanted } from "../../core/ask/index.ts";
import { type Clause, clause } from "../../core/clause/index.ts";
import { printRecord, type ResourceRecord } from "../../core/record/index.ts";
import type { Domain } from "../../workspace/index.ts";
import type { NewAsk } from "./new-ask.ts";
import { expectKnown, takingPlace } from "./take-place.ts";

/** Whether two asks are one: of a template the same group of it, at the same host; the values may differ. */
function isSameUse(a: NewAsk["template"], b: NewAsk["template"]): boolean {
  return a?.provider === b?.provider && a?.service === b?.service && a?.group === b?.group && a?.host === b?.host;
}

/** What a kit adds to the asks of a domain. */
interface New {
  readonly add: readonly NewAsk[];
  /** Ids of the asks that those are newer versions of, and that stay. */
  readonly newer: readonly string[];
  /** The asks whose places they take. */
  readonly without: ReadonlyMap<string, Clause>;
}

/**
 * The asks of a kit that are not saved yet. One that is there with other values is a newer version of it, one of another template with the
 * same name is another ask: both get an id of their own, but where it takes the older one's place.
 */
export function newOf(asks: readonly NewAsk[], domain: Domain, insteadOf: readonly string[]): New {
  const newer: string[] = [];
  const ids = new Map<string, string>();
  const taken = new Set(domain.asks.map(({ id }) => id));
  expectKnown(insteadOf, domain);
  const replaced = new Set<string>();
  const add: NewAsk[] = [];
  for (const ask of asks) {
    const isMine = (id: string) => id === ask.id || (id.startsWith(`${ask.id}-`) && /^\d+$/.test(id.slice(ask.id.length + 1)));
    const same = domain.asks.filter(({ id, template }) => isMine(id) && isSameUse(template, ask.template));
    const known = same.find((other) => isDeepStrictEqual(wantedBy(other), wantedOf(ask, domain)));
    if (known !== undefined) {
      ids.set(ask.id, known.id);
      for (const { id } of same) if (insteadOf.includes(id) && id !== known.id) replaced.add(id);
      continue;
    }
    const place = same.find((other) => insteadOf.includes(other.id) && !replaced.has(other.id))?.id;
    let id = place ?? ask.id;
    for (let i = 2; place === undefined && taken.has(id); i++) id = `${ask.id}-${i}`;
    if (place !== undefined) replaced.add(place);
    newer.push(...same.flatMap((other) => (insteadOf.includes(other.id) ? [] : [other.id])));
    taken.add(id);
    ids.set(ask.id, id);
    add.push(takingPlace({ ...ask, id }, place === undefined ? [] : [place], insteadOf, domain));
  }
  return {
    add: add.map((ask) => ({ ...ask, after: ask.after.map((id) => ids.get(id) ?? id) })),
    newer: [...new Set(newer)],
    without: new Map([...replaced].map((id) => [id, clause("retired-newer-version")])),
  };
}

/** A record without its TTL, which makes no other ask. */
const plain = (record: ResourceRecord): string => printRecord({ ...record, ttl: 0 });

/** What an ask wants, written so that two can be compared. */
const wantedBy = ({ wants }: Ask): string[] => recordsWanted(asAsked(wants)).map(plain).sort();
const wantedOf = ({ records, spf, dmarc }: NewAsk, { name }: Domain): string[] =>
  [
    ...[
      ...records,
      ...(spf === undefined ? [] : [{ name, type: "TXT", ttl: 0, data: { strings: [`v=spf1 ${spf}`] } } as const]),
    ].map(plain),
    ...(dmarc === undefined ? [] : [`_dmarc.${name} 0 IN TXT "v=DMARC1; p=${dmarc}"`]),
  ].sort();
