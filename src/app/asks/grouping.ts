import { PURPOSES, type Purpose, wantedCount } from "../../core/ask/index.ts";
import { byPurpose, type PastedProof, type PastedRecord, type Understood } from "../../core/ask/intake/index.ts";
import { type Clause, clause } from "../../core/clause/index.ts";
import { distinct } from "../../core/distinct.ts";
import { Failure } from "../../core/failure.ts";
import { askOfKit, type Kit } from "../../core/kit/index.ts";
import { type DomainName, isAtOrBelow, parseName, withoutRootDot } from "../../core/name/index.ts";
import { printData, type ResourceRecord } from "../../core/record/index.ts";
import type { WebProof } from "../../core/site/index.ts";
import type { Domain } from "../../workspace/index.ts";
import type { AppContext } from "../context.ts";
import { type Decision, duplicateOf, overlapping, type ServiceOfAsk, withoutSpf } from "./add.ts";
import type { NewAsk } from "./new-ask.ts";
import { expectKnown, takingPlace } from "./take-place.ts";

/** One group of what a paste says, on its way to be an ask. */
export interface Group {
  readonly purpose: Purpose;
  /** Whether something on the page says the purpose. */
  readonly sure: boolean;
  readonly records: readonly PastedRecord[];
  readonly spfTerms: readonly string[];
  readonly web?: PastedProof;
}

/** Everything that a paste asks for, in groups of one purpose each; `purpose` is what the person named. */
export function groupsOf(read: Understood, domain: DomainName, text: string, purpose: Purpose | undefined): Group[] {
  const groups: Group[] =
    purpose !== undefined && read.records.length > 0
      ? [{ purpose, sure: true, records: read.records, spfTerms: [] }]
      : byPurpose(read.records, domain, text).map((group) => ({ ...group, spfTerms: [] }));
  if (read.spfTerms.length > 0) {
    const at = groups.findIndex((group) => group.purpose === "sending");
    const into = groups[at];
    if (into === undefined) groups.push({ purpose: purpose ?? "sending", sure: true, records: [], spfTerms: read.spfTerms });
    else groups[at] = { ...into, spfTerms: read.spfTerms };
  }
  for (const web of read.web) groups.push({ purpose: purpose ?? "ownership", sure: true, records: [], spfTerms: [], web });
  if (groups.length === 0 && read.remove.length > 0)
    groups.push({ purpose: purpose ?? "site", sure: purpose !== undefined, records: [], spfTerms: [] });
  return groups;
}

/** Asks what records are for that nothing on the page explains; an answer that was given before stands. */
export async function withPurposes(
  groups: readonly Group[],
  remove: readonly ResourceRecord[],
  answers: Map<Purpose, Purpose>,
  context: Pick<AppContext, "choose">,
): Promise<Group[]> {
  const asked: Group[] = [];
  for (const group of groups) {
    const guess = group.purpose;
    if (!group.sure && !answers.has(guess)) {
      const records = group.records.length > 0 ? group.records.map(({ record }) => record) : remove;
      const answer = await context.choose({ kind: "which-purpose", records, guess });
      const purpose = PURPOSES.find((known) => known === answer);
      if (purpose === undefined) throw new Failure("question-left-open", {});
      answers.set(guess, purpose);
    }
    asked.push(group.sure ? group : { ...group, sure: true, purpose: answers.get(guess) ?? guess });
  }
  return asked;
}

/** Ends the command where nothing on the page says what records are for: the person has to. */
export function expectPurposes(groups: readonly Group[]): void {
  const unclear = groups.find(({ sure, records }) => !sure && records.length > 0);
  if (unclear === undefined) return;
  throw new Failure("which-purpose", { records: unclear.records.map(({ record }) => record), guess: unclear.purpose });
}

/** A proof with the page it is looked for on: where the paste names none, the home page of the domain. */
const webProof = (proof: PastedProof, domain: DomainName): WebProof =>
  proof.kind === "file" ? proof : { ...proof, url: proof.url ?? `https://${withoutRootDot(domain)}/` };

/** The ask that a group becomes. */
function newAsk(group: Group, domain: DomainName, as: Pick<NewAsk, "id" | "service" | "after" | "purpose" | "remove">): NewAsk {
  const { records, spf } = withoutSpf(
    group.records.map(({ record }) => record),
    domain,
  );
  // What a page says of a record, and says again in a sentence, is asked for once.
  const all = [...group.spfTerms, ...(spf?.split(" ") ?? [])];
  const terms = distinct(all, (term) => term.toLowerCase()).join(" ");
  return {
    ...as,
    domain,
    records,
    ...(terms === "" ? {} : { spf: terms }),
    ...(group.web === undefined ? {} : { web: webProof(group.web, domain) }),
  };
}

function freeId(wanted: string, taken: ReadonlySet<string>): string {
  let id = wanted;
  for (let n = 2; taken.has(id); n++) id = `${wanted}-${n}`;
  return id;
}

const kitAskId = (kit: Kit | undefined, id: string): string =>
  kit === undefined || id.startsWith(`${kit.service}-`) ? id : `${kit.service}-${id}`;

const removalKey = ({ name, type, data }: ResourceRecord): string => `${name} ${type} ${printData(type, data)}`;

/** The removals that asks of the domain hold already, each with the ask that holds it. */
const removalsOf = ({ asks }: Domain, without: readonly string[]): Map<string, string> =>
  new Map(
    asks.flatMap(({ id, wants }) =>
      without.includes(id)
        ? []
        : wants.flatMap((want) =>
            want.kind === "absent" ? want.data.map((data) => [removalKey({ ...want, data }), id] as const) : [],
          ),
    ),
  );

/** The name of the host that a web address is at; undefined where that is an IP address. */
function hostAt(url: string): DomainName | undefined {
  const { hostname } = new URL(url);
  const parsed = /^\[|^[\d.]+$/.test(hostname) ? undefined : parseName(hostname);
  return parsed?.ok === true ? parsed.value : undefined;
}

/**
 * Where a page forwards the whole domain to for good, another domain; undefined where it forwards only a host, within the domain
 * or for a while, and where the domain is there for something else: asks of its own say so.
 */
function redirectOf({ forwards }: Understood, now: Domain): DomainName | undefined {
  if (now.role !== "redirect" && now.asks.length > 0) return undefined;
  const [to] = forwards.flatMap(({ from, to, permanent }) => {
    const target = hostAt(to);
    return permanent === false || hostAt(from) !== now.name || target === undefined || isAtOrBelow(target, now.name)
      ? []
      : [target];
  });
  return now.role === "redirect" && now.redirectTo === to ? undefined : to;
}

/** What becomes of the groups among the asks of a domain. */
export interface Grouped {
  readonly asks: readonly NewAsk[];
  /** Asks that hold some of it already. */
  readonly already: readonly string[];
  /** Asks of the same service that this looks like a newer version of. */
  readonly newerThan: readonly string[];
  /** The older asks whose place was taken. */
  readonly replaced: readonly string[];
  /** Where the domain redirects to from now on. */
  readonly redirectTo: DomainName | undefined;
}

/** What the person named for the asks to come. */
export interface AsNamed {
  readonly id: string | undefined;
  /** Older asks whose place the new ones take. */
  readonly insteadOf: readonly string[];
  readonly purpose: Purpose | undefined;
}

/**
 * The older ask whose place each group takes, of those that were named: the one of its purpose, or, where the page holds one group
 * only, whichever was named first.
 */
function placesOf(groups: readonly Group[], insteadOf: readonly string[], now: Domain): Map<Group, string> {
  const places = new Map<Group, string>();
  for (const group of groups) {
    const free = insteadOf.filter((id) => ![...places.values()].includes(id));
    const same = free.find((id) => now.asks.find((ask) => ask.id === id)?.purpose === group.purpose);
    const place = same ?? (groups.length === 1 ? free[0] : undefined);
    if (place !== undefined) places.set(group, place);
  }
  return places;
}

/** Decides by the domain as it is now: new asks, those that are there already, those that are replaced. */
export function decideFor(
  groups: readonly Group[],
  read: Understood,
  service: ServiceOfAsk | undefined,
  kit: Kit | undefined,
  { id: given, insteadOf, purpose }: AsNamed,
) {
  return (now: Domain): Decision<Grouped> => {
    const taken = new Set(now.asks.map((ask) => ask.id).filter((id) => !insteadOf.includes(id)));
    if (given !== undefined && taken.has(given)) throw new Failure("id-taken", { id: given, path: now.path });
    expectKnown(insteadOf, now);
    const places = placesOf(groups, insteadOf, now);
    const redirectTo = redirectOf(read, now);
    const removals = removalsOf(now, insteadOf);
    // What the page says to remove goes with the first ask that is saved, once.
    let remove = read.remove.filter((record) => !removals.has(removalKey(record)));
    const asks: NewAsk[] = [];
    const already = new Set(read.remove.flatMap((record) => removals.get(removalKey(record)) ?? []));
    const newerThan: string[] = [];
    const save = (group: Group, known: ReturnType<typeof askOfKit>): NewAsk => {
      const id =
        given ??
        places.get(group) ??
        (known === undefined
          ? [...(service === undefined ? [] : [service.key]), group.purpose].join("-")
          : kitAskId(kit, known.id));
      return newAsk(group, now.name, {
        id: freeId(id, taken),
        service: service?.key ?? "",
        purpose: purpose ?? known?.purpose ?? group.purpose,
        after: (known?.after ?? []).map((id) => kitAskId(kit, id)).filter((id) => taken.has(id)),
        remove,
      });
    };
    const resaved: NewAsk[] = [];
    // What no group takes the place of by its purpose goes with the first one.
    let unplaced = insteadOf.filter((id) => ![...places.values()].includes(id));
    const taking = (ask: NewAsk, group: Group): NewAsk => {
      const place = places.get(group);
      const own = [...(place === undefined ? [] : [place]), ...unplaced];
      unplaced = [];
      return takingPlace(ask, own, insteadOf, now);
    };
    const keep = (ask: NewAsk): void => {
      taken.add(ask.id);
      asks.push(ask);
      remove = [];
    };
    for (const group of groups) {
      const records = group.records.map(({ record }) => record);
      const ask = save(group, kit === undefined ? undefined : askOfKit(kit, now.name, records));
      if (wantedCount(ask) === 0) continue;
      const duplicate = duplicateOf(ask, now);
      if (duplicate !== undefined && !insteadOf.includes(duplicate)) {
        already.add(duplicate);
        const next = insteadOf.length === 0 ? undefined : taking({ ...ask, id: duplicate }, group);
        // What was saved before takes the place now: it stays as it is, and what goes is saved with it.
        if (next !== undefined) {
          resaved.push(next);
          remove = [];
        }
        continue;
      }
      const older = overlapping(ask, now, insteadOf);
      if (older?.exclusive === true && given === undefined)
        throw new Failure("ask-differs", { ask: older.id, service: service?.title ?? "", name: older.name, type: older.type });
      if (older !== undefined) newerThan.push(older.id);
      keep(taking(ask, group));
    }
    // Where everything else is saved already, what is to be removed is an ask of its own.
    const [first] = groups;
    if (remove.length > 0 && first !== undefined)
      keep(save({ purpose: first.purpose, sure: first.sure, records: [], spfTerms: [] }, undefined));
    // An older ask also goes where what takes its place was saved before.
    const replaced = asks.length + already.size === 0 ? [] : insteadOf;
    const without = new Map<string, Clause>(
      [...replaced, ...resaved.map(({ id }) => id)].map((id) => [id, clause("retired-newer-version")]),
    );
    return {
      ...(service === undefined ? {} : { service }),
      add: [...asks, ...resaved],
      redirectTo,
      without,
      result: { asks, already: [...already], newerThan: distinct(newerThan), replaced, redirectTo },
    };
  };
}
