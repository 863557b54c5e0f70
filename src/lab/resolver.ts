import { LRUCache } from "lru-cache";
import type { Clock } from "../clock.ts";
import { type AliasSet, type Answer, failed, MAX_CHAIN } from "../core/lookup/index.ts";
import type { DomainName } from "../core/name/index.ts";
import { type DataOf, type RecordSet, type RecordType, recordsOf } from "../core/record/index.ts";
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
}

interface Kept {
  readonly answer: Answer;
  readonly until: number;
}

const NEVER_KEPT = 0;

/** A caching resolver that finds answers from the root down and keeps them, negative ones too (RFC 1034 section 5.3.3, RFC 2308). */
export class CachingResolver {
  readonly #options: ResolverOptions;
  readonly #cache = new LRUCache<string, Kept>({ max: 100_000 });

  constructor(options: ResolverOptions) {
    this.#options = options;
  }

  /** One question, answered from the cache where it can be, with the time left in every TTL. */
  async ask(name: DomainName, type: RecordType): Promise<Answer> {
    const chain: AliasSet[] = [];
    let at = name;
    for (;;) {
      const { answer, until } = await this.#keptOrFresh(at, type);
      const left = Math.max(0, Math.floor((until - this.#options.clock.now()) / 1000));
      const aged = withTtl(answer, left);
      if (aged.kind !== "found" || aged.set.type !== "CNAME" || type === "CNAME")
        return { ...aged, chain: [...chain, ...aged.chain] };
      const link = aged.set as AliasSet;
      const target = link.data[0]?.target as DomainName;
      chain.push(link);
      if (chain.length > MAX_CHAIN || chain.some((other) => other.name === target))
        return failed("loop", "a ring of aliases", { chain });
      at = target;
    }
  }

  async #keptOrFresh(name: DomainName, type: RecordType): Promise<Kept> {
    const { clock, longestTtl = 604_800 } = this.#options;
    const key = `${name} ${type}`;
    const kept = this.#cache.get(key);
    if (kept !== undefined && kept.until > clock.now()) return kept;
    const answer = await this.#walk(name, type);
    const ttl = Math.min(longestTtl, ttlOf(answer));
    const fresh = { answer, until: clock.now() + ttl * 1000 };
    if (ttl !== NEVER_KEPT) this.#cache.set(key, fresh);
    return fresh;
  }

  /** Walks from the root to the servers that answer for the name. An alias is given back as the CNAME set itself. */
  async #walk(name: DomainName, type: RecordType): Promise<Answer> {
    const { client, root, port, prefersLast = false } = this.#options;
    let servers: string[] = [root];
    for (let step = 0; step < 12; step++) {
      let last: Answer = failed("servfail", "no server answered");
      for (const address of prefersLast ? [...servers].reverse() : servers) {
        last = await client.at({ address, port } satisfies ServerAddress, { recursive: false }).ask(name, type);
        if (last.kind !== "failed" || last.delegation !== undefined || last.chain.length > 0) break;
      }
      const [link] = last.chain;
      if (link !== undefined) return { kind: "found", set: link, chain: [], authoritative: false };
      if (last.kind !== "failed" || last.delegation === undefined) return last;
      const { ns, glue } = last.delegation;
      const next: string[] = [];
      for (const { target } of ns.data) {
        const known = glue.find((set) => set.name === target && set.type === "A") ?? (await this.#address(target));
        next.push(...((known as RecordSet<DataOf["A"]> | undefined)?.data.map((data) => data.address) ?? []));
      }
      servers = next;
    }
    return failed("servfail", "too many delegations");
  }

  async #address(name: DomainName): Promise<RecordSet | undefined> {
    const answer = await this.ask(name, "A");
    return answer.kind === "found" ? answer.set : undefined;
  }

  handler(): Handler {
    return async (request) => {
      const decoded = decodeMessage(request);
      const question = decoded.ok ? decoded.value.questions[0] : undefined;
      if (!decoded.ok || question === undefined || decoded.value.response) return undefined;
      if (this.#options.delay !== undefined) await new Promise((resolve) => setTimeout(resolve, this.#options.delay));
      return encodeMessage(responseTo(decoded.value, await this.ask(question.name, question.type)));
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

function responseTo(query: Message, answer: Answer): Message {
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
  };
  if (answer.kind === "failed") return { ...reply, answers: [], rcode: RCODE.SERVFAIL };
  if (answer.kind === "found") return { ...reply, answers: [...reply.answers, ...wire([answer.set])] };
  return {
    ...reply,
    rcode: answer.kind === "nxdomain" ? RCODE.NXDOMAIN : RCODE.NOERROR,
    authority: answer.soa === undefined ? [] : wire([answer.soa]),
  };
}
