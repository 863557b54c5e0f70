import { LRUCache } from "lru-cache";
import type { Clock } from "../clock.ts";
import { verbatim } from "../core/clause/index.ts";
import { ChainOfTrust, type SignedAnswer, type SignedLookup, type TrustAnchor, type Verdict } from "../core/dnssec/index.ts";
import { type AliasSet, type Answer, failed, MAX_CHAIN } from "../core/lookup/index.ts";
import type { DomainName } from "../core/name/index.ts";
import {
  type DataOf,
  isOfType,
  type RecordSet,
  type RecordType,
  type ResourceRecord,
  recordsOf,
  toSets,
} from "../core/record/index.ts";
import { negativeTtl } from "../core/zone/index.ts";
import {
  CLASS,
  type DnsClient,
  decodeMessage,
  emptyMessage,
  encodeMessage,
  type Message,
  RCODE,
  type ServerAddress,
} from "../net/index.ts";
import type { Handler } from "./dns-server.ts";

/** Answers that a resolver keeps at most; room is made as it is needed. */
const MAX_KEPT = 100_000;

export interface ResolverOptions {
  readonly client: DnsClient;
  readonly clock: Clock;
  /** Address of a server of the root zone. */
  readonly root: string;
  /** Port on which every authoritative server listens. */
  readonly port: number;
  /** Time every answer takes, in milliseconds of real time. */
  readonly delay?: number;
  /** Longest time anything is kept, in seconds. */
  readonly longestTtl?: number;
  /** Asks the last server of every set of name servers, which in the lab gets changes late. */
  readonly prefersLast?: boolean;
  /** Where trust begins: with it, signatures are checked, and what does not verify is refused (RFC 4035 section 4). */
  readonly anchors?: readonly TrustAnchor[];
}

/** What a resolver found: the answer, and what its signatures prove where it checks them. */
interface Resolved {
  readonly answer: Answer;
  readonly verdict?: Verdict;
}

/** The code of an extended error: the signatures do not verify (RFC 8914 section 4.7). */
const BOGUS = 6;

interface Kept extends Resolved {
  readonly until: number;
}

const NEVER_KEPT = 0;

/** A caching resolver that finds answers from the root down and keeps them, negative ones too (RFC 1034 section 5.3.3, RFC 2308). */
export class CachingResolver implements SignedLookup {
  readonly #options: ResolverOptions;
  readonly #cache = new LRUCache<string, Kept>({ maxSize: MAX_KEPT, sizeCalculation: () => 1 });

  constructor(options: ResolverOptions) {
    this.#options = options;
  }

  /** One question, answered from the cache where it can be, with the time left in every TTL. */
  async ask(name: DomainName, type: RecordType, checked = true): Promise<Answer> {
    return (await this.resolve(name, type, checked)).answer;
  }

  /** The same, with what its signatures prove; `checked` is whether they are looked at. */
  async resolve(name: DomainName, type: RecordType, checked: boolean): Promise<Resolved> {
    const chain: AliasSet[] = [];
    const verdicts: Verdict[] = [];
    let at = name;
    for (;;) {
      const { answer, until, verdict } = await this.#keptOrFresh(at, type, checked);
      if (verdict !== undefined) verdicts.push(verdict);
      if (verdict?.kind === "bogus") return { answer: failed("bogus", verbatim("the signatures do not verify")), verdict };
      const left = Math.max(0, Math.floor((until - this.#options.clock.now()) / 1000));
      const aged = withTtl(answer, left);
      const worst = verdicts.find(({ kind }) => kind !== "secure") ?? verdict;
      const common = worst === undefined ? {} : { verdict: worst };
      if (aged.kind !== "found" || aged.set.type !== "CNAME" || type === "CNAME")
        return { answer: { ...aged, chain: [...chain, ...aged.chain] }, ...common };
      const link = aged.set as AliasSet;
      const target = link.data[0]?.target as DomainName;
      chain.push(link);
      if (chain.length > MAX_CHAIN || chain.some((other) => other.name === target))
        return { answer: failed("loop", verbatim("a ring of aliases"), { chain }) };
      at = target;
    }
  }

  /** What is kept was checked when it came; what does not pass is not kept. */
  async #keptOrFresh(name: DomainName, type: RecordType, checked: boolean): Promise<Kept> {
    const { clock, longestTtl = 604_800, anchors } = this.#options;
    const checks = checked && anchors !== undefined;
    const key = `${checks} ${name} ${type}`;
    const kept = this.#cache.get(key);
    if (kept !== undefined && kept.until > clock.now()) return kept;
    const answer = await this.#walk(name, type);
    const verdict = checks ? await this.#judge(name, type) : undefined;
    const ttl = Math.min(longestTtl, ttlOf(answer));
    const fresh = { answer, until: clock.now() + ttl * 1000, ...(verdict === undefined ? {} : { verdict }) };
    if (ttl !== NEVER_KEPT && verdict?.kind !== "bogus") this.#cache.set(key, fresh);
    return fresh;
  }

  #judge(name: DomainName, type: RecordType): Promise<Verdict> {
    const { anchors = [], clock } = this.#options;
    return new ChainOfTrust(this, anchors, Math.floor(clock.now() / 1000)).judge(name, type);
  }

  readonly #signed = new LRUCache<string, { readonly answer: SignedAnswer; readonly until: number }>({
    maxSize: MAX_KEPT,
    sizeCalculation: () => 1,
  });

  /** One question with the signatures of its answer, which nobody checks; kept as long as the shortest TTL in it. */
  async askSigned(name: DomainName, type: RecordType): Promise<SignedAnswer> {
    const { clock } = this.#options;
    const key = `${name} ${type}`;
    const kept = this.#signed.get(key);
    if (kept !== undefined && kept.until > clock.now()) return kept.answer;
    const answer = await this.#walkSigned(name, type);
    if (answer.kind === "failed") return answer;
    const ttl = Math.min(...[...answer.answer, ...answer.authority].map((resourceRecord) => resourceRecord.ttl));
    if (Number.isFinite(ttl)) this.#signed.set(key, { answer, until: clock.now() + ttl * 1000 });
    return answer;
  }

  async #walkSigned(name: DomainName, type: RecordType): Promise<SignedAnswer> {
    let servers: readonly string[] = [this.#options.root];
    let answer: SignedAnswer = { kind: "failed", detail: verbatim("no server answered") };
    for (let step = 0; step < 12; step++) {
      for (const address of this.#inOrder(servers)) {
        const server = { address, port: this.#options.port };
        answer = await this.#options.client.signedAt(server, false).askSigned(name, type);
        if (answer.kind !== "failed") break;
      }
      if (answer.kind === "failed" || answer.answer.length > 0) return answer;
      const sets = toSets(answer.authority.filter((candidate) => candidate.type !== "RRSIG"));
      const ns = sets.find((set): set is RecordSet<DataOf["NS"]> => isOfType(set, "NS"));
      if (ns === undefined || sets.some((set) => set.type === "SOA")) return answer;
      servers = await this.#addressesOf(ns, []);
    }
    return { kind: "failed", detail: verbatim("too many delegations") };
  }

  #inOrder(servers: readonly string[]): readonly string[] {
    return this.#options.prefersLast === true ? [...servers].reverse() : servers;
  }

  /** Addresses of name servers, from the glue or by asking for them. */
  async #addressesOf(ns: RecordSet<DataOf["NS"]>, glue: readonly RecordSet[]): Promise<string[]> {
    const found: string[] = [];
    for (const { target } of ns.data) {
      const known = glue.find((set) => set.name === target && set.type === "A") ?? (await this.#address(target));
      found.push(...((known as RecordSet<DataOf["A"]> | undefined)?.data.map((data) => data.address) ?? []));
    }
    return found;
  }

  /** Walks from the root to the servers that answer for the name. An alias is given back as the CNAME set itself. */
  async #walk(name: DomainName, type: RecordType): Promise<Answer> {
    const { client, root, port } = this.#options;
    let servers: readonly string[] = [root];
    for (let step = 0; step < 12; step++) {
      let last: Answer = failed("servfail", verbatim("no server answered"));
      for (const address of this.#inOrder(servers)) {
        last = await client.at({ address, port } satisfies ServerAddress, { recursive: false }).ask(name, type);
        if (last.kind !== "failed" || last.delegation !== undefined || last.chain.length > 0) break;
      }
      const [link] = last.chain;
      if (link !== undefined) return { kind: "found", set: link, chain: [], authoritative: false };
      if (last.kind !== "failed" || last.delegation === undefined) return last;
      const { ns, glue } = last.delegation;
      servers = await this.#addressesOf(ns, glue);
    }
    return failed("servfail", verbatim("too many delegations"));
  }

  async #address(name: DomainName): Promise<RecordSet | undefined> {
    // Where a server stands is found out whether it is signed rightly or not; what it says is checked.
    const answer = await this.ask(name, "A", false);
    return answer.kind === "found" ? answer.set : undefined;
  }

  handler(): Handler {
    return async (request) => {
      const decoded = decodeMessage(request);
      const question = decoded.ok ? decoded.value.questions[0] : undefined;
      if (!decoded.ok || question === undefined || decoded.value.response) return undefined;
      if (this.#options.delay !== undefined) await new Promise((resolve) => setTimeout(resolve, this.#options.delay));
      const query = decoded.value;
      const checked = query.checkingDisabled !== true;
      const resolved = await this.resolve(question.name, question.type, checked);
      if (query.edns?.dnssecOk !== true || resolved.verdict?.kind === "bogus") return encodeMessage(responseTo(query, resolved));
      return encodeMessage(signedResponseTo(query, await this.askSigned(question.name, question.type), resolved));
    };
  }
}

function ttlOf(answer: Answer): number {
  if (answer.kind === "found") return answer.set.ttl;
  return answer.kind === "failed" || answer.soa === undefined ? NEVER_KEPT : negativeTtl(answer.soa);
}

function withTtl(answer: Answer, ttl: number): Answer {
  if (answer.kind === "found") return { ...answer, set: { ...answer.set, ttl } };
  if (answer.kind === "failed" || answer.soa === undefined) return answer;
  return { ...answer, soa: { ...answer.soa, ttl } };
}

/** The answer with its signatures, as it came. */
function signedResponseTo(query: Message, signed: SignedAnswer, resolved: Resolved): Message {
  if (signed.kind === "failed") return responseTo(query, resolved);
  const wire = (records: readonly ResourceRecord[]) => records.map((record) => ({ ...record, class: CLASS.IN }));
  return {
    ...responseTo(query, resolved),
    rcode: signed.exists ? RCODE.NOERROR : RCODE.NXDOMAIN,
    answers: wire(signed.answer),
    authority: wire(signed.authority),
  };
}

function responseTo(query: Message, { answer, verdict }: Resolved): Message {
  const wire = (sets: readonly RecordSet[]) => sets.flatMap(recordsOf).map((record) => ({ ...record, class: CLASS.IN }));
  const reply: Message = {
    ...emptyMessage,
    id: query.id,
    response: true,
    recursionDesired: query.recursionDesired,
    recursionAvailable: true,
    questions: query.questions,
    answers: wire(answer.chain),
    ...(query.edns === undefined ? {} : { edns: query.edns }),
    ...(verdict?.kind === "secure" ? { authenticData: true } : {}),
  };
  if (verdict?.kind === "bogus" && query.edns !== undefined)
    return { ...reply, answers: [], rcode: RCODE.SERVFAIL, edns: { ...query.edns, errors: [BOGUS] } };
  if (answer.kind === "failed") return { ...reply, answers: [], rcode: RCODE.SERVFAIL };
  if (answer.kind === "found") return { ...reply, answers: [...reply.answers, ...wire([answer.set])] };
  return {
    ...reply,
    rcode: answer.kind === "nxdomain" ? RCODE.NXDOMAIN : RCODE.NOERROR,
    authority: answer.soa === undefined ? [] : wire([answer.soa]),
  };
}
