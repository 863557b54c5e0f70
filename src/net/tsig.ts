import { createHmac, timingSafeEqual } from "node:crypto";
import { clause } from "../core/clause/index.ts";
import type { DomainName } from "../core/name/index.ts";
import { codeOfType, MalformedWire, WireReader, WireWriter } from "../core/record/index.ts";
import { err, ok, type Result } from "../core/result.ts";
import { CLASS } from "./message.ts";

/** The algorithms offered (RFC 8945 section 6), and what `node:crypto` calls their hash. */
const HASHES = { "hmac-sha256": "sha256", "hmac-sha384": "sha384", "hmac-sha512": "sha512" } as const;
type TsigAlgorithm = keyof typeof HASHES;

/** A shared secret with a name; never printed. */
export interface TsigKey {
  readonly name: DomainName;
  readonly algorithm: TsigAlgorithm;
  readonly secret: Buffer;
}

/** Error codes of a TSIG record (RFC 8945 section 3). */
export const TSIG_ERROR = { NONE: 0, BADSIG: 16, BADKEY: 17, BADTIME: 18 } as const;

/** Why a signature does not verify: the other side says so (`bad-…`), or it does not fit what was signed (`forged`). `serverTime` (seconds since 1970) comes with BADTIME. */
export interface TsigFailure {
  readonly code: "unsigned" | "other-key" | "bad-key" | "bad-signature" | "forged" | "bad-time" | "out-of-time" | "malformed";
  readonly serverTime?: number;
}

/** Seconds by which the two clocks may differ. */
const TSIG_FUDGE = 300;

interface TsigRecord {
  readonly keyName: DomainName;
  readonly algorithm: DomainName;
  readonly time: number;
  readonly fudge: number;
  readonly mac: Buffer;
  readonly originalId: number;
  readonly error: number;
  readonly other: Buffer;
  /** Offset of the record, where the signed part of the message ends. */
  readonly at: number;
}

function u48(to: WireWriter, value: number): void {
  to.u16(Math.floor(value / 2 ** 32));
  to.u32(value % 2 ** 32);
}

/** The TSIG variables that are signed along with the message (RFC 8945 section 4.3.3). */
function variables(of: Pick<TsigRecord, "keyName" | "algorithm" | "time" | "fudge" | "error" | "other">): Buffer {
  const to = new WireWriter();
  to.name(of.keyName, false);
  to.u16(CLASS.ANY);
  to.u32(0);
  to.name(of.algorithm, false);
  u48(to, of.time);
  to.u16(of.fudge);
  to.u16(of.error);
  to.u16(of.other.length);
  to.octets(of.other);
  return to.done();
}

const algorithmName = (key: TsigKey) => `${key.algorithm}.` as DomainName;

/** What later messages of an answer are signed with in the place of the variables (RFC 8945 section 5.3.1). */
function timers({ time, fudge }: Pick<TsigRecord, "time" | "fudge">): Buffer {
  const to = new WireWriter();
  u48(to, time);
  to.u16(fudge);
  return to.done();
}

/** The MAC of messages that were sent one after the other, the last of them with the record. */
function macOf(key: TsigKey, requestMac: Buffer | undefined, messages: readonly Buffer[], tail: Buffer): Buffer {
  const hmac = createHmac(HASHES[key.algorithm], key.secret);
  if (requestMac !== undefined) {
    const length = Buffer.alloc(2);
    length.writeUInt16BE(requestMac.length);
    hmac.update(length).update(requestMac);
  }
  for (const message of messages) hmac.update(message);
  return hmac.update(tail).digest();
}

/**
 * Appends a TSIG record to an encoded message (RFC 8945 section 5.1).
 *
 * @param now seconds since 1970
 * @param requestMac the MAC of the request, when this is its response
 */
export function signMessage(
  message: Buffer,
  key: TsigKey,
  now: number,
  { requestMac, error = TSIG_ERROR.NONE, other = Buffer.alloc(0) }: { requestMac?: Buffer; error?: number; other?: Buffer } = {},
): { readonly message: Buffer; readonly mac: Buffer } {
  const record = { keyName: key.name, algorithm: algorithmName(key), time: now, fudge: TSIG_FUDGE, error, other };
  const mac =
    error === TSIG_ERROR.BADSIG || error === TSIG_ERROR.BADKEY
      ? Buffer.alloc(0)
      : macOf(key, requestMac, [message], variables(record));
  const to = new WireWriter();
  to.octets(message);
  to.name(key.name, false);
  to.u16(codeOfType("TSIG"));
  to.u16(CLASS.ANY);
  to.u32(0);
  to.counted(() => {
    to.name(record.algorithm, false);
    u48(to, now);
    to.u16(TSIG_FUDGE);
    to.u16(mac.length);
    to.octets(mac);
    to.u16(message.readUInt16BE(0));
    to.u16(error);
    to.u16(other.length);
    to.octets(other);
  });
  const signed = Buffer.from(to.done());
  signed.writeUInt16BE(signed.readUInt16BE(10) + 1, 10);
  return { message: signed, mac };
}

/** Finds the TSIG record, which has to be the last of the additional section (RFC 8945 section 5.1). */
function findTsig(message: Buffer): TsigRecord | undefined {
  const from = new WireReader(message, 4);
  const [questions, ...sections] = [from.u16(), from.u16(), from.u16(), from.u16()] as const;
  for (let i = 0; i < questions; i++) {
    from.name();
    from.at += 4;
  }
  const records = sections.reduce((sum, count) => sum + count, 0);
  for (let i = 0; i < records; i++) {
    const at = from.at;
    const keyName = from.name();
    const type = from.u16();
    const klass = from.u16();
    const ttl = from.u32();
    const length = from.u16();
    if (type === codeOfType("TSIG") && i === records - 1) {
      if (klass !== CLASS.ANY || ttl !== 0) throw new MalformedWire(clause("wire-broken", { what: "tsig-class" }));
      const end = from.at + length;
      const algorithm = from.name();
      const time = from.u16() * 2 ** 32 + from.u32();
      const fudge = from.u16();
      const mac = Buffer.from(from.octets(from.u16()));
      const originalId = from.u16();
      const error = from.u16();
      const other = Buffer.from(from.octets(from.u16()));
      if (from.at !== end || from.left !== 0) throw new MalformedWire(clause("wire-broken", { what: "tsig-length" }));
      return { keyName, algorithm, time, fudge, mac, originalId, error, other, at };
    }
    from.octets(length);
  }
  return undefined;
}

/**
 * Checks the TSIG record of a message (RFC 8945 sections 5.2 and 5.3) and gives back its MAC. In a response
 * the server's own complaint (BADKEY, BADSIG, BADTIME) is told apart from a signature that does not verify, and from one
 * that was made with another key.
 */
export const verifyMessage = (message: Buffer, key: TsigKey, now: number, requestMac?: Buffer): Result<Buffer, TsigFailure> =>
  verifyWith(message, key, now, requestMac, [], variables);

function verifyWith(
  message: Buffer,
  key: TsigKey,
  now: number,
  requestMac: Buffer | undefined,
  before: readonly Buffer[],
  tail: (record: TsigRecord) => Buffer,
): Result<Buffer, TsigFailure> {
  let record: TsigRecord | undefined;
  try {
    record = findTsig(message);
  } catch (error) {
    if (!(error instanceof MalformedWire)) throw error;
    return err({ code: "malformed" });
  }
  if (record === undefined) return err({ code: "unsigned" });
  if (record.error === TSIG_ERROR.BADKEY) return err({ code: "bad-key" });
  if (record.error === TSIG_ERROR.BADSIG) return err({ code: "bad-signature" });
  if (record.keyName !== key.name || record.algorithm !== algorithmName(key)) return err({ code: "other-key" });
  const unsigned = Buffer.from(message.subarray(0, record.at));
  unsigned.writeUInt16BE(unsigned.readUInt16BE(10) - 1, 10);
  unsigned.writeUInt16BE(record.originalId, 0);
  const mac = macOf(key, requestMac, [...before, unsigned], tail(record));
  if (mac.length !== record.mac.length || !timingSafeEqual(mac, record.mac)) return err({ code: "forged" });
  if (record.error === TSIG_ERROR.BADTIME) {
    const serverTime = record.other.length === 6 ? record.other.readUIntBE(0, 6) : undefined;
    return err({ code: "bad-time", ...(serverTime === undefined ? {} : { serverTime }) });
  }
  // An answer is bound to its request, which nobody else could have asked: what is verified so is believed, whatever its clock says.
  if (requestMac === undefined && Math.abs(now - record.time) > record.fudge)
    return err({ code: "out-of-time", serverTime: record.time });
  return ok(record.mac);
}

/** How many messages of one answer may come without a signature of their own (RFC 8945 section 5.3.1). */
const MAX_UNSIGNED = 99;

/** The signatures of an answer of several messages: each covers those before it that had none, and the last one has to be signed. */
export class TsigStream {
  readonly #key: TsigKey;
  readonly #now: number;
  #mac: Buffer;
  #first = true;
  #unsigned: Buffer[] = [];

  /** @param now seconds since 1970; `requestMac` is the MAC of the question */
  constructor(key: TsigKey, now: number, requestMac: Buffer) {
    this.#key = key;
    this.#now = now;
    this.#mac = requestMac;
  }

  /** Takes the next message; gives back why it is not to be believed, or undefined. */
  take(message: Buffer): TsigFailure["code"] | undefined {
    const tail = this.#first ? variables : timers;
    const verified = verifyWith(message, this.#key, this.#now, this.#mac, this.#unsigned, tail);
    if (verified.ok) {
      this.#mac = verified.value;
      this.#first = false;
      this.#unsigned = [];
      return undefined;
    }
    if (verified.error.code !== "unsigned" || this.#first || this.#unsigned.length >= MAX_UNSIGNED) return verified.error.code;
    this.#unsigned.push(Buffer.from(message));
    return undefined;
  }

  /** Whether everything that was taken is covered by a signature. */
  get isComplete(): boolean {
    return !this.#first && this.#unsigned.length === 0;
  }
}
