import { type Clause, clause } from "../clause/index.ts";
import { type Lookup, liveAt } from "../lookup/index.ts";
import { type DomainName, isAtOrBelow, isBelow, parseName, relativeText } from "../name/index.ts";
import { printData, type RecordSet, type RecordType, sameData } from "../record/index.ts";
import { USUAL_NAMES, USUAL_TYPES } from "./usual-names.ts";

/** A set that could not be asked for. */
interface Unresolved {
  readonly name: DomainName;
  readonly type: RecordType;
  readonly because: Clause;
}

/** What was found at a zone's present servers by asking name by name, and what could not be asked. */
export interface Capture {
  readonly sets: readonly RecordSet[];
  readonly unresolved: readonly Unresolved[];
  readonly asked: number;
}

/** The usual names and those that are known from elsewhere, each once. */
export function namesToAsk(apex: DomainName, known: Iterable<DomainName>): DomainName[] {
  const usual = [DESK, ...USUAL_NAMES].flatMap((text) => {
    const parsed = parseName(text, apex);
    return parsed.ok ? [parsed.value] : [];
  });
  return [...new Set([apex, ...usual, ...known])];
}

/**
 * Asks a zone's server for every usual type at these names, or for those of `typesAt` where they are known. What a wildcard
 * answers is taken once, at the wildcard.
 */
export async function captureByAsking(
  lookup: Lookup,
  apex: DomainName,
  names: readonly DomainName[],
  typesAt?: ReadonlyMap<DomainName, readonly RecordType[]>,
): Promise<Capture> {
  const atName = async (name: DomainName): Promise<Capture> => {
    const sets: RecordSet[] = [];
    const unresolved: Unresolved[] = [];
    let asked = 0;
    for (const type of typesAt?.get(name) ?? USUAL_TYPES) {
      const live = await liveAt(lookup, apex, name, type);
      asked += 1;
      const cut = live.kind === "failed" ? live.answer.delegation : undefined;
      if (live.kind === "set" || live.kind === "alias") sets.push(live.set);
      if (cut !== undefined) {
        // What belongs to a delegation moves with it: the addresses of its servers in this zone, and its DS records.
        const ds = await lookup.ask(name, "DS");
        asked += 1;
        sets.push(cut.ns, ...cut.glue.filter((set) => isBelow(set.name, apex)), ...(ds.kind === "found" ? [ds.set] : []));
        if (ds.kind === "failed" && ds.why !== "delegated") unresolved.push({ name, type: "DS", because: ds.detail });
      } else if (live.kind === "failed") unresolved.push({ name, type, because: live.answer.detail });
      // Where an alias stands, or another zone begins, nothing else is to be found.
      if (live.kind === "alias" || live.kind === "dname" || cut !== undefined) break;
    }
    return { sets, unresolved, asked };
  };
  const found = await Promise.all(names.map(atName));
  return {
    sets: [...new Map(found.flatMap((capture) => capture.sets).map((set) => [`${set.name} ${set.type}`, set])).values()],
    unresolved: found.flatMap((capture) => capture.unresolved),
    asked: found.reduce((sum, capture) => sum + capture.asked, 0),
  };
}

/** Where a zone says which desk for approvals its DNS host has: a pointer to the host, not to anything of the domain. */
const DESK = "_domainconnect";
const isDesk = (of: DomainName): boolean => of.startsWith(`${DESK}.`);

/** Sets that belong to the DNS host and not to the domain: the new host brings its own. */
export const isHosts = ({ name, type }: Pick<RecordSet, "name" | "type">, apex: DomainName): boolean =>
  (name === apex && (type === "SOA" || type === "NS")) ||
  isDesk(name) ||
  ["RRSIG", "NSEC", "NSEC3", "NSEC3PARAM", "DNSKEY", "CDS", "CDNSKEY", "ZONEMD"].includes(type);

/**
 * What of a zone points at the old DNS host itself. `left` are the host's own pointers, which a copy leaves out; `kept` are the
 * domain's records that lead to a machine of the host, such as its page for parked domains, and may end with it.
 *
 * @param hostDomains domains of the old host: those that its name servers are named in
 */
export function pointersToHost(
  sets: readonly RecordSet[],
  apex: DomainName,
  hostDomains: readonly DomainName[],
): { readonly left: readonly RecordSet[]; readonly kept: readonly { readonly set: RecordSet; readonly target: DomainName }[] } {
  const others = hostDomains.filter((domain) => !isAtOrBelow(apex, domain) && !isAtOrBelow(domain, apex));
  const kept = sets.flatMap((set) => {
    if (isHosts(set, apex)) return [];
    const target = set.data
      .map((data) => ("target" in data ? data.target : "exchange" in data ? data.exchange : undefined))
      .find((led) => led !== undefined && others.some((domain) => isAtOrBelow(led as DomainName, domain)));
    return target === undefined ? [] : [{ set, target: target as DomainName }];
  });
  return { left: sets.filter((set) => isDesk(set.name)), kept };
}

/** The captured zone as a zone file for the new host, without what the old host put there for itself. */
export function zoneText(apex: DomainName, sets: readonly RecordSet[], remarks: readonly string[]): string {
  const own = sets
    .filter((set) => !isHosts(set, apex))
    .sort((a, b) => (a.name === apex ? -1 : b.name === apex ? 1 : a.name < b.name ? -1 : a.name > b.name ? 1 : 0));
  const lines = own.flatMap((set) =>
    set.data.map((data) => `${relativeText(set.name, apex)}\t${set.ttl}\tIN\t${set.type}\t${printData(set.type, data)}`),
  );
  return `${remarks.map((remark) => `; ${remark.replace(/[\r\n]+/g, " ")}\n`).join("")}$ORIGIN ${apex}\n${lines.join("\n")}\n`;
}

/** One difference between the two sides. */
interface Difference {
  readonly kind: "missing" | "extra" | "differs" | "ttl";
  readonly name: DomainName;
  readonly type: RecordType;
  readonly old: RecordSet | undefined;
  readonly new: RecordSet | undefined;
}

export interface Comparison {
  readonly same: number;
  readonly differences: readonly Difference[];
  readonly unresolved: readonly Unresolved[];
}

/** Asks both sides directly for each set, and says where they differ. What the hosts bring themselves does not count. */
export async function compareSides(
  old: Lookup,
  fresh: Lookup,
  apex: DomainName,
  wanted: readonly { readonly name: DomainName; readonly type: RecordType }[],
): Promise<Comparison> {
  /** What is at the name for exactly this type; an alias counts as itself only. */
  const own = (live: Awaited<ReturnType<typeof liveAt>>, type: RecordType): RecordSet | undefined =>
    live.kind === "set" ? live.set : live.kind === "failed" && type === "NS" ? live.answer.delegation?.ns : undefined;
  const compared = wanted
    .filter((set) => !isHosts(set, apex))
    .map(async ({ name, type }): Promise<Difference | Unresolved | "same" | undefined> => {
      const [there, here] = await Promise.all([liveAt(old, apex, name, type), liveAt(fresh, apex, name, type)]);
      const failure = [there, here].find((live) => live.kind === "failed" && live.answer.delegation === undefined);
      if (failure?.kind === "failed") return { name, type, because: failure.answer.detail };
      const [before, after] = [own(there, type), own(here, type)];
      if (before === undefined && after === undefined) return undefined;
      const common = { name, type, old: before, new: after };
      if (!sameData(before, after))
        return { kind: after === undefined ? "missing" : before === undefined ? "extra" : "differs", ...common };
      return before?.ttl === after?.ttl ? "same" : { kind: "ttl", ...common };
    });
  const all = await Promise.all(compared);
  return {
    same: all.filter((candidate) => candidate === "same").length,
    differences: all.filter((candidate): candidate is Difference => typeof candidate === "object" && "kind" in candidate),
    unresolved: all.filter((candidate): candidate is Unresolved => typeof candidate === "object" && "because" in candidate),
  };
}

/** Where a move of name servers stands. */
export interface CutOver {
  readonly state: "not-yet" | "half" | "moved" | "over";
  readonly because: Clause;
  /** When nobody can be led to the old host any more, in milliseconds since 1970; undefined before the move. */
  readonly oldHostUntil: number | undefined;
}

/**
 * Judges a change of name servers: everybody who asked the parent just before keeps its answer for the parent's
 * NS TTL, and may take the old zone's own NS set from there for its TTL; behind that the longest TTL of the
 * old zone's records can still be kept.
 *
 * @param movedAt when the parent was first seen to name the new servers; milliseconds since 1970
 */
export function judgeCutOver(
  delegated: readonly string[],
  expected: readonly string[],
  {
    movedAt,
    now,
    parentTtl,
    oldNsTtl,
    longestTtl,
  }: { movedAt: number | undefined; now: number; parentTtl: number; oldNsTtl: number; longestTtl: number },
): CutOver {
  const onNew = delegated.filter((server) => expected.includes(server));
  if (onNew.length === 0) return { state: "not-yet", because: clause("relocate-not-yet"), oldHostUntil: undefined };
  if (onNew.length < delegated.length)
    return {
      state: "half",
      because: clause("relocate-half", { foreign: delegated.filter((server) => !expected.includes(server)) }),
      oldHostUntil: undefined,
    };
  const until = (movedAt ?? now) + (Math.max(parentTtl, oldNsTtl) + longestTtl) * 1000;
  return until <= now
    ? { state: "over", because: clause("relocate-over"), oldHostUntil: until }
    : {
        state: "moved",
        because: clause("relocate-moved"),
        oldHostUntil: until,
      };
}
