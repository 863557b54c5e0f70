import type { RecordType } from "./data.ts";

/** The numbers of record types (IANA registry of RR types). */
const NUMBERS: Readonly<Record<string, number>> = {
  A: 1,
  NS: 2,
  CNAME: 5,
  SOA: 6,
  PTR: 12,
  MX: 15,
  TXT: 16,
  AAAA: 28,
  SRV: 33,
  DNAME: 39,
  DS: 43,
  RRSIG: 46,
  NSEC: 47,
  DNSKEY: 48,
  NSEC3: 50,
  NSEC3PARAM: 51,
  CDS: 59,
  CDNSKEY: 60,
  TLSA: 52,
  CAA: 257,
  HINFO: 13,
  RP: 17,
  LOC: 29,
  NAPTR: 35,
  CERT: 37,
  OPT: 41,
  SSHFP: 44,
  SMIMEA: 53,
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

const CODES = new Map<string, number>(Object.entries(NUMBERS));
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
