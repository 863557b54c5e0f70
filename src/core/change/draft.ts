import { type Ask, type DnsWant, dnsWants, isMet } from "../ask/index.ts";
import { allOf } from "../english.ts";
import { type Live, type Lookup, liveAt, ownSetOf } from "../lookup/index.ts";
import { type DomainName, displayName, isAtOrBelow, ROOT } from "../name/index.ts";
import {
  containsAll,
  type DataOf,
  dataKey,
  printData,
  type RecordData,
  type RecordSet,
  type RecordType,
  sameData,
  withData,
} from "../record/index.ts";
import { type CacheWindow, cacheWindowOf, longestWindow, spanText } from "../spread/index.ts";
import type { SetChange } from "../zone/index.ts";
import { type Clash, type ClashKind, hazardOf } from "./clash.ts";
import { mergeTexts, type WantedTexts } from "./merge-texts.ts";

/** One record set and what happens to it, with the reason and the asks it is for. */
export interface Change extends SetChange {
  readonly action: "add" | "replace" | "merge" | "remove" | "keep";
  readonly because: string;
  readonly asks: readonly string[];
  /** How long others may still show what was there before; undefined for `keep`. */
  readonly cacheWindow?: CacheWindow;
}

export interface Draft {
  readonly domain: DomainName;
  readonly changes: readonly Change[];
  readonly clashes: readonly Clash[];
  /** Sets that could not be looked at, so that nothing can be said about them. */
  readonly undetermined: readonly {
    readonly name: DomainName;
    readonly type: RecordType;
    readonly because: string;
    readonly asks: readonly string[];
  }[];
}

export interface DraftRequest {
  readonly domain: DomainName;
  /** The asks to be published; those that wait for others are left out by the caller. */
  readonly asks: readonly Ask[];
  /** The zone as its authoritative server, or a zone file, shows it. */
  readonly lookup: Lookup;
  /** The DNS at large: where targets lead, what an SPF include costs. */
  readonly world: Lookup;
  /** Names at which the records may be replaced, because the user said so. */
  readonly replace: ReadonlySet<DomainName>;
  /** Who put a set there, as far as the workspace knows. */
  readonly provenanceOf: (set: RecordSet) => string;
}

/** Types whose sets grow by what is asked; in all others the asked set takes the place of the old one. */
const SHARED: ReadonlySet<RecordType> = new Set(["TXT", "CAA"]);

/** The types that are looked at to see what an alias would push out (RFC 1034 section 3.6.2). */
const NEIGHBOURS: readonly RecordType[] = ["A", "AAAA", "MX", "TXT", "NS", "CAA", "SRV"];

/** Everything that is wanted at one name for one type. */
interface Wanted {
  readonly name: DomainName;
  readonly type: RecordType;
  /** The wishes, each with the ask it is of. */
  readonly wants: readonly DnsWant[];
  /** Records that have to be there to the letter, in one set. */
  readonly set: RecordSet;
  readonly asks: readonly string[];
  /** The TTLs its asks want; the set can have one only (RFC 2181 section 5.2). */
  readonly ttls: ReadonlySet<number>;
}

/** Brings the wishes of all asks together by name and type, each record once. */
function gather(asks: readonly Ask[]): Wanted[] {
  const gathered = new Map<string, { readonly ask: string; readonly want: DnsWant }[]>();
  for (const ask of asks)
    for (const want of dnsWants(ask.wants)) {
      const id = `${want.name} ${want.type}`;
      gathered.set(id, [...(gathered.get(id) ?? []), { ask: ask.id, want }]);
    }
  return [...gathered.values()].map((all) => {
    const wants = all.map(({ want }) => want);
    const { name, type } = wants[0] as DnsWant;
    const ttls = new Set(wants.map((want) => want.ttl));
    const records = wants.flatMap((want) => (want.kind === "records" ? [want] : []));
    const empty: RecordSet = { name, type, ttl: Math.min(...ttls), data: [] };
    const set = records.reduce((so, want) => withData(so, want.data), empty);
    return { name, type, wants, set, asks: [...new Set(all.map(({ ask }) => ask))], ttls };
  });
}

/** The data of a set inside a sentence: names without the final dot, which would end it. */
const shown = (set: RecordSet) => set.data.map((data) => printData(set.type, data).replace(/\.$/, "")).join(", ");

/** What stops working when a set goes, in words for people who do not know record types. */
function breaksWithout(set: RecordSet): string {
  const name = displayName(set.name);
  switch (set.type) {
    case "A":
    case "AAAA":
      return `whatever is reached at ${name} today (${shown(set)}) is no longer reached there`;
    case "CNAME":
      return `whatever ${name} leads to today (${shown(set)}) is no longer reached there`;
    case "MX":
      return `mail to ${name} no longer arrives at ${shown(set)}`;
    case "NS":
      return `everything below ${name} is no longer found`;
    default:
      return `the ${set.type} record at ${name} is no longer found`;
  }
}

/** Computes what would change in a zone so that every ask gets what it wants, and what stands in the way. Changes nothing. */
export async function makeDraft({ domain, asks, lookup, world, replace, provenanceOf }: DraftRequest): Promise<Draft> {
  const changes: Change[] = [];
  const clashes: Clash[] = [];
  const undetermined: Draft["undetermined"][number][] = [];
  const gathered = gather(asks);
  /** Names of this domain as the draft sees them, all others as the world does. */
  const everywhere: Lookup = { ask: (name, type) => (isAtOrBelow(name, domain) ? lookup : world).ask(name, type) };
  const replaceWay = (name: DomainName) =>
    `zandrel draft --replace ${displayName(name)} shows the draft with the old record replaced`;

  for (const { name, type, wants, set, asks: ids, ttls } of gathered) {
    const clash = (kind: ClashKind, because: string, breaks: string, ...options: string[]) =>
      clashes.push(...ids.map((ask) => ({ kind, name, type, ask, because, breaks, options })));

    if (!isAtOrBelow(name, domain)) {
      clash(
        "outside-domain",
        `${displayName(name)} does not belong to ${displayName(domain)}`,
        "nothing",
        `save the ask for the domain that ${displayName(name)} belongs to`,
      );
      continue;
    }
    if (type === "CNAME" && name === domain) {
      clash(
        "alias-at-apex",
        `an alias (CNAME) cannot stand at ${displayName(domain)} itself, because the zone's own records are there`,
        "the whole zone, mail included",
        "ask the service for its addresses (A and AAAA records) instead",
        `point www.${displayName(domain)} at the service and redirect the bare domain there`,
      );
      continue;
    }
    if (type === "CNAME" && set.data.length > 1) {
      clash(
        "asks-disagree",
        `${ids.join(" and ")} want ${displayName(name)} to lead to different targets: ${shown(set)}`,
        "nothing yet",
        "retire one of the asks, or ask one service for another name",
      );
      continue;
    }
    const wantedBeside = gathered.find(
      (other) => other.name === name && other.type !== type && (other.type === "CNAME" || type === "CNAME"),
    );
    if (wantedBeside !== undefined) {
      clash(
        "asks-disagree",
        `${[...ids, ...wantedBeside.asks].join(" and ")} want an alias and other records at ${displayName(name)}; an alias stands alone`,
        "nothing yet",
        "ask one of the services for another name",
      );
      continue;
    }
    const live = await liveAt(lookup, domain, name, type);
    if (live.kind === "failed") {
      if (live.answer.why === "delegated" && live.answer.delegation?.ns.name !== domain)
        clash(
          "below-zone-cut",
          `${live.answer.detail}, so it is not part of this zone`,
          "nothing",
          "publish the record at the DNS host that serves that zone",
        );
      else undetermined.push({ name, type, because: live.answer.detail, asks: ids });
      continue;
    }
    const gone: Change[] = [];
    const removeBecause = `it makes room for the ${type} record of ${ids.join(", ")}, as --replace ${displayName(name)} says`;
    const makeRoom = (other: RecordSet, kind: ClashKind, because: string) => {
      if (replace.has(name))
        gone.push({
          action: "remove",
          name,
          type: other.type,
          before: other,
          after: undefined,
          because: removeBecause,
          asks: ids,
          ...cacheWindowPart({ kind: "set", set: other }),
        });
      else clash(kind, `${because}; it was put there by ${provenanceOf(other)}`, breaksWithout(other), replaceWay(name));
      return replace.has(name);
    };
    if (
      live.kind === "alias" &&
      !makeRoom(
        live.set,
        "alias-in-the-way",
        `${displayName(name)} is an alias for ${shown(live.set)}, and nothing else may stand beside an alias`,
      )
    )
      continue;
    if (type === "CNAME") {
      const neighbours = await Promise.all(NEIGHBOURS.map((other) => liveAt(lookup, domain, name, other)));
      const unseen = neighbours.find((other) => other.kind === "failed" && other.answer.chain.length === 0);
      if (unseen?.kind === "failed") {
        undetermined.push({ name, type, because: unseen.answer.detail, asks: ids });
        continue;
      }
      const inTheWay = neighbours.map(ownSetOf).filter((other) => other !== undefined);
      const room = inTheWay.map((other) =>
        makeRoom(
          other,
          "alias-beside-data",
          `${displayName(name)} has a ${other.type} record (${shown(other)}), and an alias cannot stand beside it`,
        ),
      );
      if (room.includes(false)) continue;
    }
    const hazard = await hazardOf(set, everywhere);
    if (hazard !== undefined && !(hazard.kind === "wildcard-answers" && replace.has(name))) {
      clash(hazard.kind, hazard.because, hazard.breaks, ...hazard.options);
      continue;
    }
    const before = ownSetOf(live);
    // A set that is there keeps its TTL; a new one needs the asks to agree, or the user to say that the shortest will do.
    if (before === undefined && ttls.size > 1 && !replace.has(name)) {
      const spans = [...ttls].sort((a, b) => a - b).map(spanText);
      clash(
        "ttl-disagrees",
        `${ids.join(" and ")} want different TTLs (${spans.join(", ")}) for the ${type} records of ${displayName(name)}, which share one`,
        "nothing yet",
        "give the records the same TTL in the domain's file",
        `--replace ${displayName(name)} takes the shortest, ${spans[0]}`,
      );
      continue;
    }
    if (type === "A" || type === "AAAA") {
      const family = type === "A" ? "AAAA" : "A";
      const wantedToo = gathered.some((other) => other.name === name && other.type === family);
      const leftover = wantedToo ? undefined : ownSetOf(await liveAt(lookup, domain, name, family));
      // An address of the other kind that nobody asked for still leads part of the visitors to the old place.
      if (
        leftover !== undefined &&
        !(before !== undefined && wants.every((want) => isMet(before, want))) &&
        !makeRoom(
          leftover,
          "leftover-address",
          `${displayName(name)} also has a ${family} record (${shown(leftover)}) that leads elsewhere, and some visitors would still arrive there`,
        )
      )
        continue;
    }
    const common = { name, type, before, asks: ids };
    const keepsTtl = before !== undefined && before.ttl !== set.ttl ? `; the set keeps its TTL of ${spanText(before.ttl)}` : "";
    if (type === "TXT") {
      const merged = await mergeTexts(before, textsWanted(name, set.ttl, wants), {
        domain,
        world: everywhere,
        mayReplace: replace.has(name),
      });
      if ("clash" in merged) {
        const { kind, because, breaks, options } = merged.clash;
        clash(kind, because, breaks, ...options, ...(merged.clash.replaceable ? [replaceWay(name)] : []));
        continue;
      }
      const { after, because } = merged;
      if (before !== undefined && sameData(before, after)) {
        changes.push({ ...common, action: "keep", after: before, because: "it is already there" });
        continue;
      }
      const action = before === undefined ? "add" : merged.replaced ? "replace" : "merge";
      const wildcard = live.kind === "wildcard" ? `; until now the wildcard ${displayName(live.wildcard)} answers there` : "";
      changes.push(...gone, {
        ...common,
        action,
        after,
        because: `${allOf(ids, "asks", "ask")} for it, ${because}${wildcard}${keepsTtl}`,
        ...cacheWindowPart(live),
      });
      continue;
    }
    if (before !== undefined && containsAll(before, set) && (SHARED.has(type) || before.data.every((data) => has(set, data)))) {
      changes.push({ ...common, action: "keep", after: before, because: "it is already there" });
    } else if (before === undefined) {
      const wildcard = live.kind === "wildcard" ? `; until now the wildcard ${displayName(live.wildcard)} answers there` : "";
      changes.push(...gone, {
        ...common,
        action: "add",
        after: set,
        because: `${allOf(ids, "asks", "ask")} for it, and there is no record there yet${wildcard}`,
        ...cacheWindowPart(live),
      });
    } else if (SHARED.has(type)) {
      changes.push({
        ...common,
        action: "merge",
        after: withData(before, set.data),
        because: `${allOf(ids, "asks", "ask")} for it; existing values are kept${keepsTtl}`,
        ...cacheWindowPart(live),
      });
    } else if (replace.has(name)) {
      changes.push(...gone, {
        ...common,
        action: "replace",
        after: set,
        because: `${allOf(ids, "asks", "ask")} for it, in place of ${shown(before)} put there by ${provenanceOf(before)}`,
        ...cacheWindowPart(live),
      });
    } else {
      const nullMx = type === "MX" && before.data.some((data) => (data as DataOf["MX"]).exchange === ROOT);
      clash(
        nullMx ? "null-mx" : "other-value",
        nullMx
          ? `${displayName(name)} says that it takes no mail at all (null MX), put there by ${provenanceOf(before)}; it cannot stand beside a mail server`
          : `${displayName(name)} has another ${type} record already: ${shown(before)}, put there by ${provenanceOf(before)}`,
        nullMx ? `${displayName(name)} starts to take mail` : breaksWithout(before),
        replaceWay(name),
      );
    }
  }
  return { domain, changes, clashes, undetermined };
}

const textsWanted = (name: DomainName, ttl: number, wants: readonly DnsWant[]): WantedTexts => ({
  name,
  ttl,
  literal: wants.filter((want) => want.kind === "records"),
  spf: wants.filter((want) => want.kind === "spf-terms"),
  dmarc: wants.filter((want) => want.kind === "dmarc-minimum"),
});

const has = (set: RecordSet, data: RecordData) => set.data.some((own) => dataKey(set.type, own) === dataKey(set.type, data));

function cacheWindowPart(before: Live): { cacheWindow?: CacheWindow } {
  const cacheWindow = cacheWindowOf(before);
  return cacheWindow === undefined ? {} : { cacheWindow };
}

/** The changes that have to be carried out. */
export const pending = (draft: Draft): Change[] => draft.changes.filter((change) => change.action !== "keep");

/** When everyone sees the draft at the latest, counted from its publication, and which change decides it. */
export const draftCacheWindow = (draft: Draft): CacheWindow | undefined =>
  longestWindow(pending(draft).flatMap((change) => change.cacheWindow ?? []));
