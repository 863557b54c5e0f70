import type { Ask } from "../../core/ask/index.ts";
import { asAsked, dnsWants, isMet, recordsWanted, webProofOf } from "../../core/ask/index.ts";
import type { Clause } from "../../core/clause/index.ts";
import { clause } from "../../core/clause/index.ts";
import type { DomainName } from "../../core/name/index.ts";
import { containsAll, printRecord, type RecordSet } from "../../core/record/index.ts";
import { longestWindow, visibleBy } from "../../core/spread/index.ts";
import type { Domain, Journal, JournalledChange, Publication } from "../../workspace/index.ts";

/** The key of the service that stands for the organisation's own mail: records that Zandrel composed. */
export const OWN_SERVICE = "own-mail";

/** What the journal remembers of a domain, ready to be asked. */
export interface JournalState {
  /** When each ask was proven, with the records that were proven. */
  readonly proven: ReadonlyMap<string, { readonly at: number; readonly wanted: string }>;
  readonly settled: ReadonlyMap<string, { readonly at: number; readonly wanted: string }>;
  readonly publications: readonly Publication[];
}

const NOTHING: JournalState = { proven: new Map(), settled: new Map(), publications: [] };

/** The records of an ask as one text, by which a proof is tied to what was proven. */
export const wantedText = ({ wants }: Ask): string => {
  const proof = webProofOf(wants);
  const records = recordsWanted(asAsked(wants)).map((record) => printRecord({ ...record, ttl: 0 }));
  return (proof === undefined ? "" : `${JSON.stringify(proof)}\n`) + records.sort().join("\n");
};

export function loadJournalState(journal: Journal | undefined, domain: DomainName): JournalState {
  if (journal === undefined) return NOTHING;
  const last = (kind: "proven" | "settled") =>
    new Map(journal.entries(domain, kind).map((entry) => [entry.ask, { at: entry.at, wanted: entry.wanted }]));
  return { proven: last("proven"), settled: last("settled"), publications: journal.publications(domain) };
}

/** When a change of an ask's sets was published last, and when everyone sees it at the latest. */
export interface Visibility {
  readonly publishedAt: number;
  readonly by: number;
  readonly because: Clause;
}

/** The publications that were neither refused nor taken back. */
function published({ publications }: JournalState): Publication[] {
  const carriedOut = publications.filter(({ closed }) => closed?.end === "published");
  const undone = new Set(carriedOut.map(({ opened }) => opened.undoes));
  return carriedOut.filter(({ opened }) => !undone.has(opened.id));
}

/** The last of them that put something at a place. */
function lastPublication(journalled: JournalState, { name, type }: Pick<RecordSet, "name" | "type">) {
  const publication = published(journalled).findLast(({ opened }) =>
    opened.changes.some((change) => change.name === name && change.type === type),
  );
  const change = publication?.opened.changes.find(
    (journalledChange) => journalledChange.name === name && journalledChange.type === type,
  );
  return publication === undefined || change === undefined ? undefined : { at: publication.opened.at, change };
}

/** Whether Zandrel put every one of these records there for one of these asks, and they were not changed since. */
export const isOwn =
  (journalled: JournalState) =>
  (set: RecordSet, asks: readonly string[]): boolean => {
    const last = lastPublication(journalled, set);
    if (last === undefined || set.data.length === 0) return false;
    const { before, after, asks: forAsks } = last.change;
    return (
      forAsks.some((id) => asks.includes(id)) &&
      containsAll(after, set) &&
      !set.data.some((data) => containsAll(before, { ...set, data: [data] }))
    );
  };

/** Who put a set there, as far as the workspace knows; Zandrel only where its journal says so and nobody changed it since. */
export function provenanceOf(domain: Domain, journalled: JournalState): (set: RecordSet) => Clause {
  return (set) => {
    const last = lastPublication(journalled, set);
    if (
      last !== undefined &&
      containsAll(last.change.after, set) &&
      !set.data.some((data) => containsAll(last.change.before, { ...set, data: [data] }))
    )
      return clause("change-by-zandrel", { at: last.at, asks: last.change.asks });
    const ask = domain.asks.find((candidate) =>
      dnsWants(candidate.wants).some(
        (want) => want.kind !== "absent" && want.name === set.name && want.type === set.type && isMet(set, want),
      ),
    );
    return ask === undefined ? clause("change-by-somebody") : clause("change-by-somebody-for", { ask: ask.id });
  };
}

/** When everyone sees what an ask wants, counted from its last publication; undefined where there was none. */
export function visibilityOf(ask: Ask, journalled: JournalState): Visibility | undefined {
  const wants = (change: JournalledChange) =>
    dnsWants(ask.wants).some(
      (want) => want.name === change.name && want.type === change.type && change.after !== undefined && isMet(change.after, want),
    );
  const publication = published(journalled).findLast(({ opened }) => opened.changes.some(wants));
  if (publication?.closed === undefined) return undefined;
  const cacheWindow = longestWindow(publication.opened.changes.filter(wants).flatMap((change) => change.cacheWindow ?? []));
  const publishedAt = publication.closed.at;
  return cacheWindow === undefined
    ? undefined
    : { publishedAt, by: visibleBy(publishedAt, cacheWindow), because: cacheWindow.because };
}
