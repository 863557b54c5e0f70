import { POLICIES, type Policy } from "../dmarc/index.ts";
import { type DomainName, isAtOrBelow, labelsOf } from "../name/index.ts";
import { blockAround, coverOf, isWithin, joinNetworks, type Network, networkOf, networkTerm } from "../spf/index.ts";
import { organizationalDomain } from "../suffix/index.ts";
import type { ReportRow } from "./report.ts";

/** Somebody who is known to send for us, and what gives their mail away. */
export interface KnownService {
  /** The key of a service of the workspace; undefined for a sender that only stands in the SPF record. */
  readonly key?: string;
  readonly title: string;
  /** Domains that are its own: it signs with them, or its bounces go there. */
  readonly domains: readonly DomainName[];
  /** Names of the keys it signs with in our name: `k1._domainkey.brackwater.example.` */
  readonly keyNames: readonly string[];
  /** Addresses it sends from. */
  readonly networks: readonly Network[];
}

/** Messages of one kind, as reports have them, and how many there were when. */
export interface Seen extends Omit<ReportRow, "count" | "disposition"> {
  /** Flat, because there are millions: three numbers a part, its day since 1970, its disposition as an index of {@link POLICIES}, and its messages. */
  readonly counts: readonly number[];
}

/** Why messages are not proven to be ours, each a stable word. */
export const REASONS = ["forwarded", "wrong-signer", "wrong-return-path", "nothing-passes"] as const;
export type Reason = (typeof REASONS)[number];

/** One week of a source; `week` is the day since 1970 its Monday is. */
interface SourceWeek {
  readonly week: number;
  readonly messages: number;
  readonly aligned: number;
}

/** Somebody who sends as us. */
export interface Source {
  /** What people call it: the service's title, a domain, an address or a block of them; empty for all that are too many to tell apart. */
  readonly title: string;
  /** The key of the service of the workspace it was recognised as. */
  readonly service?: string;
  /** Whether it is known to send for us: a service of the workspace, or somebody our SPF record lets send. */
  readonly ours: boolean;
  readonly messages: number;
  /** Messages that DMARC passes: by DKIM or SPF in our own name. */
  readonly aligned: number;
  readonly byDkim: number;
  readonly bySpf: number;
  /** Messages that pass by SPF alone; the first forwarding breaks them. */
  readonly bySpfOnly: number;
  readonly reasons: Readonly<Record<Reason, number>>;
  readonly dispositions: Readonly<Record<Policy, number>>;
  /** A known service among whose addresses it sends without having one of them, by its title. */
  readonly nextTo?: string;
  /** The busiest of its addresses: each by itself where there are few of a block, else the block. */
  readonly blocks: readonly string[];
  /** Its busiest signing domains and envelope domains. */
  readonly signers: readonly string[];
  readonly envelopes: readonly string[];
  /** The From domains it uses, the busiest first: the domain itself and names below it. */
  readonly from: readonly { readonly domain: string; readonly messages: number; readonly aligned: number }[];
  readonly weeks: readonly SourceWeek[];
}

const isAligned = (seen: Seen): boolean => seen.dkimAligned || seen.spfAligned;

/** Why a kind of message is not proven to be ours. */
function reasonOf(seen: Seen): Reason {
  const handedOn = seen.overrides.some(
    (override) => override === "forwarded" || override === "mailing_list" || override === "trusted_forwarder",
  );
  // Our own signature broke on the way, and somebody else's SPF passes: a list or a forwarder was in between.
  const broken = seen.signer !== undefined && isOurs(seen.signer, seen.from) && !seen.signerPasses && seen.spfPasses;
  if (handedOn || broken) return "forwarded";
  if (seen.signerPasses) return "wrong-signer";
  return seen.spfPasses ? "wrong-return-path" : "nothing-passes";
}

const isOurs = (domain: DomainName, from: DomainName): boolean => isAtOrBelow(domain, from) || isAtOrBelow(from, domain);

/** Addresses of one block that are named one by one. */
const FEW_ADDRESSES = 3;

/** Where an address lies. */
interface Place {
  /** What it is joined with others into: never addresses of somebody known with those of somebody else. */
  readonly block: string;
  /** A known service whose addresses are next to it. */
  readonly neighbour: string | undefined;
}

/** The blocks that one sender usually has, and the smallest in which two addresses count as next to each other. */
const USUAL = { 4: 24, 6: 48 } as const;
const NEAR = { 4: 28, 6: 60 } as const;

/** Tells where addresses lie, given those of known services; next to one is who lies in the block twice as large. */
function placesAmong(services: readonly KnownService[]): (ip: string) => Place {
  const known = services.flatMap(({ title, networks }) =>
    joinNetworks(networks).map((network) => {
      const near = blockAround(network, Math.max(0, Math.min(network.prefix - 1, NEAR[network.family])));
      return { title, network, near };
    }),
  );
  return (ip) => {
    const address = networkOf(ip);
    const own = known.find(({ network }) => isWithin(address, network));
    if (own !== undefined) return { block: termOf(own.network), neighbour: undefined };
    const around = blockAround(address, USUAL[address.family]);
    const isShared = known.some(({ network }) => isWithin(network, around));
    return { block: termOf(isShared ? address : around), neighbour: known.find(({ near }) => isWithin(address, near))?.title };
  };
}

const termOf = (network: Network): string => networkTerm(network).slice(4);

/** Domains that are remembered with whose they are. */
const MAX_REMEMBERED = 10_000;

/** Recognises the service that a kind of message comes from; undefined for somebody who is not known. */
function recogniser(services: readonly KnownService[]): (seen: Seen) => KnownService | undefined {
  const remembered = new Map<string, KnownService | undefined>();
  const ownerOf = (domain: DomainName, from: DomainName): KnownService | undefined =>
    services.find((service) => service.domains.some((domainName) => isAtOrBelow(domain, domainName))) ??
    // A service whose records do not name it: what zandrel.yaml calls it is the first label of its domain.
    services.find((service) => service.key === labelsOf(organizationalDomain(domain))[0] && !isOurs(domain, from));
  const own = (domain: DomainName | undefined, from: DomainName): KnownService | undefined => {
    if (domain === undefined) return undefined;
    const key = `${domain} ${from}`;
    if (remembered.has(key)) return remembered.get(key);
    const owner = ownerOf(domain, from);
    if (remembered.size < MAX_REMEMBERED) remembered.set(key, owner);
    return owner;
  };
  const withAddresses = services
    .filter(({ networks }) => networks.length > 0)
    .map((service) => ({ service, has: coverOf(service.networks) }));
  const addressedBy = (address: Network) => withAddresses.find(({ has }) => has(address))?.service;
  return (seen) => {
    const key = seen.signerPasses && seen.selector !== undefined ? `${seen.selector}._domainkey.${seen.signer}` : undefined;
    return (
      (key === undefined ? undefined : services.find((service) => service.keyNames.includes(key))) ??
      (seen.signerPasses ? own(seen.signer, seen.from) : undefined) ??
      (seen.spfPasses ? own(seen.spfDomain, seen.from) : undefined) ??
      (withAddresses.length === 0 ? undefined : addressedBy(networkOf(seen.ip)))
    );
  };
}

const plain = (domain: DomainName): string => domain.slice(0, -1);

/** What a source goes by that is not a service of the workspace. */
function titleOf(seen: Seen, block: string): string {
  if (seen.signerPasses && seen.signer !== undefined && !seen.dkimAligned) return plain(seen.signer);
  if (seen.spfPasses && seen.spfDomain !== undefined && !seen.spfAligned) return plain(seen.spfDomain);
  return block;
}

/** The Monday of a day's week, both in days since 1970; day 0 was a Thursday. */
export const weekOf = (day: number): number => day - ((day + 3) % 7);

/** Names kept of each kind, and sources told apart; the rest of a flood of forgers is one. */
const MAX_NAMES = 5;
const MAX_FROM = 20;
const MAX_SOURCES = 2000;
/** The title of all that are too many to tell apart. */
const ALL_OTHERS = "";

class Counter {
  readonly #counts = new Map<string, number>();
  add(name: string | undefined, count: number): void {
    if (name === undefined) return;
    const known = this.#counts.get(name);
    if (known !== undefined || this.#counts.size < 1000) this.#counts.set(name, (known ?? 0) + count);
  }
  get top(): string[] {
    return [...this.#counts]
      .sort((a, b) => b[1] - a[1])
      .slice(0, MAX_NAMES)
      .map(([name]) => name);
  }
}

/** Where messages come from: blocks, and their addresses as long as those are few. */
class Places {
  readonly #blocks = new Counter();
  readonly #addresses = new Map<string, Set<string>>();
  add(ip: string, block: string, count: number): void {
    this.#blocks.add(block, count);
    let known = this.#addresses.get(block);
    if (known === undefined) {
      if (this.#addresses.size >= 1000) return;
      known = new Set();
      this.#addresses.set(block, known);
    }
    if (known.size <= FEW_ADDRESSES) known.add(ip);
  }
  /** The address, where all came from one. */
  get only(): string | undefined {
    const [first, ...others] = this.#addresses.values();
    return first?.size === 1 && others.length === 0 ? [...first][0] : undefined;
  }
  get top(): string[] {
    return this.#blocks.top
      .flatMap((block) => {
        const addresses = this.#addresses.get(block) ?? new Set();
        return addresses.size > FEW_ADDRESSES ? [block] : [...addresses];
      })
      .slice(0, MAX_NAMES);
  }
}

/** Messages and how many of them were proven, week by week; in lists without gaps, because there are millions to add. */
class Weeks {
  #first: number | undefined;
  readonly #messages: number[] = [];
  readonly #aligned: number[] = [];
  add(day: number, messages: number, aligned: boolean): void {
    // Day 0 was a Thursday.
    const week = Math.floor((day + 3) / 7);
    this.#first ??= week;
    for (; week < this.#first; this.#first--) {
      this.#messages.unshift(0);
      this.#aligned.unshift(0);
    }
    const at = week - this.#first;
    while (this.#messages.length <= at) {
      this.#messages.push(0);
      this.#aligned.push(0);
    }
    (this.#messages[at] as number) += messages;
    if (aligned) (this.#aligned[at] as number) += messages;
  }
  /** The weeks that have messages, in order. */
  get all(): SourceWeek[] {
    return this.#messages.flatMap((messages, i) =>
      messages === 0 ? [] : [{ week: 7 * ((this.#first as number) + i) - 3, messages, aligned: this.#aligned[i] as number }],
    );
  }
}

/** Messages and how many of them were proven, by a name. */
type Sums = Map<string, { messages: number; aligned: number }>;

function addTo(sums: Sums, name: string, messages: number, aligned: boolean): void {
  const sum = sums.get(name);
  if (sum !== undefined) {
    sum.messages += messages;
    if (aligned) sum.aligned += messages;
  } else if (sums.size < 1000) sums.set(name, { messages, aligned: aligned ? messages : 0 });
}

interface Gathering {
  readonly title: string;
  /** Whether nothing but where it lies tells who it is. */
  readonly isPlace: boolean;
  readonly service: string | undefined;
  readonly ours: boolean;
  messages: number;
  aligned: number;
  byDkim: number;
  bySpf: number;
  bySpfOnly: number;
  readonly reasons: Record<Reason, number>;
  readonly dispositions: Record<Policy, number>;
  nextTo: string | undefined;
  readonly places: Places;
  readonly signers: Counter;
  readonly envelopes: Counter;
  readonly from: Sums;
  readonly weeks: Weeks;
}

/** Sums up who sends as us, the busiest first, in one pass and in bounded memory. */
export function sourcesOf(all: Iterable<Seen>, services: readonly KnownService[]): Source[] {
  const placeOf = placesAmong(services);
  const serviceOf = recogniser(services);
  const gathered = new Map<string, Gathering>();
  for (const seen of all) {
    const service = serviceOf(seen);
    const { block, neighbour } = placeOf(seen.ip);
    const called = service?.title ?? titleOf(seen, block);
    const title = gathered.has(called) || gathered.size < MAX_SOURCES ? called : ALL_OTHERS;
    let one = gathered.get(title);
    if (one === undefined) {
      one = {
        title,
        isPlace: title === block && service === undefined,
        service: service?.key,
        ours: service !== undefined,
        messages: 0,
        aligned: 0,
        byDkim: 0,
        bySpf: 0,
        bySpfOnly: 0,
        reasons: { forwarded: 0, "wrong-signer": 0, "wrong-return-path": 0, "nothing-passes": 0 },
        dispositions: { none: 0, quarantine: 0, reject: 0 },
        nextTo: undefined,
        places: new Places(),
        signers: new Counter(),
        envelopes: new Counter(),
        from: new Map(),
        weeks: new Weeks(),
      };
      gathered.set(title, one);
    }
    const aligned = isAligned(seen);
    let count = 0;
    for (let i = 0; i + 2 < seen.counts.length; i += 3) {
      const [day, disposition, messages] = [seen.counts[i] as number, seen.counts[i + 1] as number, seen.counts[i + 2] as number];
      count += messages;
      one.dispositions[POLICIES[disposition] as Policy] += messages;
      one.weeks.add(day, messages, aligned);
    }
    one.messages += count;
    if (aligned) one.aligned += count;
    else one.reasons[reasonOf(seen)] += count;
    if (seen.dkimAligned) one.byDkim += count;
    if (seen.spfAligned) one.bySpf += count;
    if (seen.spfAligned && !seen.dkimAligned) one.bySpfOnly += count;
    if (service === undefined) one.nextTo ??= neighbour;
    one.places.add(seen.ip, block, count);
    one.signers.add(seen.signer === undefined ? undefined : plain(seen.signer), count);
    one.envelopes.add(seen.spfDomain === undefined ? undefined : plain(seen.spfDomain), count);
    addTo(one.from, plain(seen.from), count, aligned);
  }
  return [...gathered.values()]
    .map(
      ({ places, signers, envelopes, from, weeks, service, nextTo, isPlace, title, ...rest }): Source => ({
        // One address is not a block of them.
        title: (isPlace ? places.only : undefined) ?? title,
        ...rest,
        ...(service === undefined ? {} : { service }),
        ...(nextTo === undefined ? {} : { nextTo }),
        blocks: places.top,
        signers: signers.top,
        envelopes: envelopes.top,
        from: [...from]
          .map(([domain, sum]) => ({ domain, ...sum }))
          .sort((a, b) => b.messages - a.messages)
          .slice(0, MAX_FROM),
        weeks: weeks.all,
      }),
    )
    .sort((a, b) => b.messages - a.messages || a.title.localeCompare(b.title));
}
