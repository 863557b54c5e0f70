import { clause } from "../clause/index.ts";
import { ok, type Result } from "../result.ts";
import type { ServiceParameter } from "./data.ts";
import {
  type DataError,
  type Field,
  ipv4,
  ipv6,
  parseIpv4,
  parseIpv6,
  type Token,
  type TokenCursor,
  u16,
  wrong,
} from "./fields.ts";
import { quoted, unescaped } from "./octets.ts";
import { MalformedWire, WireReader, WireWriter } from "./wire.ts";

/** How the value of one service parameter stands in text and on the wire. `undefined` where the text is no such value. */
interface Value {
  readonly quoted?: boolean;
  encode(text: string, to: WireWriter): boolean;
  decode(from: WireReader): string;
}

/** The items of a list; a comma or backslash inside one is escaped, and nothing else (RFC 9460 appendix A.1). Undefined where one is empty. */
function itemsOf(text: string): string[] | undefined {
  if (!/^(?:[^\\,]|\\[\\,])+(?:,(?:[^\\,]|\\[\\,])+)*$/s.test(text)) return undefined;
  return (text.match(/(?:[^\\,]|\\.)+/gs) ?? []).map((item) => item.replace(/\\(.)/gs, "$1"));
}

const written = (item: string): string => item.replace(/[\\,]/g, "\\$&");

const list = <T>(
  read: (item: string) => T | undefined,
  encode: (items: readonly T[], to: WireWriter) => void,
  decode: (from: WireReader) => string,
  isQuoted = false,
): Value => ({
  quoted: isQuoted,
  encode(text, to) {
    const items = itemsOf(text)?.map(read);
    if (items === undefined || items.includes(undefined)) return false;
    encode(items as T[], to);
    return true;
  },
  decode(from) {
    const items = [];
    do items.push(decode(from));
    while (from.left > 0);
    return items.join(",");
  },
});

/** The keys of the registry for service bindings, with how their values are written (RFC 9460 section 14.3.2, RFC 9461, RFC 9540). */
const KEYS = ["mandatory", "alpn", "no-default-alpn", "port", "ipv4hint", "ech", "ipv6hint", "dohpath", "ohttp"] as const;
const KEY_NUMBERS = new Map<string, number>(KEYS.map((key, number) => [key, number]));

/** The number of a key by its name or as `keyNNN`; undefined where it is none. */
function numberOf(key: string): number | undefined {
  const digits = /^key(0|[1-9]\d{0,4})$/.exec(key)?.[1];
  const number = digits === undefined ? KEY_NUMBERS.get(key) : Number(digits);
  // 65535 is reserved as an invalid key (RFC 9460 section 14.3.2).
  return number !== undefined && number < 0xffff ? number : undefined;
}
const keyOf = (number: number): string => KEYS[number] ?? `key${number}`;

const octets: Value = {
  quoted: true,
  encode: (text, to) => {
    to.text(text);
    return true;
  },
  decode: (from) => from.text(from.left),
};
const nothing: Value = {
  encode: (text) => text === "",
  decode: () => "",
};

const VALUES: Readonly<Record<string, Value>> = {
  mandatory: list(
    numberOf,
    (numbers, to) => {
      for (const number of [...numbers].sort((a, b) => a - b)) to.u16(number);
    },
    (from) => keyOf(from.u16()),
  ),
  alpn: list(
    (item) => (item.length <= 255 ? item : undefined),
    (items, to) => {
      for (const item of items) to.string(item);
    },
    (from) => written(from.string()),
    true,
  ),
  "no-default-alpn": nothing,
  port: {
    encode(text, to) {
      const isPort = /^\d{1,5}$/.test(text) && Number(text) <= 0xffff;
      if (isPort) to.u16(Number(text));
      return isPort;
    },
    decode: (from) => String(from.u16()),
  },
  ipv4hint: list(
    parseIpv4,
    (all, to) => {
      for (const address of all) ipv4.encode(address, to, false);
    },
    (from) => ipv4.decode(from),
  ),
  ech: {
    quoted: true,
    encode(text, to) {
      const isBase64 = /^[A-Za-z0-9+/]+={0,2}$/.test(text) && text.length % 4 === 0;
      if (isBase64) to.octets(Buffer.from(text, "base64"));
      return isBase64;
    },
    decode: (from) => from.octets(from.left).toString("base64"),
  },
  ipv6hint: list(
    parseIpv6,
    (all, to) => {
      for (const address of all) ipv6.encode(address, to, false);
    },
    (from) => ipv6.decode(from),
  ),
  ohttp: nothing,
};

/** The octets of a value; undefined where the text is none for its key. */
function valueOctets(key: string, text: string): Buffer | undefined {
  const to = new WireWriter();
  return (VALUES[key] ?? octets).encode(text, to) ? to.done() : undefined;
}

/** A word of the form `key`, `key=value` or `key="value"`: what stands in quotes directly behind the sign belongs to it. */
function readParameter(
  word: Token,
  behind: Token | undefined,
): { readonly parameter: ServiceParameter; readonly took: number } | undefined {
  const [, key = "", sign, bare = ""] = /^([a-z0-9-]+)(?:(=)(.*))?$/s.exec(word.text) ?? [];
  const number = word.quoted ? undefined : numberOf(key);
  if (number === undefined) return undefined;
  const joined = sign !== undefined && bare === "" && behind?.quoted === true && behind.at === word.at + word.text.length;
  const raw = joined ? behind.text : bare;
  const text = unescaped(raw);
  const name = keyOf(number);
  const wire = text === undefined ? undefined : valueOctets(name, text);
  if (wire === undefined || (sign === undefined && wire.length > 0)) return undefined;
  // What is read and what comes from the wire are written the same.
  return { parameter: { key: name, value: decoded(name, wire) }, took: joined ? 2 : 1 };
}

function decoded(key: string, wire: Buffer): string {
  const from = new WireReader(wire);
  const value = (VALUES[key] ?? octets).decode(from);
  if (from.left > 0) throw new MalformedWire(clause("wire-too-many", { octets: from.left }));
  return value;
}

const numberIn = ({ key }: ServiceParameter): number => numberOf(key) as number;

/** Parameters that contradict themselves (RFC 9460 sections 7.1.1 and 8): the whole record means nothing then. */
function contradiction(parameters: readonly ServiceParameter[]): boolean {
  const keys = new Set(parameters.map(({ key }) => key));
  const mandatory = parameters.find(({ key }) => key === "mandatory")?.value.split(",") ?? [];
  return (
    keys.size < parameters.length ||
    (keys.has("no-default-alpn") && !keys.has("alpn")) ||
    new Set(mandatory).size < mandatory.length ||
    mandatory.some((key) => key === "mandatory" || !keys.has(key))
  );
}

/** The parameters of a service binding (RFC 9460 section 2.1), in the order of their numbers. */
export const serviceParameters: Field<readonly ServiceParameter[]> = {
  read(from: TokenCursor): Result<readonly ServiceParameter[], DataError> {
    const words = from.all();
    const parameters: ServiceParameter[] = [];
    for (let i = 0; i < words.length; ) {
      const word = words[i] as Token;
      const read = readParameter(word, words[i + 1]);
      if (read === undefined) return wrong(word, clause("expected-service-parameter"));
      parameters.push(read.parameter);
      i += read.took;
    }
    const [first] = words;
    if (first !== undefined && contradiction(parameters)) return wrong(first, clause("expected-fitting-parameters"));
    return ok(parameters.sort((a, b) => numberIn(a) - numberIn(b)));
  },
  print: (parameters) =>
    parameters
      .map(({ key, value }) => {
        if (value === "") return key;
        return `${key}=${VALUES[key] === undefined || VALUES[key].quoted === true ? quoted(value) : value}`;
      })
      .join(" "),
  encode(parameters, to) {
    for (const { key, value } of parameters) {
      u16.encode(numberOf(key) as number, to, false);
      const wire = valueOctets(key, value) ?? Buffer.alloc(0);
      to.u16(wire.length);
      to.octets(wire);
    }
  },
  decode(from) {
    const parameters: ServiceParameter[] = [];
    let last = -1;
    while (from.left > 0) {
      const number = from.u16();
      if (number <= last) throw new MalformedWire(clause("wire-broken", { what: "parameters-out-of-order" }));
      last = number;
      const key = keyOf(number);
      parameters.push({ key, value: decoded(key, from.octets(from.u16())) });
    }
    return parameters;
  },
};
