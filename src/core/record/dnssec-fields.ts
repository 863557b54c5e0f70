import { clause } from "../clause/index.ts";
import type { DomainName } from "../name/index.ts";
import { ok } from "../result.ts";
import type { SpelledName } from "./data.ts";
import { domain, type Field, restHex, u32, wrong } from "./fields.ts";
import { codeOfType, parseType, typeOfCode } from "./type-names.ts";
import { MalformedWire, WireWriter } from "./wire.ts";

/** Octets to the end of the data, in base64 (RFC 4648 section 4), which may be broken by white space. */
export const restBase64: Field<string> = {
  ...restHex,
  read(from) {
    const token = from.rest();
    return /^[A-Za-z0-9+/]*={0,2}$/.test(token.text) && token.text.length % 4 === 0
      ? ok(Buffer.from(token.text, "base64").toString("hex"))
      : wrong(token, clause("expected-base64"));
  },
  print: (value) => Buffer.from(value, "hex").toString("base64"),
};

/** The type that a signature covers, by its mnemonic. */
export const typeName: Field<string> = {
  read(from) {
    const token = from.next(clause("expected-type"));
    if (!token.ok) return token;
    const type = parseType(token.value.text);
    return type === undefined ? wrong(token.value, clause("expected-type")) : ok(type);
  },
  print: (value) => value,
  encode: (value, to) => to.u16(codeOfType(value)),
  decode: (from) => typeOfCode(from.u16()),
};

/** A moment of a signature: seconds since 1970 modulo 2^32; in text as YYYYMMDDHHmmSS in UTC (RFC 4034 section 3.2). */
export const moment: Field<number> = {
  ...u32,
  read(from) {
    const expected = clause("expected-moment");
    const token = from.next(expected);
    if (!token.ok) return token;
    const { text } = token.value;
    const parts = /^(\d{4})(\d\d)(\d\d)(\d\d)(\d\d)(\d\d)$/.exec(text);
    if (parts === null) {
      const number = /^\d{1,10}$/.test(text) ? Number(text) : Number.NaN;
      return number <= 0xffff_ffff ? ok(number) : wrong(token.value, expected);
    }
    const [, year, month, day, hour, minute, second] = parts;
    const at = Date.parse(`${year}-${month}-${day}T${hour}:${minute}:${second}Z`);
    return Number.isNaN(at) ? wrong(token.value, expected) : ok((at / 1000) % 2 ** 32);
  },
  print: (value) => new Date(value * 1000).toISOString().slice(0, 19).replace(/\D/g, ""),
};

/** A name that is signed as it is spelled. */
export const spelledDomain: Field<SpelledName> = {
  read(from) {
    const read = domain.read(from);
    return read.ok ? ok(spelled(read.value)) : read;
  },
  print: (value) => value.name,
  encode: (value, to) => to.octets(Buffer.from(value.octets, "hex")),
  decode(from) {
    const start = from.at;
    const name = from.name();
    const octets = from.message.subarray(start, from.at);
    const plain = spelled(name);
    // A name that came compressed, against the rule, is taken in lower case.
    return octets.length === plain.octets.length / 2 ? { name, octets: octets.toString("hex") } : plain;
  },
};

function spelled(name: DomainName): SpelledName {
  const to = new WireWriter();
  to.name(name, false);
  return { name, octets: to.done().toString("hex") };
}

/** The record types at a name, as bits in windows (RFC 4034 section 4.1.2). */
export const typeBits: Field<readonly string[]> = {
  read(from) {
    const types: string[] = [];
    while (!from.done) {
      const type = typeName.read(from);
      if (!type.ok) return type;
      types.push(type.value);
    }
    return ok(types);
  },
  print: (value) => value.join(" "),
  encode(value, to) {
    const windows = new Map<number, Buffer>();
    for (const code of value.map(codeOfType).sort((a, b) => a - b)) {
      const bits = windows.get(code >> 8) ?? Buffer.alloc(32);
      bits[(code & 0xff) >> 3] = (bits[(code & 0xff) >> 3] as number) | (0x80 >> (code & 7));
      windows.set(code >> 8, bits);
    }
    for (const [window, bits] of windows) {
      const length = bits.findLastIndex((octet) => octet !== 0) + 1;
      to.u8(window);
      to.u8(length);
      to.octets(bits.subarray(0, length));
    }
  },
  decode(from) {
    const types: string[] = [];
    let last = -1;
    while (from.left > 0) {
      const window = from.u8();
      const length = from.u8();
      if (window <= last || length < 1 || length > 32)
        throw new MalformedWire(clause("wire-broken", { what: "types-out-of-order" }));
      last = window;
      from.octets(length).forEach((octet, i) => {
        for (let bit = 0; bit < 8; bit++)
          if ((octet & (0x80 >> bit)) !== 0) types.push(typeOfCode((window << 8) | (i * 8 + bit)));
      });
    }
    return types;
  },
};

/** The salt of hashed names: a length and octets; in text `-` where there are none (RFC 5155 section 3.3). */
export const saltHex: Field<string> = {
  read(from) {
    const expected = clause("expected-salt");
    const token = from.next(expected);
    if (!token.ok) return token;
    const { text } = token.value;
    if (text === "-") return ok("");
    return /^(?:[0-9a-f]{2}){1,255}$/i.test(text) ? ok(text.toLowerCase()) : wrong(token.value, expected);
  },
  print: (value) => (value === "" ? "-" : value.toUpperCase()),
  encode(value, to) {
    to.u8(value.length / 2);
    to.octets(Buffer.from(value, "hex"));
  },
  decode: (from) => from.octets(from.u8()).toString("hex"),
};

const BASE32 = "0123456789abcdefghijklmnopqrstuv";

/** Base32 with the extended alphabet, in lower case and without padding (RFC 4648 section 7), from hexadecimal. */
export function toBase32(hex: string): string {
  const bits = [...Buffer.from(hex, "hex")].map((octet) => octet.toString(2).padStart(8, "0")).join("");
  return (bits.match(/.{1,5}/g) ?? []).map((five) => BASE32[Number.parseInt(five.padEnd(5, "0"), 2)]).join("");
}

/** The octets of such a text in hexadecimal, or undefined where it is none. */
export function fromBase32(text: string): string | undefined {
  if (!/^[0-9a-v]*$/i.test(text)) return undefined;
  const bits = [...text.toLowerCase()].map((digit) => BASE32.indexOf(digit).toString(2).padStart(5, "0")).join("");
  return (bits.match(/.{8}/g) ?? []).map((eight) => Number.parseInt(eight, 2).toString(16).padStart(2, "0")).join("");
}

/** The hash of the next owner: a length and octets; in text in base32 (RFC 5155 section 3.3). */
export const hashedName: Field<string> = {
  read(from) {
    const token = from.next(clause("expected-hash"));
    if (!token.ok) return token;
    const hex = fromBase32(token.value.text);
    return hex === undefined || hex === "" ? wrong(token.value, clause("expected-hash")) : ok(hex);
  },
  print: toBase32,
  encode: saltHex.encode,
  decode: saltHex.decode,
};
