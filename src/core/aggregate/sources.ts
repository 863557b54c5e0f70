import { POLICIES, type Policy } from "../dmarc/index.ts";
import { type DomainName, isAtOrBelow, labelsOf } from "../name/index.ts";
import { isCovered, type Network, networkOf, networkTerm } from "../spf/index.ts";
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
  /** What people call it: the service's title, a domain, or a block of addresses. */
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
  /** The busiest of its addresses as blocks, its signing domains, its envelope domains and the From domains it uses. */
  readonly blocks: readonly string[];
  readonly signers: readonly string[];
  readonly envelopes: readonly string[];
  readonly from: readonly string[];
  readonly weeks: readonly SourceWeek[];
}

const isAligned = (seen: Seen): boolean => seen.dkimAligned || seen.spfAligned;

/** Why a kind of message is not proven to be ours. */
function reasonOf(seen: Seen): Reason {
  const handedOn = seen.overrides.some((one) => one === "forwarded" || one === "mailing_list" || one === "trusted_forwarder");
  // Our own signature broke on the way, and somebody else's SPF passes: a list or a forwarder was in between.
  const broken = seen.signer !== undefined && isOurs(seen.signer, seen.from) && !seen.signerPasses && seen.spfPasses;
  if (handedOn || broken) return "forwarded";
  if (seen.signerPasses) return "wrong-signer";
  return seen.spfPasses ? "wrong-return-path" : "nothing-passes";
}

const isOurs = (domain: DomainName, from: DomainName): boolean => isAtOrBelow(domain, from) || isAtOrBelow(from, domain);

/** The block of addresses a server lies in: what one sender usually has. */
const blockOf = (ip: string): string => networkTerm(networkOf(ip, ip.includes(":") ? 48 : 24)).slice(4);

/** The service a kind of message comes from, as far as it can be recognised. */
function serviceOf(seen: Seen, services: readonly KnownService[]): KnownService | undefined {
  const own = (domain: DomainName | undefined): KnownService | undefined =>
    domain === undefined
      ? undefined
      : (services.find((service) => service.domains.some((one) => isAtOrBelow(domain, one))) ??
        // A service whose records do not name it: what zandrel.yaml calls it is the first label of its domain.
        services.find((service) => service.key === labelsOf(organizationalDomain(domain))[0] && !isOurs(domain, seen.from)));
  const key = seen.signerPasses && seen.selector !== undefined ? `${seen.selector}._domainkey.${seen.signer}` : undefined;
  return (
    (key === undefined ? undefined : services.find((service) => service.keyNames.includes(key))) ??
    (seen.signerPasses ? own(seen.signer) : undefined) ??
    (seen.spfPasses ? own(seen.spfDomain) : undefined) ??
    services.find(({ networks }) => networks.length > 0 && isCovered([networkOf(seen.ip)], networks))
  );
}

const plain = (domain: DomainName): string => domain.slice(0, -1);

/** What a source goes by that is no service of the workspace. */
function titleOf(seen: Seen): string {
  if (seen.signerPasses && seen.signer !== undefined && !seen.dkimAligned) return plain(seen.signer);
  if (seen.spfPasses && seen.spfDomain !== undefined && !seen.spfAligned) return plain(seen.spfDomain);
  return blockOf(seen.ip);
}

/** The Monday of a day's week, both in days since 1970; day 0 was a Thursday. */
export const weekOf = (day: number): number => day - ((day + 3) % 7);

/** Names kept of each kind, and sources told apart; the rest of a flood of forgers is one. */
const MAX_NAMES = 5;
const MAX_SOURCES = 2000;
const EVERYBODY_ELSE = "everyone else";

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

/** Whom a kind of message belongs to. */
interface Belonging {
  readonly service: KnownService | undefined;
  readonly title: string;
  readonly block: string;
}

/** Kinds of messages whose origin is remembered. */
const MAX_KNOWN = 50_000;

interface Gathering {
  readonly title: string;
  readonly service: string | undefined;
  readonly ours: boolean;
  messages: number;
  aligned: number;
  byDkim: number;
  bySpf: number;
  bySpfOnly: number;
  readonly reasons: Record<Reason, number>;
  readonly dispositions: Record<Policy, number>;
  readonly blocks: Counter;
  readonly signers: Counter;
  readonly envelopes: Counter;
  readonly from: Counter;
  readonly weeks: Map<number, { messages: number; aligned: number }>;
}

/** Sums up who sends as us, the busiest first, in one pass and in bounded memory. */
export function sourcesOf(all: Iterable<Seen>, services: readonly KnownService[]): Source[] {
  const gathered = new Map<string, Gathering>();
  // Who an address and what it is authenticated as belong to is asked again and again.
  const known = new Map<string, Belonging>();
  let last: { readonly key: string; readonly belonging: Belonging } | undefined;
  for (const seen of all) {
    const key = `${seen.ip} ${seen.signerPasses ? `${seen.selector}._domainkey.${seen.signer}` : ""} ${seen.spfPasses ? seen.spfDomain : ""} ${seen.dkimAligned} ${seen.spfAligned}`;
    let belonging = last?.key === key ? last.belonging : known.get(key);
    if (belonging === undefined) {
      const found = serviceOf(seen, services);
      belonging = { service: found, title: found?.title ?? titleOf(seen), block: blockOf(seen.ip) };
      if (known.size > MAX_KNOWN) known.clear();
      known.set(key, belonging);
    }
    last = { key, belonging };
    const { service, block } = belonging;
    const title = gathered.has(belonging.title) || gathered.size < MAX_SOURCES ? belonging.title : EVERYBODY_ELSE;
    let one = gathered.get(title);
    if (one === undefined) {
      one = {
        title,
        service: service?.key,
        ours: service !== undefined,
        messages: 0,
        aligned: 0,
        byDkim: 0,
        bySpf: 0,
        bySpfOnly: 0,
        reasons: { forwarded: 0, "wrong-signer": 0, "wrong-return-path": 0, "nothing-passes": 0 },
        dispositions: { none: 0, quarantine: 0, reject: 0 },
        blocks: new Counter(),
        signers: new Counter(),
        envelopes: new Counter(),
        from: new Counter(),
        weeks: new Map(),
      };
      gathered.set(title, one);
    }
    const aligned = isAligned(seen);
    let count = 0;
    for (let i = 0; i + 2 < seen.counts.length; i += 3) {
      const [day, disposition, messages] = [seen.counts[i] as number, seen.counts[i + 1] as number, seen.counts[i + 2] as number];
      count += messages;
      one.dispositions[POLICIES[disposition] as Policy] += messages;
      const week = weekOf(day);
      const sum = one.weeks.get(week);
      if (sum === undefined) one.weeks.set(week, { messages, aligned: aligned ? messages : 0 });
      else {
        sum.messages += messages;
        if (aligned) sum.aligned += messages;
      }
    }
    one.messages += count;
    if (aligned) one.aligned += count;
    else one.reasons[reasonOf(seen)] += count;
    if (seen.dkimAligned) one.byDkim += count;
    if (seen.spfAligned) one.bySpf += count;
    if (seen.spfAligned && !seen.dkimAligned) one.bySpfOnly += count;
    one.blocks.add(block, count);
    one.signers.add(seen.signer === undefined ? undefined : plain(seen.signer), count);
    one.envelopes.add(seen.spfDomain === undefined ? undefined : plain(seen.spfDomain), count);
    one.from.add(plain(seen.from), count);
  }
  return [...gathered.values()]
    .map(
      ({ blocks, signers, envelopes, from, weeks, service, ...rest }): Source => ({
        ...rest,
        ...(service === undefined ? {} : { service }),
        blocks: blocks.top,
        signers: signers.top,
        envelopes: envelopes.top,
        from: from.top,
        weeks: [...weeks].map(([week, sum]) => ({ week, ...sum })).sort((a, b) => a.week - b.week),
      }),
    )
    .sort((a, b) => b.messages - a.messages || a.title.localeCompare(b.title));
}
