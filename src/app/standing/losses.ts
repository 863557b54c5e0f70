import { dnsWants } from "../../core/ask/index.ts";
import {
  type Change,
  type ClashKind,
  type Draft,
  fillIn,
  type Loss,
  lostOf,
  pending,
  type SheetEntry,
  standingAt,
} from "../../core/change/index.ts";
import { DAY_MS } from "../../core/day.ts";
import type { Lookup } from "../../core/lookup/index.ts";
import { type DomainName, name, parseName } from "../../core/name/index.ts";
import { printData, type RecordSet, setJson } from "../../core/record/index.ts";
import { USUAL_NAMES } from "../../core/relocate/index.ts";
import type { Domain, Journal, Publication, Workspace } from "../../workspace/index.ts";
import { formOf } from "./host.ts";

/** How long after a publication the zone is compared with what stood there before it (milliseconds). */
const COMPARED = 14 * DAY_MS;

/** The names that are looked at beside a publication: those it changes, those of asks, and those that zones commonly have. */
function namesBeside(domain: Domain, changed: readonly DomainName[]): DomainName[] {
  const usual = [...USUAL_NAMES, "_dmarc"].flatMap((label) => {
    const parsed = label === "@" ? undefined : parseName(label, domain.name);
    return parsed?.ok ? [parsed.value] : [];
  });
  const asked = domain.asks.flatMap((ask) => dnsWants(ask.wants).map((want) => want.name));
  return [...new Set([domain.name, ...changed, ...asked, ...usual])];
}

/** How many names were compared with what stood there before the newest publication; 0 where nothing remembers that. */
export function namesCompared(domain: Domain, journal: Journal, now: number): number {
  const base = baseOf(journal.publications(domain.name), now);
  return base === undefined
    ? 0
    : namesBeside(
        domain,
        base.opened.changes.map((change) => name(change.name)),
      ).length;
}

/** Clashes that say that there are two records where there may be one. */
const SECOND: ReadonlySet<string> = new Set(["second-spf", "second-dmarc", "second-key"] satisfies ClashKind[]);

/** The newest publication that remembers what stood beside it, for as long as the zone is compared with that. */
const baseOf = (publications: readonly Publication[], now: number): Publication | undefined =>
  publications.findLast(({ opened }) => opened.beside !== undefined && now - opened.at < COMPARED);

/**
 * What is where something will be published: at the names that change, at the domain itself, and wherever an ask wants something.
 * What was deleted too much beside an earlier publication still belongs there: a new one does not make it forgotten.
 */
export async function standingBeside(
  domain: Domain,
  changes: readonly Change[],
  source: Lookup,
  journal: Journal,
  now: number,
): Promise<readonly RecordSet[]> {
  const names = namesBeside(
    domain,
    changes.map((change) => change.name),
  );
  return [
    ...(await standingAt(names, source, domain.name)),
    ...(await lostAt(domain, source, journal, now)).map(({ was }) => was),
  ];
}

/**
 * What stood there before the newest publication of a domain, and that somebody deleted or changed beside what it says, as one source
 * shows the zone; what the draft brings back is missing already, and not said twice.
 */
export async function lostAt(
  domain: Domain,
  source: Lookup,
  journal: Journal,
  now: number,
  draft?: Draft,
): Promise<readonly Loss[]> {
  const publications = journal.publications(domain.name);
  const base = baseOf(publications, now);
  if (base?.opened.beside === undefined) return [];
  // What was published since then was meant, and so is what somebody said was meant; what was not carried out says nothing.
  const published = publications
    .filter(({ opened, closed }) => opened.at >= base.opened.at && closed?.end !== "not-published")
    .flatMap(({ opened }) => opened.changes);
  const meant = journal
    .entries(domain.name, "deletion-meant")
    .filter(({ at }) => at >= base.opened.at)
    .flatMap(({ records }) => records.map((before) => ({ name: before.name, type: before.type, before })));
  return lostOf(
    base.opened.beside,
    [...published, ...meant].map((change) => ({ before: undefined, after: undefined, ...change, name: name(change.name) })),
    source,
    domain.name,
    draft === undefined ? [] : pending(draft),
    (of, type) => draft?.clashes.some((clash) => clash.name === of && clash.type === type && SECOND.has(clash.kind)) === true,
  );
}

/** How a loss is mended in the form of the domain's DNS host: what was deleted is entered again, what was changed is changed back. */
export const mendingOf = (domain: Domain, workspace: Workspace, { mend }: Loss): SheetEntry[] =>
  fillIn([mend], domain.name, formOf(domain, workspace));

/** A loss as the sentences about it need it. */
export const lossParameters = ({ name: at, type, was, now }: Loss) => ({
  ...{ name: at, type },
  data: was.data.map((data) => printData(type, data)),
  now: now?.data.map((data) => printData(type, data)) ?? [],
});

/** Losses as results show them. */
export const lossesShown = (domain: DomainName, lost: readonly Loss[]) =>
  lost.map(({ name: at, type, was, now }) => ({ domain, name: at, type, records: setJson(was), now: setJson(now) }));
