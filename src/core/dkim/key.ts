import { createPublicKey, type KeyObject } from "node:crypto";
import { type Clause, clause } from "../clause/index.ts";
import { readTagList } from "../tag-list.ts";

/** What can be wrong with a key record, each a stable word. */
export type KeyProblem =
  | "not-a-key-record"
  | "version"
  | "key-type"
  | "no-key"
  | "quotes"
  | "not-base64"
  | "cut"
  | "too-long"
  | "doubled"
  | "not-a-key"
  | "revoked"
  | "weak";

/** A key record (RFC 6376 section 3.6.1), read as far as it can be. */
export interface KeyRecord {
  readonly text: string;
  readonly type: "rsa" | "ed25519";
  /** The key, where there is one that can be used. */
  readonly key?: KeyObject;
  /** Size of an RSA key. */
  readonly bits?: number;
  /** Hash algorithms it may be used with; all if not given. */
  readonly hashes?: readonly string[];
  readonly services: readonly string[];
  /** `t=y`: the domain only tries DKIM out. */
  readonly testing: boolean;
  /** `t=s`: `i=` must have the very domain of `d=`. */
  readonly exactDomain: boolean;
  readonly note?: string;
  /** Why the key cannot be used; undefined where it can. */
  readonly problem?: { readonly kind: KeyProblem; readonly message: Clause };
}

/** Whether a TXT text is meant as a key record: it says so, or has the tags of one in front. */
export const isKeyText = (text: string): boolean => /^\s*(?:v\s*=\s*DKIM1\s*(?:;|$)|(?:[a-z]=[^;]*;\s*)*p=)/.test(text);

/** What a key record says by its tags alone: those that say what holds without them left out; undefined where it cannot be read. */
function saidByKey(text: string): string | undefined {
  const { tags, mistakes } = readTagList(text);
  if (mistakes.length > 0 || tags.findIndex(({ name }) => name === "v") > 0) return undefined;
  return tags
    .map(({ name, value }) => `${name}=${value.replace(/[ \t\r\n]+/g, "")}`)
    .filter((tag) => !["v=DKIM1", "k=rsa", "s=*"].includes(tag))
    .sort()
    .join(";");
}

/** Whether two key records say the same, by tags and octets: blanks, the order of tags and tags that say the default do not count. */
export const isSameKey = (a: string, b: string): boolean => {
  if (a === b) return true;
  const said = isKeyText(a) && isKeyText(b) ? saidByKey(a) : undefined;
  return said !== undefined && said === saidByKey(b);
};

/** Smallest RSA key receivers accept, in bits (RFC 8301 section 3.2). */
const LEAST_BITS = 1024;

/** SubjectPublicKeyInfo in front of the 32 octets of an Ed25519 key (RFC 8410 section 4). */
const ED25519_PREFIX = Buffer.from("302a300506032b6570032100", "hex");

/** How many octets a DER value says it has in all, tag and length included; undefined where that cannot be read. */
function derLength(der: Buffer): number | undefined {
  const first = der[1];
  if (der[0] !== 0x30 || first === undefined) return undefined;
  if (first < 0x80) return 2 + first;
  const size = first & 0x7f;
  if (size === 0 || size > 3 || der.length < 2 + size) return undefined;
  return 2 + size + der.readUIntBE(2, size);
}

function rsaKey(der: Buffer): KeyObject | undefined {
  for (const type of ["spki", "pkcs1"] as const) {
    try {
      const key = createPublicKey({ key: der, format: "der", type });
      if (key.asymmetricKeyType === "rsa") return key;
    } catch {
      // Not this form; the next one may fit.
    }
  }
  return undefined;
}

/** Where strings of one record overlap: the text with doubled octets taken out, if that makes a key of it. */
function withoutDoubled(strings: readonly string[]): { text: string; octets: number } | undefined {
  for (let i = 1; i < strings.length; i++)
    for (let octets = 1; octets <= 16; octets++) {
      const before = strings.slice(0, i).join("");
      const after = strings.slice(i).join("");
      if (before.slice(-octets) === after.slice(0, octets)) {
        const text = before + after.slice(octets);
        if (readKeyRecord([text]).problem === undefined) return { text, octets };
      }
    }
  return undefined;
}

type Outcome = Pick<KeyRecord, "key" | "bits" | "problem">;
const bad = (kind: KeyProblem, message: Clause): Outcome => ({ problem: { kind, message } });

function readKey(type: KeyRecord["type"], text: string): Outcome {
  const base64 = text.replace(/[ \t\r\n]+/g, "");
  if (base64 === "") return bad("revoked", clause("dkim-key-empty"));
  if (/["'\\“”]/.test(base64)) return bad("quotes", clause("dkim-key-quotes"));
  const wrong = /[^A-Za-z0-9+/=]/.exec(base64) ?? /=(?=.*[^=])/.exec(base64);
  if (wrong !== null) return bad("not-base64", clause("dkim-key-character", { wrong: wrong[0] }));
  const der = Buffer.from(base64, "base64");
  if (type === "ed25519") {
    if (der.length < 32) return bad("cut", clause("dkim-ed25519-length", { octets: der.length }));
    if (der.length > 32) return bad("too-long", clause("dkim-ed25519-length", { octets: der.length }));
    return { key: createPublicKey({ key: Buffer.concat([ED25519_PREFIX, der]), format: "der", type: "spki" }) };
  }
  const length = derLength(der);
  if (length !== undefined && length > der.length)
    return bad("cut", clause("dkim-key-cut", { said: length, octets: der.length }));
  if (length !== undefined && length < der.length)
    return bad("too-long", clause("dkim-key-too-long", { said: length, octets: der.length }));
  const key = rsaKey(der);
  if (key === undefined) return bad("not-a-key", clause("dkim-key-not-rsa"));
  const bits = key.asymmetricKeyDetails?.modulusLength ?? 0;
  if (bits < LEAST_BITS) return { bits, ...bad("weak", clause("dkim-key-weak", { bits, least: LEAST_BITS })) };
  return { key, bits };
}

/** Reads the strings of one key record. What is wrong with it comes back as `problem`; nothing is thrown. */
export function readKeyRecord(strings: readonly string[]): KeyRecord {
  const text = strings.join("");
  const list = readTagList(text);
  const get = (name: string): string | undefined => list.get(name)?.value;
  const listed = (name: string): string[] | undefined =>
    get(name)
      ?.split(":")
      .map((one) => one.replace(/[ \t\r\n]+/g, "").toLowerCase());
  const flags = listed("t") ?? [];
  const type = (get("k") ?? "rsa").toLowerCase();
  const note = get("n");
  const hashes = listed("h");
  const common = {
    text,
    type: type === "ed25519" ? ("ed25519" as const) : ("rsa" as const),
    services: listed("s") ?? ["*"],
    testing: flags.includes("y"),
    exactDomain: flags.includes("s"),
    ...(note === undefined ? {} : { note }),
    ...(hashes === undefined ? {} : { hashes }),
  };
  const p = get("p");
  const [mistake] = list.mistakes;
  if (p === undefined && get("v") === undefined && get("k") === undefined)
    return { ...common, ...bad("not-a-key-record", clause("dkim-key-none")) };
  if (mistake !== undefined)
    return {
      ...common,
      ...bad("not-a-key-record", clause("dkim-key-unreadable", { text: mistake.text.slice(0, 30), message: mistake.message })),
    };
  const v = list.get("v");
  if (v !== undefined && (v.value !== "DKIM1" || list.tags[0] !== v))
    return {
      ...common,
      ...bad(
        "version",
        v.value === "DKIM1" ? clause("dkim-key-version-first") : clause("dkim-key-version", { version: v.value.slice(0, 20) }),
      ),
    };
  if (type !== "rsa" && type !== "ed25519")
    return { ...common, ...bad("key-type", clause("dkim-key-type", { type: type.slice(0, 20) })) };
  if (p === undefined) return { ...common, ...bad("no-key", clause("dkim-key-missing")) };
  const outcome = readKey(common.type, p);
  if (strings.length > 1 && (outcome.problem?.kind === "too-long" || outcome.problem?.kind === "not-a-key")) {
    const doubled = withoutDoubled(strings);
    if (doubled !== undefined) return { ...common, ...bad("doubled", clause("dkim-key-doubled", { octets: doubled.octets })) };
  }
  return { ...common, ...outcome };
}

/** The text of the key record for a public key (RFC 6376 section 3.6.1, RFC 8463 section 4). */
export function keyRecordText(publicKey: KeyObject): string {
  const der = publicKey.export({ type: "spki", format: "der" });
  return publicKey.asymmetricKeyType === "ed25519"
    ? `v=DKIM1; k=ed25519; p=${der.subarray(ED25519_PREFIX.length).toString("base64")}`
    : `v=DKIM1; k=rsa; p=${der.toString("base64")}`;
}
