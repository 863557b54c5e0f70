import type { DomainName } from "../name/index.ts";
import { err, ok, type Result } from "../result.ts";
import type { DataOf, KnownType, RecordData, RecordType } from "./data.ts";
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
  strings,
  type Token,
  TokenCursor,
  u8,
  u16,
  u32,
  word,
} from "./fields.ts";
import { MalformedWire, WireReader, type WireWriter } from "./wire.ts";

type Fields<D> = { readonly [K in keyof D]: Field<D[K]> };

/** A record type: its number (IANA registry of RR types) and its fields in the order of the wire. */
interface TypeDescription<D> {
  readonly code: number;
  readonly fields: Fields<D>;
}

/** Every record type with a shape of its own. Text, wire and JSON are all derived from this one table. */
const KNOWN: { readonly [T in KnownType]: TypeDescription<DataOf[T]> } = {
  A: { code: 1, fields: { address: ipv4 } },
  NS: { code: 2, fields: { target: domain } },
  CNAME: { code: 5, fields: { target: domain } },
  SOA: {
    code: 6,
    fields: {
      primary: domain,
      contact: domain,
      serial: u32,
      refresh: seconds,
      retry: seconds,
      expire: seconds,
      minimum: seconds,
    },
  },
  PTR: { code: 12, fields: { target: domain } },
  MX: { code: 15, fields: { preference: u16, exchange: domain } },
  TXT: { code: 16, fields: { strings } },
  AAAA: { code: 28, fields: { address: ipv6 } },
  SRV: { code: 33, fields: { priority: u16, weight: u16, port: u16, target: plainDomain } },
  DNAME: { code: 39, fields: { target: plainDomain } },
  DS: { code: 43, fields: { keyTag: u16, algorithm: u8, digestType: u8, digest: restHex } },
  TLSA: { code: 52, fields: { usage: u8, selector: u8, matching: u8, certificate: restHex } },
  SPF: { code: 99, fields: { strings } },
  CAA: { code: 257, fields: { flags: u8, tag: word, value: restText } },
};

/** Types that are known by name only; their data is kept as octets. */
const NAMED: Readonly<Record<string, number>> = {
  HINFO: 13,
  RP: 17,
  LOC: 29,
  NAPTR: 35,
  CERT: 37,
  OPT: 41,
  SSHFP: 44,
  RRSIG: 46,
  NSEC: 47,
  DNSKEY: 48,
  NSEC3: 50,
  NSEC3PARAM: 51,
  SMIMEA: 53,
  CDS: 59,
  CDNSKEY: 60,
  OPENPGPKEY: 61,
  CSYNC: 62,
  ZONEMD: 63,
  SVCB: 64,
  HTTPS: 65,
  SPF: 99,
  TSIG: 250,
  IXFR: 251,
  AXFR: 252,
  ANY: 255,
  URI: 256,
};

const CODES = new Map<string, number>([
  ...Object.entries(KNOWN).map(([type, { code }]) => [type, code] as const),
  ...Object.entries(NAMED),
]);
const MNEMONICS = new Map([...CODES].map(([type, code]) => [code, type]));

/** The mnemonic of a type in upper case, from `txt`, `TXT` or `TYPE16`; undefined where nobody knows it. */
export function parseType(text: string): RecordType | undefined {
  const upper = text.toUpperCase();
  if (CODES.has(upper)) return upper;
  const code = /^TYPE(\d{1,5})$/.exec(upper)?.[1];
  return code !== undefined && Number(code) <= 0xffff ? typeOfCode(Number(code)) : undefined;
}

export const typeOfCode = (code: number): RecordType => MNEMONICS.get(code) ?? `TYPE${code}`;

export const codeOfType = (type: RecordType): number => CODES.get(type) ?? Number(type.slice(4));

const isKnownType = (type: RecordType): type is KnownType => Object.hasOwn(KNOWN, type);

/** The fields of a type in their order; a type without a shape has one, its octets. */
function fieldsOf(type: RecordType): readonly (readonly [string, Field<unknown>])[] {
  return isKnownType(type) ? (ENTRIES.get(type) as never) : [["rdata", generic as Field<unknown>]];
}
const ENTRIES = new Map(Object.entries(KNOWN).map(([type, { fields }]) => [type, Object.entries(fields)]));

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
      expected: `data in the form \\# LENGTH HEX, because ${type} has no other here`,
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
      return err({ at: tokens[0]?.at ?? endAt, text: hex.value, expected: `octets of a ${type} record (${error.message})` });
    }
  }
  const data: Record<string, unknown> = {};
  for (const [key, field] of fieldsOf(type)) {
    const value = field.read(cursor);
    if (!value.ok) return value;
    data[key] = value.value;
  }
  if (!cursor.done) {
    const extra = cursor.next("");
    if (extra.ok) return err({ at: extra.value.at, text: extra.value.text, expected: `the end of the ${type} record` });
  }
  return ok(data as unknown as RecordData);
}

/** Record data as zone files write it, names absolute. */
export function printData(type: RecordType, data: RecordData): string {
  return fieldsOf(type)
    .map(([key, field]) => field.print((data as unknown as Record<string, unknown>)[key]))
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
