import ipaddr from "ipaddr.js";
import { type Clause, clause } from "../clause/index.ts";
import { type DomainName, parseName } from "../name/index.ts";
import { err, ok, type Result } from "../result.ts";
import { decodeUtf8, MAX_STRING_OCTETS, quoted, splitCharacterStrings, unescaped } from "./octets.ts";
import { MalformedWire, type WireReader, type WireWriter } from "./wire.ts";

/** A word of a zone file: its text with escapes still in it, and where it begins. */
export interface Token {
  readonly text: string;
  readonly quoted: boolean;
  /** Offset of its first character (of the opening quote, if there is one). */
  readonly at: number;
}

/** Why record data cannot be read; `at` is an offset into the text, `expected` is a clause that completes “expected …”. */
export interface DataError {
  readonly at: number;
  readonly text: string;
  readonly expected: Clause;
}

/** Hands out the words of one record's data, one after the other. */
export class TokenCursor {
  readonly #tokens: readonly Token[];
  readonly #endAt: number;
  readonly origin: DomainName;
  #next = 0;

  constructor(tokens: readonly Token[], origin: DomainName, endAt: number) {
    this.#tokens = tokens;
    this.origin = origin;
    this.#endAt = endAt;
  }

  get done(): boolean {
    return this.#next >= this.#tokens.length;
  }

  next(expected: Clause): Result<Token, DataError> {
    const token = this.#tokens[this.#next];
    if (token === undefined) return err({ at: this.#endAt, text: "", expected });
    this.#next += 1;
    return ok(token);
  }

  /** The word that comes next, which stays. */
  peek(): Token | undefined {
    return this.#tokens[this.#next];
  }

  /** The words that are left. */
  all(): readonly Token[] {
    const left = this.#tokens.slice(this.#next);
    this.#next = this.#tokens.length;
    return left;
  }

  /** Everything that is left, joined without white space. */
  rest(): Token {
    const left = this.#tokens.slice(this.#next);
    this.#next = this.#tokens.length;
    return { text: left.map((token) => token.text).join(""), quoted: false, at: left[0]?.at ?? this.#endAt };
  }
}

/** One kind of field inside record data: how it stands in text and on the wire. */
export interface Field<T> {
  read(from: TokenCursor): Result<T, DataError>;
  print(value: T): string;
  encode(value: T, to: WireWriter, compress: boolean): void;
  decode(from: WireReader): T;
}

export const wrong = (token: Token, expected: Clause) => err({ at: token.at, text: token.text, expected });

function number(bits: 8 | 16 | 32): Field<number> {
  const most = 2 ** bits - 1;
  const expected = clause("expected-number", { most });
  return {
    read(from) {
      const token = from.next(expected);
      if (!token.ok) return token;
      const { text } = token.value;
      const value = /^\d{1,10}$/.test(text) ? Number(text) : Number.NaN;
      return value <= most ? ok(value) : wrong(token.value, expected);
    },
    print: String,
    encode: (value, to) => (bits === 8 ? to.u8(value) : bits === 16 ? to.u16(value) : to.u32(value)),
    decode: (from) => (bits === 8 ? from.u8() : bits === 16 ? from.u16() : from.u32()),
  };
}

export const u8 = number(8);
export const u16 = number(16);
export const u32 = number(32);

const UNITS: Readonly<Record<string, number>> = { s: 1, m: 60, h: 3600, d: 86_400, w: 604_800 };

/** Seconds from `3600` or, as the common servers read them, `1h30m`; undefined where it is neither. At most 2^31-1 (RFC 2181 section 8). */
export function parseSeconds(text: string): number | undefined {
  if (!/^(?:\d{1,10}|(?:\d{1,10}[smhdw])+)$/i.test(text)) return undefined;
  let seconds = 0;
  for (const part of text.matchAll(/(\d+)([smhdw]?)/gi))
    seconds += Number(part[1]) * (UNITS[(part[2] as string).toLowerCase()] ?? 1);
  return seconds <= 0x7fffffff ? seconds : undefined;
}

/** A time in seconds. */
export const seconds: Field<number> = {
  ...u32,
  read(from) {
    const expected = clause("expected-time");
    const token = from.next(expected);
    if (!token.ok) return token;
    const value = parseSeconds(token.value.text);
    return value === undefined ? wrong(token.value, expected) : ok(value);
  },
};

/** A domain name that may be compressed on the wire (RFC 3597 section 4: only in the types of RFC 1035). */
export const domain: Field<DomainName> = {
  read(from) {
    const token = from.next(clause("expected-name"));
    if (!token.ok) return token;
    const parsed = parseName(decodeUtf8(token.value.text), from.origin);
    return parsed.ok
      ? parsed
      : err({
          at: token.value.at,
          text: token.value.text,
          expected: clause("expected-other-name", { because: parsed.error.message }),
        });
  },
  print: (value) => value,
  encode: (value, to, compress) => to.name(value, compress),
  decode: (from) => from.name(),
};

/** A domain name that is never compressed. */
export const plainDomain: Field<DomainName> = { ...domain, encode: (value, to) => to.name(value, false) };

/** The dotted decimal of an IPv4 address, or undefined. Leading zeros are refused: they are octal to some readers. */
export function parseIpv4(text: string): string | undefined {
  return ipaddr.IPv4.isValidFourPartDecimal(text) && !/(^|\.)0\d/.test(text) ? text : undefined;
}

/** An IPv6 address in the spelling of RFC 5952, or undefined. Zone identifiers are refused. */
export function parseIpv6(text: string): string | undefined {
  if (text.includes("%") || !ipaddr.IPv6.isValid(text)) return undefined;
  return ipaddr.IPv6.parse(text).toRFC5952String();
}

function address(parse: (text: string) => string | undefined, expected: Clause, octets: 4 | 16): Field<string> {
  return {
    read(from) {
      const token = from.next(expected);
      if (!token.ok) return token;
      const value = parse(token.value.text);
      return value === undefined ? wrong(token.value, expected) : ok(value);
    },
    print: (value) => value,
    encode: (value, to) => to.octets(Uint8Array.from(ipaddr.parse(value).toByteArray())),
    decode(from) {
      const bytes = [...from.octets(octets)];
      return octets === 4 ? bytes.join(".") : new ipaddr.IPv6(bytes).toRFC5952String();
    },
  };
}

export const ipv4 = address(parseIpv4, clause("expected-ipv4"), 4);
export const ipv6 = address(parseIpv6, clause("expected-ipv6"), 16);

function readString(token: Token): Result<string, DataError> {
  const octets = unescaped(token.text);
  return octets === undefined ? wrong(token, clause("expected-escape")) : ok(octets);
}

/** One character-string of at most 255 octets. */
export const string: Field<string> = {
  read(from) {
    const token = from.next(clause("expected-text"));
    if (!token.ok) return token;
    const octets = readString(token.value);
    if (octets.ok && octets.value.length > MAX_STRING_OCTETS)
      return wrong(token.value, clause("expected-shorter-text", { most: MAX_STRING_OCTETS, octets: octets.value.length }));
    return octets;
  },
  print: quoted,
  encode: (value, to) => to.string(value),
  decode: (from) => from.string(),
};

/** An unquoted word that is its own length on the wire, as the tag of a CAA record. */
export const word: Field<string> = {
  ...string,
  read(from) {
    const token = from.next(clause("expected-word"));
    if (!token.ok) return token;
    return /^[a-z0-9]{1,255}$/i.test(token.value.text)
      ? ok(token.value.text.toLowerCase())
      : wrong(token.value, clause("expected-word"));
  },
  print: (value) => (/^[a-z0-9]+$/i.test(value) ? value : quoted(value)),
};

/**
 * One or more character-strings. A single string over 255 octets is cut into several, because every reader
 * joins them again; nothing is lost.
 */
export const strings: Field<readonly string[]> = {
  read(from) {
    const all: string[] = [];
    do {
      const token = from.next(clause("expected-quoted-text"));
      if (!token.ok) return token;
      const octets = readString(token.value);
      if (!octets.ok) return octets;
      all.push(...splitCharacterStrings(octets.value));
    } while (!from.done);
    return ok(all);
  },
  print: (value) => value.map(quoted).join(" "),
  encode(value, to) {
    for (const one of value) to.string(one);
  },
  decode(from) {
    const all = [from.string()];
    while (from.left > 0) all.push(from.string());
    return all;
  },
};

/** Text to the end of the data, without a length in front (RFC 8659 section 4.1). */
export const restText: Field<string> = {
  read(from) {
    const token = from.next(clause("expected-quoted-text"));
    return token.ok ? readString(token.value) : token;
  },
  print: quoted,
  encode: (value, to) => to.text(value),
  decode: (from) => from.text(from.left),
};

/** Octets to the end of the data, in hexadecimal. */
export const restHex: Field<string> = {
  read(from) {
    const token = from.rest();
    return /^(?:[0-9a-f]{2})*$/i.test(token.text) ? ok(token.text.toLowerCase()) : wrong(token, clause("expected-hexadecimal"));
  },
  print: (value) => value.toUpperCase(),
  encode: (value, to) => to.octets(Buffer.from(value, "hex")),
  decode: (from) => from.octets(from.left).toString("hex"),
};

/** Data as RFC 3597 section 5 writes it: `\#`, the number of octets, the octets in hexadecimal. */
export const generic: Field<string> = {
  ...restHex,
  read(from) {
    const count = u16.read(from);
    if (!count.ok) return count;
    const hex = from.rest();
    if (!/^[0-9a-f]*$/i.test(hex.text) || hex.text.length !== count.value * 2)
      return wrong(hex, clause("expected-hexadecimal-of", { octets: count.value }));
    return ok(hex.text.toLowerCase());
  },
  print: (value) => `\\# ${value.length / 2}${value === "" ? "" : ` ${value.toUpperCase()}`}`,
};

/** Refuses data that goes on after its last field. */
export function expectEnd(from: WireReader): void {
  if (from.left !== 0) throw new MalformedWire(clause("wire-too-many", { octets: from.left }));
}
