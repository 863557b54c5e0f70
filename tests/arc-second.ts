import { createHash, generateKeyPairSync, type KeyObject, sign, verify } from "node:crypto";

/**
 * ARC once more, written for the tests from the text of RFC 8617 and RFC 6376 alone: messages are strings with CRLF, everything is
 * relaxed, and nothing of the product is used. Slow, plain, and only good for messages without oddities.
 */

export interface SecondKey {
  readonly domain: string;
  readonly selector: string;
  readonly key: KeyObject;
  readonly publicKey: KeyObject;
  /** What stands in the DNS at `<selector>._domainkey.<domain>`. */
  readonly record: string;
}

export function newKey(domain: string, kind: "rsa" | "ed25519", selector = "seal"): SecondKey {
  const pair = kind === "rsa" ? generateKeyPairSync("rsa", { modulusLength: 1024 }) : generateKeyPairSync("ed25519");
  const der = pair.publicKey.export({ type: "spki", format: "der" });
  const p = (kind === "rsa" ? der : der.subarray(-32)).toString("base64");
  return { domain, selector, key: pair.privateKey, publicKey: pair.publicKey, record: `v=DKIM1; k=${kind}; p=${p}` };
}

const split = (message: string): { fields: string[]; body: string } => {
  const at = message.indexOf("\r\n\r\n");
  return { fields: message.slice(0, at).split(/\r\n(?![ \t])/), body: message.slice(at + 4) };
};

const nameOf = (field: string): string => (/^[^:]*/.exec(field)?.[0] ?? "").trim().toLowerCase();
const relaxedField = (field: string): string =>
  `${nameOf(field)}:${field
    .slice(field.indexOf(":") + 1)
    .replace(/\r\n/g, "")
    .replace(/[ \t]+/g, " ")
    .trim()}`;

const relaxedBody = (body: string): string => {
  const lines = body.split("\r\n").map((line) => line.replace(/[ \t]+/g, " ").replace(/ $/, ""));
  while (lines.length > 0 && lines.at(-1) === "") lines.pop();
  return lines.length === 0 ? "" : `${lines.join("\r\n")}\r\n`;
};

const bodyHash = (body: string): string => createHash("sha256").update(relaxedBody(body), "latin1").digest("base64");

const signed = (input: string, { key }: SecondKey): string => {
  const octets = Buffer.from(input, "latin1");
  return key.asymmetricKeyType === "ed25519"
    ? sign(null, createHash("sha256").update(octets).digest(), key).toString("base64")
    : sign("sha256", octets, key).toString("base64");
};

const fits = (input: string, value: string, { publicKey }: SecondKey): boolean => {
  const octets = Buffer.from(input, "latin1");
  const octetsOfValue = Buffer.from(value, "base64");
  return publicKey.asymmetricKeyType === "ed25519"
    ? verify(null, createHash("sha256").update(octets).digest(), publicKey, octetsOfValue)
    : verify("sha256", octets, publicKey, octetsOfValue);
};

const tagOf = (field: string, tag: string): string =>
  (new RegExp(`(?:^|;|:)\\s*${tag}\\s*=([^;]*)`).exec(field.slice(field.indexOf(":")))?.[1] ?? "").replace(/\s+/g, "");

const ofSet = (fields: readonly string[], name: string, instance: number): string | undefined =>
  fields.find((field) => nameOf(field) === name && tagOf(field, "i") === String(instance));

/** The fields a signature covers, from the lowest upwards. */
function chosen(fields: readonly string[], names: readonly string[], own?: string): string[] {
  const left = fields.filter((field) => field !== own);
  return names.flatMap((name) => {
    const at = left.findLastIndex((field) => nameOf(field) === name);
    return at === -1 ? [] : left.splice(at, 1);
  });
}

/** A DKIM signature or the signature of a set: the field with its value. */
function signMessage(message: string, head: string, key: SecondKey): string {
  const { fields, body } = split(message);
  const names = ["from", "subject", "date", ...(head.startsWith("ARC") ? ["dkim-signature"] : [])];
  const field = `${head} a=${key.key.asymmetricKeyType}-sha256; c=relaxed/relaxed; d=${key.domain}; s=${key.selector}; h=${names.join(":")}; bh=${bodyHash(body)}; b=`;
  const input = [...chosen(fields, names).map(relaxedField), relaxedField(field)].join("\r\n");
  return field + signed(input, key);
}

/** The message with an ordinary signature on top. */
export const withDkim = (message: string, key: SecondKey): string =>
  `${signMessage(message, "DKIM-Signature: v=1;", key)}\r\n${message}`;

/** The message with another set on top. */
export function withSet(
  message: string,
  key: SecondKey,
  { instance, results, cv }: { readonly instance: number; readonly results: string; readonly cv: string },
): string {
  const { fields } = split(message);
  const seen = `ARC-Authentication-Results: i=${instance}; ${results}`;
  const signature = signMessage(message, `ARC-Message-Signature: i=${instance};`, key);
  const seal = `ARC-Seal: i=${instance}; a=${key.key.asymmetricKeyType}-sha256; cv=${cv}; d=${key.domain}; s=${key.selector}; t=1772442000; b=`;
  const before =
    cv === "fail"
      ? []
      : Array.from({ length: instance - 1 }, (_, i) =>
          ["arc-authentication-results", "arc-message-signature", "arc-seal"].map((name) => ofSet(fields, name, i + 1) ?? ""),
        ).flat();
  const input = [...before, seen, signature, seal].map(relaxedField).join("\r\n");
  return `${seal}${signed(input, key)}\r\n${signature}\r\n${seen}\r\n${message}`;
}

/** What the chain of a message is worth, by the text alone. */
export function judgeChain(message: string, keys: ReadonlyMap<string, SecondKey>): "none" | "pass" | "fail" {
  const { fields, body } = split(message);
  const sets = fields.filter((field) => nameOf(field) === "arc-seal").length;
  if (sets === 0) return "none";
  const covered: string[] = [];
  for (let instance = 1; instance <= sets; instance++) {
    const [seen, signature, seal] = ["arc-authentication-results", "arc-message-signature", "arc-seal"].map((name) =>
      ofSet(fields, name, instance),
    );
    if (seen === undefined || signature === undefined || seal === undefined) return "fail";
    if (tagOf(seal, "cv") !== (instance === 1 ? "none" : "pass")) return "fail";
    const key = keys.get(`${tagOf(seal, "s")}._domainkey.${tagOf(seal, "d")}`);
    const input = [...covered, seen, signature, seal.replace(/b=[^;]*$/, "b=")].map(relaxedField).join("\r\n");
    if (key === undefined || !fits(input, tagOf(seal, "b"), key)) return "fail";
    covered.push(seen, signature, seal);
    if (instance < sets) continue;
    const signer = keys.get(`${tagOf(signature, "s")}._domainkey.${tagOf(signature, "d")}`);
    const names = tagOf(signature, "h").toLowerCase().split(":");
    const unsigned = signature.replace(/b=[^;]*$/, "b=");
    const over = [...chosen(fields, names, signature), unsigned].map(relaxedField).join("\r\n");
    if (signer === undefined || tagOf(signature, "bh") !== bodyHash(body) || !fits(over, tagOf(signature, "b"), signer))
      return "fail";
  }
  return "pass";
}
