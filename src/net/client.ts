import { LRUCache } from "lru-cache";
import pLimit, { type LimitFunction } from "p-limit";
import { type Clause, clause } from "../core/clause/index.ts";
import type { SignedLookup } from "../core/dnssec/index.ts";
import {
  type AliasSet,
  type Answer,
  aliasesWithoutEnd,
  type Failed,
  type Found,
  failed,
  type Lookup,
  type Negative,
} from "../core/lookup/index.ts";
import type { DomainName } from "../core/name/index.ts";
import { type DataOf, type RecordSet, type RecordType, type ResourceRecord, toSets } from "../core/record/index.ts";
import { err, ok, type Result } from "../core/result.ts";
import { type ServerAddress, serverText } from "./address.ts";
import { CLASS, type Dnssec, decodeMessage, encodeQuery, type Message, RCODE, rcodeName, type WireRecord } from "./message.ts";
import { type Exchange, exchangeHttps, exchangeTcp, timedOut, UdpChannel } from "./transport.ts";

export interface DnsClientOptions {
  /** Longest time one question may take over all its tries, in milliseconds. */
  readonly timeout?: number;
  /** How often a question is sent before it counts as unanswered. */
  readonly tries?: number;
  /** How many questions one server gets at the same time. */
  readonly concurrency?: number;
}

/** How a server has kept silent of late; `until` by the clock of the process, in milliseconds. */
interface Silence {
  /** Whether it ever answered. */
  readonly heard: boolean;
  /** Questions in a row that it left unanswered, each sent several times. */
  readonly unanswered: number;
  readonly until: number;
}

const NEVER_HEARD: Silence = { heard: false, unanswered: 0, until: 0 };
const HEARD: Silence = { heard: true, unanswered: 0, until: 0 };

/** How many times the longest wait a silent server is left alone, so that a run with many questions does not wait for each. */
const REST = 6;

/** Servers to which sockets are kept open: whoever asks about many domains would run out of them. */
const MAX_CHANNELS = 64;

/**
 * Asks DNS servers: UDP with EDNS0 first, TCP when the answer is cut, HTTPS where the server is a URL.
 * Close it when done, or its sockets keep the process alive.
 */
export class DnsClient {
  readonly #timeout: number;
  readonly #tries: number;
  readonly #concurrency: number;
  readonly #channels = new LRUCache<string, UdpChannel>({ max: MAX_CHANNELS, dispose: (channel) => channel.retire() });
  readonly #limits = new Map<string, LimitFunction>();
  readonly #silence = new Map<string, Silence>();
  /** Servers without EDNS: they say that they do not know it, answer as if it were not there, or left questions with it unanswered. */
  readonly #withoutEdns = new Map<string, "refuses" | "ignores" | "silent">();

  constructor({ timeout = 5000, tries = 3, concurrency = 32 }: DnsClientOptions = {}) {
    this.#timeout = timeout;
    this.#tries = tries;
    this.#concurrency = concurrency;
  }

  /**
   * A lookup that asks this one server; `recursive` asks it to find the answer elsewhere if need be, `unchecked` to hand out
   * what does not pass its DNSSEC checks too.
   */
  at(
    server: ServerAddress,
    { recursive, unchecked = false }: { readonly recursive: boolean; readonly unchecked?: boolean },
  ): Lookup {
    const dnssec = unchecked ? "unchecked" : "plain";
    return {
      ask: async (name, type) => {
        const outcome = await this.query(server, name, type, recursive, dnssec);
        const answer = interpret(outcome, server, name, type, recursive);
        if (!recursive || unchecked || answer.kind !== "failed" || answer.why !== "servfail" || !outcome.ok) return answer;
        return this.#bogusOr(answer, outcome.value, server, name, type);
      },
    };
  }

  /** Signed answers of a resolver, not judged by it (RFC 4035 section 3.2), or of a name server. */
  signedAt(server: ServerAddress, recursive = true): SignedLookup {
    return {
      askSigned: async (name, type) => {
        const outcome = await this.query(server, name, type, recursive, "signed");
        if (!outcome.ok) return { kind: "failed", detail: outcome.error.detail };
        const { rcode, answers, authority } = outcome.value;
        if (rcode !== RCODE.NOERROR && rcode !== RCODE.NXDOMAIN)
          return { kind: "failed", detail: codeFrom(outcome.value, server, name) };
        // Whoever knows DNSSEC repeats the bit (RFC 3225 section 3); from others, missing signatures say nothing.
        if (outcome.value.edns?.dnssecOk !== true)
          return { kind: "failed", detail: clause("answer-without-signatures", { server: serverText(server) }) };
        return { kind: "answer", exists: rcode === RCODE.NOERROR, answer: inClass(answers), authority: inClass(authority) };
      },
    };
  }

  /** A resolver that fails, and answers once it need not check, refuses the answer for its signatures (RFC 4035 section 5.5). */
  async #bogusOr(failure: Failed, said: Message, server: ServerAddress, name: DomainName, type: RecordType): Promise<Answer> {
    const again = await this.query(server, name, type, true, "unchecked");
    if (!again.ok || (again.value.rcode !== RCODE.NOERROR && again.value.rcode !== RCODE.NXDOMAIN)) return failure;
    const detail = clause("answer-bogus", { server: serverText(server), name, says: extendedErrors(said) });
    return { ...failure, why: "bogus", detail };
  }

  /** Whether a server answers over TCP, which it has to where an answer is long (RFC 7766 section 5). */
  async takesTcp(server: Exclude<ServerAddress, { readonly url: string }>, name: DomainName): Promise<boolean> {
    // A question that nobody asks otherwise, and whose answer is short.
    const request = encodeQuery({ name, type: "CDNSKEY", class: CLASS.IN }, false, true);
    return (await exchangeTcp(server, request, this.#timeout)).ok;
  }

  /**
   * Whether a server takes questions with EDNS (RFC 6891), as far as it was asked: long answers and DNSSEC need it. Whoever only
   * left such questions unanswered is asked once more, since datagrams get lost.
   */
  async takesEdns(server: ServerAddress, name: DomainName): Promise<boolean> {
    const key = serverText(server);
    const seen = this.#withoutEdns.get(key);
    if (seen !== "silent" || "url" in server) return seen === undefined;
    this.#withoutEdns.delete(key);
    await this.query(server, name, "CDNSKEY", false);
    return !this.#withoutEdns.has(key);
  }

  /** One question to one server: the answer as it came, or why there is none. */
  query(
    server: ServerAddress,
    name: DomainName,
    type: RecordType,
    recursive: boolean,
    dnssec: Dnssec = "plain",
  ): Promise<Result<Message, ReturnType<typeof failed>>> {
    const key = serverText(server);
    let limit = this.#limits.get(key);
    if (limit === undefined) this.#limits.set(key, (limit = pLimit(this.#concurrency)));
    return limit(async () => {
      const before = this.#silence.get(key) ?? NEVER_HEARD;
      if (before.unanswered >= (before.heard ? 2 : 1) && performance.now() < before.until)
        return err(failed("timeout", clause("answer-not-again", { server: key })));
      const answer = await this.#query(server, name, type, recursive, dnssec);
      const known = this.#silence.get(key) ?? NEVER_HEARD;
      if (!answer.ok && answer.error.why === "timeout")
        this.#silence.set(key, { ...known, unanswered: known.unanswered + 1, until: performance.now() + REST * this.#timeout });
      else if (known !== HEARD) this.#silence.set(key, HEARD);
      return answer;
    });
  }

  async #query(server: ServerAddress, name: DomainName, type: RecordType, recursive: boolean, dnssec: Dnssec) {
    const deadline = performance.now() + this.#timeout;
    const left = () => Math.max(1, Math.ceil(deadline - performance.now()));
    const question = { name, type, class: CLASS.IN };
    const key = serverText(server);
    const known = this.#withoutEdns.get(key);
    let edns = known === undefined || (known === "silent" && dnssec === "signed");
    let last: Failed | undefined;
    for (let attempt = 0; attempt < this.#tries && performance.now() < deadline; attempt++) {
      const isLast = attempt === this.#tries - 1;
      // Some firewalls drop what has EDNS; a plain question is the last try, where it would do.
      if (attempt > 0 && isLast && dnssec !== "signed") edns = false;
      // Over UDP the channel draws the id; over HTTPS it is zero, so that answers can be cached (RFC 8484 section 4.1).
      const request = encodeQuery(question, recursive, edns, dnssec);
      const share = isLast ? left() : Math.min(left(), this.#timeout / this.#tries);
      const exchanged = await this.#send(server, request, share, left);
      if (!exchanged.ok) {
        last = exchanged.error.why === "timeout" ? timedOut(server, this.#timeout) : exchanged.error;
        if (last.why === "timeout") continue;
        break;
      }
      const decoded = decodeMessage(exchanged.value);
      if (!decoded.ok)
        return err(failed("malformed", clause("answer-unreadable", { server: key, what: "answer", error: decoded.error })));
      const message = decoded.value;
      if (!fits(message, request, question)) return err(failed("malformed", clause("answer-other-question", { server: key })));
      // A server from before EDNS says FORMERR, or NOTIMP, to it and is asked again without (RFC 6891 section 7).
      if (edns && (message.rcode === RCODE.FORMERR || message.rcode === RCODE.NOTIMP || message.rcode === RCODE.BADVERS)) {
        edns = false;
        this.#withoutEdns.set(key, "refuses");
        attempt -= 1;
        continue;
      }
      // Whoever knows EDNS answers with it (RFC 6891 sections 6.1.1 and 7).
      if (edns && message.edns === undefined && (message.rcode === RCODE.NOERROR || message.rcode === RCODE.NXDOMAIN))
        this.#withoutEdns.set(key, "ignores");
      if (!edns && known === undefined && !this.#withoutEdns.has(key)) this.#withoutEdns.set(key, "silent");
      return ok(message);
    }
    return err(last ?? timedOut(server, this.#timeout));
  }

  async #send(server: ServerAddress, request: Buffer, ms: number, left: () => number): Promise<Exchange> {
    if ("url" in server) return exchangeHttps(server.url, request, left());
    const key = serverText(server);
    let channel = this.#channels.get(key);
    if (channel === undefined) this.#channels.set(key, (channel = new UdpChannel(server)));
    const sameQuestion = questionOctets(request);
    const answer = await channel.exchange(request, (octets) => isAnswerTo(octets, sameQuestion), ms);
    const truncated = answer.ok && (answer.value.readUInt16BE(2) & 0x0200) !== 0;
    return truncated ? exchangeTcp(server, request, left()) : answer;
  }

  close(): void {
    for (const channel of this.#channels.values()) channel.close();
    this.#channels.clear();
  }
}

/** The octets of the question section of a request that carries one question. */
function questionOctets(request: Buffer): Buffer {
  let at = 12;
  while (request[at] !== 0) at += (request[at] as number) + 1;
  return request.subarray(12, at + 5);
}

/** Whether a datagram is a response that repeats the question, which may change the case of letters only. A FORMERR may come without one. */
function isAnswerTo(answer: Buffer, question: Buffer): boolean {
  const flags = answer.readUInt16BE(2);
  if ((flags & 0x8000) === 0) return false;
  if (answer.readUInt16BE(4) === 0) return (flags & 0x0f) !== RCODE.NOERROR;
  const end = 12 + question.length;
  if (answer.length < end) return false;
  if (answer.compare(question, 0, question.length, 12, end) === 0) return true;
  return answer.toString("latin1", 12, end).toLowerCase() === question.toString("latin1").toLowerCase();
}

function fits(message: Message, request: Buffer, question: { name: DomainName; type: RecordType }): boolean {
  if (!message.response || message.id !== request.readUInt16BE(0)) return false;
  const [asked] = message.questions;
  if (asked === undefined) return message.rcode !== RCODE.NOERROR;
  return message.questions.length === 1 && asked.name === question.name && asked.type === question.type;
}

/** What extended errors mean, of those that say why a question failed (RFC 8914 section 4). */
const EXTENDED: ReadonlyMap<number, string> = new Map([
  [6, "DNSSEC bogus"],
  [7, "signature expired"],
  [8, "signature not yet valid"],
  [9, "DNSKEY missing"],
  [10, "RRSIG missing"],
  [12, "NSEC missing"],
  [22, "no reachable authority"],
  [23, "network error"],
]);

/** What a server says of its failure besides. */
const extendedErrors = ({ edns }: Message): string[] => [
  ...new Set((edns?.errors ?? []).flatMap((code) => EXTENDED.get(code) ?? [])),
];

/** That a server answered with a code that says nothing of the name. */
const codeFrom = (message: Message, server: ServerAddress, name: DomainName): Clause =>
  clause("answer-code", { server: serverText(server), code: rcodeName(message.rcode), name, says: extendedErrors(message) });

const inClass = (records: readonly WireRecord[]): ResourceRecord[] =>
  records.filter((record) => record.class === CLASS.IN && record.data !== undefined) as ResourceRecord[];

const isNs = (set: RecordSet): set is RecordSet<DataOf["NS"]> => set.type === "NS";

/** What a response says about the question, as one member of the answer union. */
function interpret(
  outcome: Result<Message, ReturnType<typeof failed>>,
  server: ServerAddress,
  name: DomainName,
  type: RecordType,
  recursive: boolean,
): Answer {
  if (!outcome.ok) return outcome.error;
  const message = outcome.value;
  const where = serverText(server);
  if (message.rcode !== RCODE.NOERROR && message.rcode !== RCODE.NXDOMAIN) {
    const why = message.rcode === RCODE.REFUSED || message.rcode === RCODE.NOTAUTH ? "refused" : "servfail";
    return failed(why, codeFrom(message, server, name));
  }
  const { authoritative } = message;
  const sets = toSets(inClass(message.answers));
  const chain: AliasSet[] = [];
  let at = name;
  for (;;) {
    const found = sets.find((set) => set.name === at && set.type === type);
    if (found !== undefined && message.rcode === RCODE.NXDOMAIN)
      return failed("malformed", clause("answer-contradicts", { server: where, name: at }));
    if (found !== undefined) return { kind: "found", set: found, chain, authoritative } satisfies Found;
    const alias = sets.find((set) => set.name === at && set.type === "CNAME") as AliasSet | undefined;
    const target = alias?.data[0]?.target;
    if (alias === undefined || target === undefined) break;
    chain.push(alias);
    const endless = aliasesWithoutEnd(chain);
    if (endless !== undefined) return failed("loop", endless, { chain });
    at = target;
  }
  const authority = toSets(inClass(message.authority));
  const soa = authority.find((set) => set.type === "SOA");
  if (message.rcode === RCODE.NXDOMAIN || soa !== undefined || (authoritative && chain.length === 0)) {
    const kind = message.rcode === RCODE.NXDOMAIN ? "nxdomain" : "nodata";
    return { kind, chain, authoritative, ...(soa === undefined ? {} : { soa }) } satisfies Negative;
  }
  const ns = authority.find(isNs);
  if (ns !== undefined && !authoritative && !recursive)
    return failed(
      "delegated",
      clause("answer-delegates", { server: where, name: ns.name, to: ns.data.map(({ target }) => target) }),
      {
        chain,
        delegation: { ns, glue: toSets(inClass(message.additional)).filter((set) => set.type === "A" || set.type === "AAAA") },
      },
    );
  if (chain.length > 0 && !recursive)
    return failed("outside", clause("answer-leads-out", { server: where, name, target: at }), {
      chain,
      authoritative,
    });
  // An empty NOERROR without an SOA from a resolver: nothing there, only nobody can say for how long.
  if (recursive && message.recursionAvailable) return { kind: "nodata", chain, authoritative } satisfies Negative;
  return failed("refused", clause("answer-neither", { server: where, name }), { chain });
}
