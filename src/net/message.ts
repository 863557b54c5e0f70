import { type Clause, clause } from "../core/clause/index.ts";
import { type DomainName, ROOT } from "../core/name/index.ts";
import {
  codeOfType,
  decodeData,
  encodeData,
  MalformedWire,
  type RecordData,
  type RecordType,
  typeOfCode,
  WireReader,
  WireWriter,
} from "../core/record/index.ts";
import { err, ok, type Result } from "../core/result.ts";

/** Response codes (RFC 1035 section 4.1.1, RFC 2136 section 2.2, RFC 8945 section 3). */
export const RCODE = {
  NOERROR: 0,
  FORMERR: 1,
  SERVFAIL: 2,
  NXDOMAIN: 3,
  NOTIMP: 4,
  REFUSED: 5,
  YXDOMAIN: 6,
  YXRRSET: 7,
  NXRRSET: 8,
  NOTAUTH: 9,
  NOTZONE: 10,
  BADVERS: 16,
} as const;

/** The name of a response code, for messages. */
export const rcodeName = (code: number): string =>
  Object.entries(RCODE).find(([, value]) => value === code)?.[0] ?? `RCODE${code}`;

export const OPCODE = { QUERY: 0, UPDATE: 5 } as const;

/** Classes; NONE and ANY carry meaning in dynamic updates (RFC 2136 section 2.4). */
export const CLASS = { IN: 1, NONE: 254, ANY: 255 } as const;

/** EDNS payload size that no common path fragments, in octets. */
export const EDNS_PAYLOAD = 1232;

interface Question {
  readonly name: DomainName;
  readonly type: RecordType;
  readonly class: number;
}

/** One record of a message; `data` is undefined where the record carries none, as in updates. */
export interface WireRecord {
  readonly name: DomainName;
  readonly type: RecordType;
  readonly class: number;
  readonly ttl: number;
  readonly data: RecordData | undefined;
}

/** A DNS message (RFC 1035 section 4.1). In an update the sections are zone, prerequisite, update, additional. */
export interface Message {
  readonly id: number;
  readonly opcode: number;
  readonly response: boolean;
  readonly authoritative: boolean;
  readonly truncated: boolean;
  readonly recursionDesired: boolean;
  readonly recursionAvailable: boolean;
  /** Whether a resolver is asked not to check DNSSEC signatures (RFC 4035 section 3.2.2). */
  readonly checkingDisabled?: boolean;
  /** Whether a resolver verified the signatures of its answer (RFC 4035 section 3.2.3). */
  readonly authenticData?: boolean;
  /** Extended with the upper bits of the OPT record, where there is one (RFC 6891 section 6.1.3). */
  readonly rcode: number;
  readonly questions: readonly Question[];
  readonly answers: readonly WireRecord[];
  readonly authority: readonly WireRecord[];
  readonly additional: readonly WireRecord[];
  /** The sender's UDP payload size, where the message carries EDNS. */
  readonly edns?: {
    readonly payload: number;
    /** Whether signatures are wanted with the answer (RFC 3225). */
    readonly dnssecOk?: boolean;
    /** The codes of what went wrong (RFC 8914 section 4). */
    readonly errors?: readonly number[];
  };
}

export const emptyMessage: Message = {
  id: 0,
  opcode: OPCODE.QUERY,
  response: false,
  authoritative: false,
  truncated: false,
  recursionDesired: false,
  recursionAvailable: false,
  rcode: RCODE.NOERROR,
  questions: [],
  answers: [],
  authority: [],
  additional: [],
};

/** Whether a resolver may check (`plain`), may not (`unchecked`), or may not and is to add the signatures (`signed`). */
export type Dnssec = "plain" | "unchecked" | "signed";

function encodeRecord({ name, type, class: klass, ttl, data }: WireRecord, to: WireWriter): void {
  to.name(name, true);
  to.u16(codeOfType(type));
  to.u16(klass);
  to.u32(ttl);
  to.counted(() => {
    if (data !== undefined) encodeData(type, data, to, true);
  });
}

function encodeQuestion({ name, type, class: klass }: Question, to: WireWriter, compress: boolean): void {
  to.name(name, compress);
  to.u16(codeOfType(type));
  to.u16(klass);
}

/** The OPT record of a message (RFC 6891 section 6.1), with the upper bits of its response code. */
function encodeEdns({ payload, dnssecOk, errors = [] }: NonNullable<Message["edns"]>, rcode: number, to: WireWriter): void {
  to.name(ROOT, false);
  to.u16(codeOfType("OPT"));
  to.u16(payload);
  to.u32((((rcode >> 4) << 24) | (dnssecOk === true ? 0x8000 : 0)) >>> 0);
  to.counted(() => {
    for (const code of errors) {
      to.u16(EXTENDED_ERROR);
      to.u16(2);
      to.u16(code);
    }
  });
}

/** A question to a server, with id 0, and with EDNS unless the server does not know it; `dnssec` asks for signatures, unchecked. */
export function encodeQuery(question: Question, recursionDesired: boolean, edns: boolean, dnssec: Dnssec = "plain"): Buffer {
  const to = new WireWriter();
  to.u16(0);
  to.u16((recursionDesired ? 0x0100 : 0) | (dnssec === "plain" ? 0 : 0x0010));
  to.u16(1);
  to.u32(0);
  to.u16(edns ? 1 : 0);
  encodeQuestion(question, to, false);
  if (edns) encodeEdns(dnssec === "signed" ? SIGNED : PLAIN, RCODE.NOERROR, to);
  return to.done();
}
const PLAIN = { payload: EDNS_PAYLOAD };
const SIGNED = { payload: EDNS_PAYLOAD, dnssecOk: true };

export function encodeMessage(message: Message): Buffer {
  const to = new WireWriter();
  to.u16(message.id);
  to.u16(
    (message.response ? 0x8000 : 0) |
      (message.opcode << 11) |
      (message.authoritative ? 0x0400 : 0) |
      (message.truncated ? 0x0200 : 0) |
      (message.recursionDesired ? 0x0100 : 0) |
      (message.recursionAvailable ? 0x0080 : 0) |
      (message.authenticData === true ? 0x0020 : 0) |
      (message.checkingDisabled === true ? 0x0010 : 0) |
      (message.rcode & 0x0f),
  );
  to.u16(message.questions.length);
  to.u16(message.answers.length);
  to.u16(message.authority.length);
  to.u16(message.additional.length + (message.edns === undefined ? 0 : 1));
  for (const question of message.questions) encodeQuestion(question, to, true);
  for (const section of [message.answers, message.authority, message.additional])
    for (const record of section) encodeRecord(record, to);
  if (message.edns !== undefined) encodeEdns(message.edns, message.rcode, to);
  return to.done();
}

function decodeRecord(from: WireReader): WireRecord {
  const name = from.name();
  const type = typeOfCode(from.u16());
  const klass = from.u16();
  const ttl = from.u32();
  const length = from.u16();
  if (length > from.left) throw new MalformedWire(clause("wire-broken", { what: "record-breaks-off" }));
  const data = length === 0 && klass !== CLASS.IN ? undefined : decodeData(type, from.part(length));
  // A TTL with the top bit set counts as zero (RFC 2181 section 8).
  return { name, type, class: klass, ttl: type !== "OPT" && ttl > 0x7fffffff ? 0 : ttl, data };
}

/** The option of an extended error (RFC 8914 section 2). */
const EXTENDED_ERROR = 15;

/** What an OPT record says (RFC 6891 section 6.1). */
function ednsOf({ class: payload, ttl, data }: WireRecord): NonNullable<Message["edns"]> {
  const errors: number[] = [];
  const from = new WireReader(Buffer.from(data !== undefined && "rdata" in data ? data.rdata : "", "hex"));
  while (from.left >= 4) {
    const option = from.u16();
    const length = from.u16();
    if (length > from.left) break;
    const octets = from.octets(length);
    if (option === EXTENDED_ERROR && length >= 2) errors.push(octets.readUInt16BE(0));
  }
  return { payload, ...((ttl & 0x8000) === 0 ? {} : { dnssecOk: true }), ...(errors.length === 0 ? {} : { errors }) };
}

/** Reads a message; the error is half a sentence that says where it breaks off. */
export function decodeMessage(octets: Buffer): Result<Message, Clause> {
  try {
    const from = new WireReader(octets);
    const id = from.u16();
    const flags = from.u16();
    const counts = [from.u16(), from.u16(), from.u16(), from.u16()] as const;
    const questions: Question[] = [];
    for (let i = 0; i < counts[0]; i++) questions.push({ name: from.name(), type: typeOfCode(from.u16()), class: from.u16() });
    const section = (count: number) => {
      const records: WireRecord[] = [];
      for (let i = 0; i < count; i++) records.push(decodeRecord(from));
      return records;
    };
    const answers = section(counts[1]);
    const authority = section(counts[2]);
    const additional = section(counts[3]);
    const opt = additional.find((record) => record.type === "OPT");
    const message: { -readonly [K in keyof Message]: Message[K] } = {
      id,
      response: (flags & 0x8000) !== 0,
      opcode: (flags >> 11) & 0x0f,
      authoritative: (flags & 0x0400) !== 0,
      truncated: (flags & 0x0200) !== 0,
      recursionDesired: (flags & 0x0100) !== 0,
      recursionAvailable: (flags & 0x0080) !== 0,
      rcode: (flags & 0x0f) | (opt === undefined ? 0 : (opt.ttl >>> 24) << 4),
      questions,
      answers,
      authority,
      additional: opt === undefined ? additional : additional.filter((record) => record.type !== "OPT"),
    };
    if ((flags & 0x0020) !== 0) message.authenticData = true;
    if ((flags & 0x0010) !== 0) message.checkingDisabled = true;
    if (opt !== undefined) message.edns = ednsOf(opt);
    return ok(message);
  } catch (error) {
    if (error instanceof MalformedWire) return err(error.said);
    throw error;
  }
}
