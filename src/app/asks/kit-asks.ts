import { isDeepStrictEqual } from "node:util";
import { type Ask, asAsked, recordsWanted } from "../../core/ask/index.ts";
import { type Clause, clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { printRecord, type ResourceRecord } from "../../core/record/index.ts";
import type { Domain } from "../../workspace/index.ts";
import type { NewAsk } from "./new-ask.ts";

/** Whether two asks are one: of a template the same group of it, at the same host; the values may differ. */
function isSameUse(a: NewAsk["template"], b: NewAsk["template"]): boolean {
  return a?.provider === b?.provider && a?.service === b?.service && a?.group === b?.group && a?.host === b?.host;
}

/** What a kit adds to the asks of a domain. */
interface New {
  readonly add: readonly NewAsk[];
  /** Ids of the asks that those are newer versions of, and that stay. */
  readonly newer: readonly string[];
  /** The ask whose place one of them takes. */
  readonly without: ReadonlyMap<string, Clause>;
}

/**
 * The asks of a kit that are not saved yet. One that is there with other values is a newer version of it, one of another template with the
 * same name is another ask: both get an id of their own, but where it takes the older one's place.
 */
export function newOf(asks: readonly NewAsk[], domain: Domain, insteadOf: string | undefined): New {
  const newer: string[] = [];
  const ids = new Map<string, string>();
  const taken = new Set(domain.asks.map(({ id }) => id));
  if (insteadOf !== undefined && !taken.has(insteadOf)) throw new Failure("unknown-ask", { given: insteadOf, known: [...taken] });
  let replaces = false;
  const add: NewAsk[] = [];
  for (const ask of asks) {
    const isMine = (id: string) => id === ask.id || (id.startsWith(`${ask.id}-`) && /^\d+$/.test(id.slice(ask.id.length + 1)));
    const same = domain.asks.filter(({ id, template }) => isMine(id) && isSameUse(template, ask.template));
    const known = same.find((other) => isDeepStrictEqual(wantedBy(other), wantedOf(ask, domain)));
    if (known !== undefined) {
      ids.set(ask.id, known.id);
      continue;
    }
    const isReplacing: boolean = !replaces && insteadOf !== undefined && same.some(({ id }) => id === insteadOf);
    let id = isReplacing && insteadOf !== undefined ? insteadOf : ask.id;
    for (let i = 2; !isReplacing && taken.has(id); i++) id = `${ask.id}-${i}`;
    replaces ||= isReplacing;
    newer.push(...same.flatMap((other) => (other.id === insteadOf ? [] : [other.id])));
    taken.add(id);
    ids.set(ask.id, id);
    add.push({ ...ask, id });
  }
  return {
    add: add.map((ask) => ({ ...ask, after: ask.after.map((id) => ids.get(id) ?? id) })),
    newer: [...new Set(newer)],
    without: replaces && insteadOf !== undefined ? new Map([[insteadOf, clause("retired-newer-version")]]) : new Map(),
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
