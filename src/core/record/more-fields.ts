import { type Clause, clause } from "../clause/index.ts";
import { err, ok, type Result } from "../result.ts";
import type { Location } from "./data.ts";
import { type DataError, type Field, type Token, u8, u16, wrong } from "./fields.ts";
import { MalformedWire } from "./wire.ts";

/** A number that zone files may also write as a word. */
const named = (number: Field<number>, words: Readonly<Record<string, number>>): Field<number> => ({
  ...number,
  read(from) {
    const before = from.peek();
    const value = before === undefined ? undefined : words[before.text.toUpperCase()];
    if (value === undefined) return number.read(from);
    from.next(clause("expected-word"));
    return ok(value);
  },
});

/** The algorithm of a key or signature: its number or its mnemonic (RFC 4034 appendix A.1, RFC 5155 section 2, RFC 8080). */
export const algorithm = named(u8, {
  RSAMD5: 1,
  DH: 2,
  DSA: 3,
  RSASHA1: 5,
  "DSA-NSEC3-SHA1": 6,
  "RSASHA1-NSEC3-SHA1": 7,
  RSASHA256: 8,
  RSASHA512: 10,
  "ECC-GOST": 12,
  ECDSAP256SHA256: 13,
  ECDSAP384SHA384: 14,
  ED25519: 15,
  ED448: 16,
  INDIRECT: 252,
  PRIVATEDNS: 253,
  PRIVATEOID: 254,
});

/** The kind of a certificate: its number or its mnemonic (RFC 4398 section 2.1). */
export const certificateType = named(u16, {
  PKIX: 1,
  SPKI: 2,
  PGP: 3,
  IPKIX: 4,
  ISPKI: 5,
  IPGP: 6,
  ACPKIX: 7,
  IACPKIX: 8,
  URI: 253,
  OID: 254,
});

/** Thousandths of a second of arc from the equator or the prime meridian to the edge of what there is. */
const EQUATOR = 2 ** 31;
/** Centimetres below the reference spheroid at which altitudes begin (RFC 1876 section 2). */
const BASE = 10_000_000;

/** Metres as zone files write them, in centimetres; undefined where the text is none. */
function centimetres(text: string): number | undefined {
  const match = /^(-?)(\d{1,8})(?:\.(\d{1,2}))?m?$/i.exec(text);
  return match === null
    ? undefined
    : (match[1] === "-" ? -1 : 1) * (Number(match[2]) * 100 + Number((match[3] ?? "").padEnd(2, "0")));
}

/** A size on the wire: a digit and the power of ten that it is multiplied by, in centimetres. */
function sizeOctet(size: number): number {
  let power = 0;
  let digit = size;
  while (digit >= 10) {
    digit = Math.floor(digit / 10);
    power += 1;
  }
  return (digit << 4) | power;
}

/** Degrees, minutes, seconds and the half of the earth; thousandths of a second, negative in the south and west. */
function readAngle(words: Token[], halves: readonly [string, string], degrees: number): number | Token | undefined {
  const parts: number[] = [];
  for (;;) {
    const word = words.shift();
    if (word === undefined) return undefined;
    const half = halves.indexOf(word.text.toUpperCase());
    if (half !== -1) {
      const [d = Number.NaN, m = 0, s = 0] = parts;
      const angle = Math.round((d * 3600 + m * 60 + s) * 1000);
      return angle <= degrees * 3_600_000 ? (half === 0 ? angle : -angle) : word;
    }
    const most = parts.length === 0 ? degrees : 59;
    const fits = (parts.length < 2 ? /^\d{1,3}$/ : /^\d{1,2}(\.\d{1,3})?$/).test(word.text) && Number(word.text) < most + 1;
    if (!fits || parts.length > 2) return word;
    parts.push(Number(word.text));
  }
}

const angleText = (angle: number, halves: readonly [string, string]): string => {
  const all = Math.abs(angle);
  return `${Math.floor(all / 3_600_000)} ${Math.floor(all / 60_000) % 60} ${((all % 60_000) / 1000).toFixed(3)} ${halves[angle < 0 ? 1 : 0]}`;
};
const metres = (all: number): string => `${(all / 100).toFixed(2)}m`;

const LATITUDE = ["N", "S"] as const;
const LONGITUDE = ["E", "W"] as const;

/** A place on the earth (RFC 1876 sections 2 and 3). */
export const location: Field<Location> = {
  read(from): Result<Location, DataError> {
    const expected: Clause = clause("expected-location");
    const words = [...from.all()];
    const [first] = words;
    const end = (word: Token | undefined) =>
      word === undefined ? err({ at: first?.at ?? 0, text: first?.text ?? "", expected }) : wrong(word, expected);
    const latitude = readAngle(words, LATITUDE, 90);
    if (typeof latitude !== "number") return end(latitude);
    const longitude = readAngle(words, LONGITUDE, 180);
    if (typeof longitude !== "number") return end(longitude);
    const [altitude, size = 100, horizontal = 1_000_000, vertical = 1000, ...more] = words.map(({ text }) => centimetres(text));
    if (altitude === undefined || altitude < -BASE || altitude > 2 ** 32 - 1 - BASE) return end(words[0]);
    for (const [i, value] of [size, horizontal, vertical].entries())
      if (
        !(value >= 0 && value <= 9e9) ||
        (words[i + 1] !== undefined && centimetres((words[i + 1] as Token).text) === undefined)
      )
        return end(words[i + 1]);
    if (more.length > 0) return end(words[4]);
    return ok({ latitude, longitude, altitude, size, horizontal, vertical });
  },
  print: ({ latitude, longitude, altitude, size, horizontal, vertical }) =>
    [angleText(latitude, LATITUDE), angleText(longitude, LONGITUDE), ...[altitude, size, horizontal, vertical].map(metres)].join(
      " ",
    ),
  encode({ latitude, longitude, altitude, size, horizontal, vertical }, to) {
    to.u8(0);
    for (const value of [size, horizontal, vertical]) to.u8(sizeOctet(value));
    to.u32(EQUATOR + latitude);
    to.u32(EQUATOR + longitude);
    to.u32(BASE + altitude);
  },
  decode(from) {
    if (from.u8() !== 0) throw new MalformedWire(clause("wire-broken", { what: "location-version" }));
    const sizeIn = () => {
      const octet = from.u8();
      if (octet >> 4 > 9 || (octet & 15) > 9) throw new MalformedWire(clause("wire-broken", { what: "location-size" }));
      return (octet >> 4) * 10 ** (octet & 15);
    };
    const [size, horizontal, vertical] = [sizeIn(), sizeIn(), sizeIn()];
    return {
      ...{ latitude: from.u32() - EQUATOR, longitude: from.u32() - EQUATOR, altitude: from.u32() - BASE },
      ...{ size, horizontal, vertical },
    };
  },
};
