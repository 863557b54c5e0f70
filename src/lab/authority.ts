import { setTimeout as sleep } from "node:timers/promises";
import type { Clock } from "../clock.ts";
import { type Answer, answerFromZones } from "../core/lookup/index.ts";
import { type DomainName, isAtOrBelow } from "../core/name/index.ts";
import {
  dataKey,
  type RecordSet,
  type RecordType,
  type ResourceRecord,
  recordsOf,
  sameData,
  toSets,
  withData,
} from "../core/record/index.ts";
import { nextSerial, readZone, type Zone, zoneFor, zoneOf } from "../core/zone/index.ts";
import {
  CLASS,
  decodeMessage,
  emptyMessage,
  encodeMessage,
  type Message,
  OPCODE,
  RCODE,
  signMessage,
  TSIG_ERROR,
  type TsigKey,
  verifyMessage,
  type WireRecord,
} from "../net/index.ts";
import type { Handler } from "./dns-server.ts";
import { ZoneSigner } from "./zone-signer.ts";

interface Version {
  readonly at: number;
  readonly zone: Zone;
}

/** One line of a server's query log. */
export interface LoggedQuery {
  readonly server: string;
  readonly name: DomainName;
  readonly type: string;
}

/** What may be wrong with one name server of several. */
export type Sickness = "lame" | "failing" | "silent" | "before-edns" | "passes-edns-over" | "unsigned";

const isBeforeEdns = (sickness: Sickness | undefined): boolean => sickness === "before-edns" || sickness === "passes-edns-over";

/** How long resolvers remember the keys of a zone, in seconds. */
const KEY_TTL = 3600;

const wire = (records: readonly ResourceRecord[]): WireRecord[] => records.map((record) => ({ ...record, class: CLASS.IN }));
const wireSets = (sets: readonly (RecordSet | undefined)[]) =>
  wire(sets.flatMap((set) => (set === undefined ? [] : recordsOf(set))));

/**
 * A DNS host of the lab: zones that are served by several name servers, some of which get changes later
 * than others, and changed by signed dynamic updates (RFC 2136, RFC 8945).
 */
export class AuthorityHost {
  readonly #zones = new Map<DomainName, Version[]>();
  readonly #keys: readonly TsigKey[];
  readonly #clock: Clock;
  /** By how much this host's clock for checking signatures is off, in seconds. */
  clockSkew = 0;
  /** Whether this host hands out whole zones to anybody who asks. */
  handsOutZones = false;
  readonly log: LoggedQuery[] = [];
  readonly #signers = new Map<DomainName, ZoneSigner>();

  constructor(clock: Clock, keys: readonly TsigKey[] = []) {
    this.#clock = clock;
    this.#keys = keys;
  }

  /** Starts serving a zone from zone-file text. */
  serve(apex: DomainName, text: string): void {
    const document = readZone(text, { origin: apex });
    if (document.issues.length > 0) throw new Error(`the lab's zone ${apex} is broken: ${JSON.stringify(document.issues[0])}`);
    this.#zones.set(apex, [{ at: 0, zone: zoneOf(apex, toSets(document.entries)) }]);
  }

  /** Signs a zone from now on, with a key of this host's own, which is published in the zone. */
  sign(apex: DomainName): ZoneSigner {
    const signer = new ZoneSigner(apex, this.#clock);
    this.#signers.set(apex, signer);
    const keys = { name: apex, type: "DNSKEY", ttl: KEY_TTL, data: [signer.key] } as const;
    this.preset(apex, keys);
    return signer;
  }

  /** The zones as a server shows them that gets every change `lag` milliseconds late. */
  zones(lag = 0): Zone[] {
    const until = this.#clock.now() - lag;
    return [...this.#zones.values()].map(
      (versions) => (versions.findLast(({ at }) => at <= until) ?? (versions[0] as Version)).zone,
    );
  }

  /** One set as it is now. */
  set(apex: DomainName, name: DomainName, type: RecordType): RecordSet | undefined {
    return this.#sets(apex).get(`${name} ${type}`);
  }

  /** Servers of this host that have something wrong with them, by their labels. */
  readonly sick = new Map<string, Sickness>();

  /** While it is set, no server answers anything. */
  isDown = false;

  /** Puts one set in the place of whatever is there. */
  put(apex: DomainName, set: RecordSet): void {
    this.#store(apex, this.#sets(apex).set(`${set.name} ${set.type}`, set));
  }

  /** Puts a set there as if it had always been; once a zone has changed, as {@link put} does. */
  preset(apex: DomainName, set: RecordSet): void {
    if (this.#zones.get(apex)?.length !== 1) return this.put(apex, set);
    const sets = this.#sets(apex).set(`${set.name} ${set.type}`, set);
    this.#zones.set(apex, [{ at: 0, zone: zoneOf(apex, sets.values()) }]);
  }

  /** Takes one set away. */
  remove(apex: DomainName, name: DomainName, type: RecordType): void {
    const sets = this.#sets(apex);
    if (sets.delete(`${name} ${type}`)) this.#store(apex, sets);
  }

  /** The newest sets of a zone. */
  #sets(apex: DomainName): Map<string, RecordSet> {
    const zone = this.#zones.get(apex)?.at(-1)?.zone;
    return new Map(
      [...(zone?.nodes.values() ?? [])].flatMap((node) => [...node.values()]).map((set) => [`${set.name} ${set.type}`, set]),
    );
  }

  /** Makes the sets the newest version of a zone, with the serial raised. */
  #store(apex: DomainName, sets: Map<string, RecordSet>): void {
    const id = `${apex} SOA`;
    const soa = sets.get(id) as RecordSet;
    const today = new Date(this.#clock.now()).toISOString().slice(0, 10).replaceAll("-", "");
    const serial = nextSerial((soa.data[0] as { serial: number }).serial, today);
    sets.set(id, { ...soa, data: [{ ...(soa.data[0] as object), serial } as RecordSet["data"][number]] });
    this.#zones.get(apex)?.push({ at: this.#clock.now(), zone: zoneOf(apex, sets.values()) });
  }

  /** What one of the host's name servers does with a request; `delay` is how long it takes over each, in real milliseconds. */
  handler(server: string, lag = 0, delay = 0): Handler {
    return async (request) => {
      if (delay > 0) await sleep(delay);
      const decoded = decodeMessage(request);
      if (!decoded.ok || decoded.value.response || this.isDown || this.sick.get(server) === "silent") return undefined;
      if (decoded.value.opcode === OPCODE.UPDATE) return this.#update(request, decoded.value);
      return encodeMessage(this.#answer(decoded.value, server, lag));
    };
  }

  #answer(query: Message, server: string, lag: number): Message {
    const reply: Message = {
      ...emptyMessage,
      id: query.id,
      response: true,
      questions: query.questions,
      ...(query.edns === undefined || isBeforeEdns(this.sick.get(server)) ? {} : { edns: query.edns }),
    };
    const [question] = query.questions;
    if (question === undefined || query.opcode !== OPCODE.QUERY) return { ...reply, rcode: RCODE.NOTIMP };
    this.log.push({ server, name: question.name, type: question.type });
    const sickness = this.sick.get(server);
    if (sickness === "lame") return { ...reply, rcode: RCODE.REFUSED };
    if (sickness === "failing") return { ...reply, rcode: RCODE.SERVFAIL };
    if (sickness === "before-edns" && query.edns !== undefined) return { ...reply, rcode: RCODE.FORMERR };
    if (question.type === "AXFR") return this.#wholeZone(reply, question.name, lag);
    const zones = this.zones(lag);
    const answer = answerFromZones(zones, question.name, question.type);
    return query.edns?.dnssecOk === true && sickness !== "unsigned" && sickness !== "passes-edns-over"
      ? this.#withSignatures(this.#reply(reply, answer), zones, question.name, answer)
      : this.#reply(reply, answer);
  }

  /** The answer with its signatures, and with proofs where something is not there (RFC 4035 section 3.1). */
  #withSignatures(reply: Message, zones: readonly Zone[], asked: DomainName, answer: Answer): Message {
    const last = answer.chain.at(-1)?.data[0]?.target ?? asked;
    const signed = (sets: readonly RecordSet[]) => wire(sets.flatMap((set) => this.#signed(set, zones)));
    const [answers, authority] = [reply.answers, reply.authority].map((records) =>
      toSets(records.map(({ name, type, ttl, data }) => ({ name, type, ttl, data: data as RecordSet["data"][number] }))),
    ) as [RecordSet[], RecordSet[]];
    const cut = answer.kind === "failed" ? answer.delegation?.ns.name : undefined;
    const zone = zoneFor(cut === undefined ? zones : zones.filter(({ apex }) => apex !== cut), cut ?? last);
    const signer = zone === undefined ? undefined : this.#signers.get(zone.apex);
    const proofs: RecordSet[] = [];
    if (zone !== undefined && signer !== undefined) {
      const ds = cut === undefined ? undefined : zone.nodes.get(cut)?.get("DS");
      if (ds !== undefined) proofs.push(ds);
      else if (cut !== undefined || answer.kind === "nodata" || answer.kind === "nxdomain")
        proofs.push(...signer.denial(zone, cut ?? last));
      else
        for (const set of answers)
          if (signer.madeFrom(zone, set.name) !== undefined) proofs.push(...signer.denial(zone, set.name));
    }
    return { ...reply, answers: signed(answers), authority: [...signed(authority), ...signed(proofs)] };
  }

  /** A set with the signature of the zone that holds it; the name servers of a delegation have none. */
  #signed(set: RecordSet, zones: readonly Zone[]): ResourceRecord[] {
    const zone = zoneFor(set.type === "DS" ? zones.filter(({ apex }) => apex !== set.name) : zones, set.name);
    const signer = zone === undefined ? undefined : this.#signers.get(zone.apex);
    const isDelegation = set.type === "NS" && set.name !== zone?.apex;
    if (zone === undefined || signer === undefined || isDelegation) return recordsOf(set);
    return [...recordsOf(set), signer.signatureOf(set, signer.madeFrom(zone, set.name))];
  }

  #reply(reply: Message, answer: Answer): Message {
    const chain = wireSets(answer.chain);
    switch (answer.kind) {
      case "found":
        return { ...reply, authoritative: true, answers: [...chain, ...wireSets([answer.set])] };
      case "nodata":
      case "nxdomain":
        return {
          ...reply,
          authoritative: true,
          rcode: answer.kind === "nxdomain" ? RCODE.NXDOMAIN : RCODE.NOERROR,
          answers: chain,
          authority: wireSets([answer.soa]),
        };
      case "failed":
        if (answer.delegation !== undefined)
          return {
            ...reply,
            authoritative: chain.length > 0,
            answers: chain,
            authority: chain.length > 0 ? [] : wireSets([answer.delegation.ns]),
            additional: wireSets(answer.delegation.glue),
          };
        if (answer.why === "outside" && chain.length > 0) return { ...reply, authoritative: true, answers: chain };
        return { ...reply, rcode: answer.why === "loop" ? RCODE.SERVFAIL : RCODE.REFUSED };
    }
  }

  /** The whole zone in one message, from SOA to SOA (RFC 5936), where this host hands zones out. */
  #wholeZone(reply: Message, apex: DomainName, lag: number): Message {
    const zone = this.handsOutZones ? this.zones(lag).find((candidate) => candidate.apex === apex) : undefined;
    if (zone?.soa === undefined) return { ...reply, rcode: RCODE.REFUSED };
    const others = [...zone.nodes.values()].flatMap((node) => [...node.values()]).filter((set) => set !== zone.soa);
    return { ...reply, authoritative: true, answers: wireSets([zone.soa, ...others, zone.soa]) };
  }

  #update(request: Buffer, update: Message): Buffer {
    const reply = (rcode: number) =>
      encodeMessage({
        ...emptyMessage,
        id: update.id,
        opcode: OPCODE.UPDATE,
        response: true,
        rcode,
        questions: update.questions,
      });
    // Signatures are a matter of the wire and use the real time, however fast the lab's clock runs.
    const now = Math.floor(Date.now() / 1000) + this.clockSkew;
    const named = this.#keys.map((key) => ({ key, check: verifyMessage(request, key, now) }));
    const known = named.find(({ check }) => check.ok || check.error.code !== "other-key");
    const [first] = this.#keys;
    if (known === undefined || first === undefined) {
      // The complaint about an unknown key is sent with that key's name in it (RFC 8945 section 5.2.1), unsigned.
      return first === undefined
        ? reply(RCODE.REFUSED)
        : signMessage(reply(RCODE.NOTAUTH), first, now, { error: TSIG_ERROR.BADKEY }).message;
    }
    if (!known.check.ok) {
      switch (known.check.error.code) {
        case "forged":
          return signMessage(reply(RCODE.NOTAUTH), known.key, now, { error: TSIG_ERROR.BADSIG }).message;
        case "out-of-time": {
          const other = Buffer.alloc(6);
          other.writeUIntBE(now, 0, 6);
          const mac = requestMacOf(request, known.key);
          return signMessage(reply(RCODE.NOTAUTH), known.key, now, {
            error: TSIG_ERROR.BADTIME,
            other,
            ...(mac === undefined ? {} : { requestMac: mac }),
          }).message;
        }
        default:
          return reply(known.check.error.code === "unsigned" ? RCODE.REFUSED : RCODE.FORMERR);
      }
    }
    return signMessage(reply(this.#apply(update)), known.key, now, { requestMac: known.check.value }).message;
  }

  /** Checks the prerequisites and, if all hold, carries out the whole update (RFC 2136 section 3). */
  #apply(update: Message): number {
    const apex = update.questions[0]?.name;
    if (apex === undefined || !this.#zones.has(apex)) return RCODE.NOTAUTH;
    const sets = this.#sets(apex);
    const exact = toSets(
      update.answers
        .filter((record) => record.class === CLASS.IN)
        .map((record) => ({ ...record, data: record.data as RecordSet["data"][number] })),
    );
    for (const { name, type, class: klass } of update.answers) {
      if (!isAtOrBelow(name, apex)) return RCODE.NOTZONE;
      const inUse = [...sets.values()].some((set) => set.name === name);
      if (klass === CLASS.NONE && type === "ANY" && inUse) return RCODE.YXDOMAIN;
      if (klass === CLASS.NONE && type !== "ANY" && sets.has(`${name} ${type}`)) return RCODE.YXRRSET;
      if (klass === CLASS.ANY && type === "ANY" && !inUse) return RCODE.NXDOMAIN;
      if (klass === CLASS.ANY && type !== "ANY" && !sets.has(`${name} ${type}`)) return RCODE.NXRRSET;
    }
    for (const set of exact) if (!sameData(sets.get(`${set.name} ${set.type}`), set)) return RCODE.NXRRSET;
    for (const { name, type, class: klass, ttl, data } of update.authority) {
      if (!isAtOrBelow(name, apex)) return RCODE.NOTZONE;
      const id = `${name} ${type}`;
      const set = sets.get(id);
      if (klass === CLASS.ANY) sets.delete(id);
      else if (data === undefined) return RCODE.FORMERR;
      else if (klass === CLASS.NONE) {
        const left = set?.data.filter((recordData) => dataKey(type, recordData) !== dataKey(type, data)) ?? [];
        if (set !== undefined && left.length > 0) sets.set(id, { ...set, data: left });
        else sets.delete(id);
      } else sets.set(id, { ...withData(set ?? { name, type, ttl, data: [] }, [data]), ttl });
    }
    if (update.authority.length > 0) this.#store(apex, sets);
    return RCODE.NOERROR;
  }
}

/** The MAC of a request whose signature holds but whose time does not. */
function requestMacOf(request: Buffer, key: TsigKey): Buffer | undefined {
  const atItsTime = verifyMessage(request, key, 0);
  if (atItsTime.ok || atItsTime.error.serverTime === undefined) return undefined;
  const mac = verifyMessage(request, key, atItsTime.error.serverTime);
  return mac.ok ? mac.value : undefined;
}
