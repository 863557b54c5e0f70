import { clause } from "../clause/index.ts";
import type { DomainName } from "../name/index.ts";
import { err, ok, type Result } from "../result.ts";
import type { DataOf, KnownType, RecordData, RecordType } from "./data.ts";
import { hashedName, moment, restBase64, saltHex, spelledDomain, typeBits, typeName } from "./dnssec-fields.ts";
import {
  type DataError,
  domain,
  expectEnd,
  type Field,
  generic,
  ipv4,
  ipv6,
  plainDomain,
  restHex,
  restText,
  seconds,
  string,
  strings,
  type Token,
  TokenCursor,
  u8,
  u16,
  u32,
  word,
} from "./fields.ts";
import { algorithm, certificateType, location } from "./more-fields.ts";
import { serviceParameters } from "./service-fields.ts";
import { MalformedWire, WireReader, type WireWriter } from "./wire.ts";

type Fields<D> = { readonly [K in keyof D]: Field<D[K]> };

/** The fields of every record type with a shape of its own, in the order of the wire. Text, wire and JSON are all derived from this one table. */
const KNOWN: { readonly [T in KnownType]: Fields<DataOf[T]> } = {
  A: { address: ipv4 },
  NS: { target: domain },
  CNAME: { target: domain },
  SOA: {
    primary: domain,
    contact: domain,
    serial: u32,
    refresh: seconds,
    retry: seconds,
    expire: seconds,
    minimum: seconds,
  },
  PTR: { target: domain },
  MX: { preference: u16, exchange: domain },
  TXT: { strings },
  AAAA: { address: ipv6 },
  SRV: { priority: u16, weight: u16, port: u16, target: plainDomain },
  DNAME: { target: plainDomain },
  DS: { keyTag: u16, algorithm, digestType: u8, digest: restHex },
  RRSIG: {
    covered: typeName,
    algorithm,
    labels: u8,
    originalTtl: seconds,
    expiration: moment,
    inception: moment,
    keyTag: u16,
    signer: plainDomain,
    signature: restBase64,
  },
  NSEC: { next: spelledDomain, types: typeBits },
  DNSKEY: { flags: u16, protocol: u8, algorithm, key: restBase64 },
  NSEC3: { hash: u8, flags: u8, iterations: u16, salt: saltHex, next: hashedName, types: typeBits },
  NSEC3PARAM: { hash: u8, flags: u8, iterations: u16, salt: saltHex },
  CDS: { keyTag: u16, algorithm, digestType: u8, digest: restHex },
  CDNSKEY: { flags: u16, protocol: u8, algorithm, key: restBase64 },
  TLSA: { usage: u8, selector: u8, matching: u8, certificate: restHex },
  SPF: { strings },
  CAA: { flags: u8, tag: word, value: restText },
  SVCB: { priority: u16, host: spelledDomain, parameters: serviceParameters },
  HTTPS: { priority: u16, host: spelledDomain, parameters: serviceParameters },
  SSHFP: { algorithm: u8, fingerprintType: u8, fingerprint: restHex },
  NAPTR: { order: u16, preference: u16, flags: string, services: string, regexp: string, replacement: plainDomain },
  LOC: { location },
  HINFO: { cpu: string, system: string },
  RP: { mailbox: plainDomain, texts: plainDomain },
  CERT: { kind: certificateType, keyTag: u16, algorithm, certificate: restBase64 },
  SMIMEA: { usage: u8, selector: u8, matching: u8, certificate: restHex },
  OPENPGPKEY: { key: restBase64 },
  CSYNC: { serial: u32, flags: u16, types: typeBits },
  ZONEMD: { serial: u32, scheme: u8, hash: u8, digest: restHex },
  URI: { priority: u16, weight: u16, uri: restText },
};

const isKnownType = (type: RecordType): type is KnownType => Object.hasOwn(KNOWN, type);

/** The fields of a type in their order; a type without a shape has one, its octets. */
function fieldsOf(type: RecordType): readonly (readonly [string, Field<unknown>])[] {
  return isKnownType(type) ? (ENTRIES.get(type) as never) : [["rdata", generic as Field<unknown>]];
}
const ENTRIES = new Map(Object.entries(KNOWN).map(([type, fields]) => [type, Object.entries(fields)]));

/**
 * Reads record data from the words of a zone file. Every type may also be written in the generic form
 * of RFC 3597 section 5.
 */
export function readData(
  type: RecordType,
  tokens: readonly Token[],
  origin: DomainName,
  endAt: number,
): Result<RecordData, DataError> {
  const isGeneric = tokens[0]?.text === "\\#" && !tokens[0].quoted;
  if (!isGeneric && !isKnownType(type))
    return err({
      at: tokens[0]?.at ?? endAt,
      text: tokens[0]?.text ?? "",
      expected: clause("expected-generic-form", { type }),
    });
  const cursor = new TokenCursor(isGeneric ? tokens.slice(1) : tokens, origin, endAt);
  if (isGeneric) {
    const hex = generic.read(cursor);
    if (!hex.ok) return hex;
    try {
      const octets = Buffer.from(hex.value, "hex");
      return ok(decodeData(type, new WireReader(octets)));
    } catch (error) {
      if (!(error instanceof MalformedWire)) throw error;
      return err({
        at: tokens[0]?.at ?? endAt,
        text: hex.value,
        expected: clause("expected-octets-of", { type, detail: error.said }),
      });
    }
  }
  const data: Record<string, unknown> = {};
  for (const [key, field] of fieldsOf(type)) {
    const value = field.read(cursor);
    if (!value.ok) return value;
    data[key] = value.value;
  }
  if (!cursor.done) {
    const extra = cursor.next(clause("expected-end-of", { type }));
    if (extra.ok) return err({ at: extra.value.at, text: extra.value.text, expected: clause("expected-end-of", { type }) });
  }
  return ok(data as unknown as RecordData);
}

/** Record data as zone files write it, names absolute. */
export function printData(type: RecordType, data: RecordData): string {
  return fieldsOf(type)
    .map(([key, field]) => field.print((data as unknown as Record<string, unknown>)[key]))
    .filter((text) => text !== "")
    .join(" ");
}

/** Writes record data in wire form; names are compressed only where RFC 3597 section 4 allows it and `compress` is set. */
export function encodeData(type: RecordType, data: RecordData, to: WireWriter, compress = false): void {
  for (const [key, field] of fieldsOf(type)) field.encode((data as unknown as Record<string, unknown>)[key], to, compress);
}

/** Reads record data that fills the reader to its end; throws {@link MalformedWire}. */
export function decodeData(type: RecordType, from: WireReader): RecordData {
  const data: Record<string, unknown> = {};
  for (const [key, field] of fieldsOf(type)) data[key] = field.decode(from);
  expectEnd(from);
  return data as unknown as RecordData;
}
