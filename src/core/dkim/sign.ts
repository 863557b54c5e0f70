import { createHash, type KeyObject, sign } from "node:crypto";
import { type Clause, clause } from "../clause/index.ts";
import { field, type HeaderField, type MessageHeader, scanMessage } from "../message/index.ts";
import { type DomainName, isAtOrBelow, mailDomainOf, readMailDomain } from "../name/index.ts";
import { BodyHash, type Canonicalization } from "./canonical.ts";
import { headerInput, signedFields } from "./header-input.ts";
import type { Algorithm } from "./signature.ts";

/** What a signature is to say. */
export interface SignOptions {
  readonly domain: DomainName;
  readonly selector: string;
  readonly key: KeyObject;
  readonly header: Canonicalization;
  readonly body: Canonicalization;
  /** Names of the fields to sign; {@link USUAL_FIELDS} that are there, and From once more, if not given. */
  readonly fields?: readonly string[];
  /** Seconds since 1970. */
  readonly signedAt: number;
  readonly expires?: number;
  readonly identity?: string;
  /** Octets of the canonical body to cover. */
  readonly length?: number;
}

/** Fields worth signing where they are there (RFC 6376 section 5.4.1, RFC 8058 section 4). */
const USUAL_FIELDS = [
  "from",
  "reply-to",
  "subject",
  "date",
  "message-id",
  "to",
  "cc",
  "mime-version",
  "content-type",
  "content-transfer-encoding",
  "content-id",
  "in-reply-to",
  "references",
  "list-id",
  "list-help",
  "list-unsubscribe",
  "list-unsubscribe-post",
  "list-subscribe",
  "list-post",
  "list-owner",
  "list-archive",
] as const;

/** Why a message cannot be signed as asked: half a sentence. */
export type SignError = Clause;

/** What makes a signature impossible before the message is read; undefined where nothing does. */
export function signatureObstacle({
  domain,
  identity,
  fields,
  expires,
  signedAt,
  key,
  selector,
}: SignOptions): SignError | undefined {
  if (key.asymmetricKeyType !== "rsa" && key.asymmetricKeyType !== "ed25519") return clause("dkim-sign-key-type");
  if (key.asymmetricKeyType === "rsa" && (key.asymmetricKeyDetails?.modulusLength ?? 0) < 1024)
    return clause("dkim-sign-key-small");
  if (!/^[a-z0-9](?:[a-z0-9._-]*[a-z0-9])?$/i.test(selector)) return clause("dkim-sign-selector");
  if (!readMailDomain(domain.slice(0, -1)).ok) return clause("dkim-sign-domain");
  if (fields?.some((name) => !/^[\x21-\x39\x3c-\x7e]+$/.test(name)) === true) return clause("dkim-sign-fields");
  if (fields !== undefined && !fields.includes("from")) return clause("dkim-sign-from");
  if (expires !== undefined && expires <= signedAt) return clause("dkim-sign-expires");
  if (identity !== undefined) {
    const of = mailDomainOf(identity);
    if (!/^[\x21-\x3a\x3c\x3e-\x7e\x80-\uffff]*@[^@]*$/.test(identity) || of === undefined || !isAtOrBelow(of, domain))
      return clause("dkim-sign-identity");
  }
  return undefined;
}

/** The names for `h=`: each as often as it occurs, From once more so that nobody can add a second one. */
function namesFor(header: MessageHeader, wanted: readonly string[] | undefined): string[] {
  if (wanted !== undefined) return [...wanted];
  const names = USUAL_FIELDS.flatMap((name) =>
    header.fields.filter((headerField) => headerField.name === name).map(() => name as string),
  );
  return [...names, "from"];
}

/** A long value folded into lines of at most 76 characters. */
export const cutValue = (text: string): string => (text.match(/.{1,72}/g) ?? []).join("\r\n\t");

/** Names joined with colons, a line break in front of each that would make its line too long. */
function foldNames(names: readonly string[]): string {
  let lines = "";
  let line = "h=";
  for (const [i, name] of names.entries()) {
    const word = i === names.length - 1 ? name : `${name}:`;
    if (line.length + word.length > 74) {
      lines += `${line}\r\n\t`;
      line = "";
    }
    line += word;
  }
  return lines + line;
}

/**
 * Makes the DKIM-Signature field of a message whose body went through `body` (RFC 6376 section 5). The field
 * comes back folded at CRLF, without a final one, to be put on top of the message. Fails only where the message
 * has no From.
 */
export function makeSignature(header: MessageHeader, body: BodyHash, options: SignOptions): HeaderField | undefined {
  if (!header.fields.some((candidate) => candidate.name === "from")) return undefined;
  const { domain, selector, key, signedAt, expires, identity, length } = options;
  const algorithm: Algorithm = key.asymmetricKeyType === "ed25519" ? "ed25519-sha256" : "rsa-sha256";
  const names = namesFor(
    header,
    options.fields?.map((name) => name.toLowerCase()),
  );
  const lines = [
    `v=1; a=${algorithm}; c=${options.header}/${options.body};`,
    `d=${domain.slice(0, -1)}; s=${selector};`,
    [
      `t=${signedAt};`,
      ...(expires === undefined ? [] : [`x=${expires};`]),
      ...(length === undefined ? [] : [`l=${length};`]),
      ...(identity === undefined ? [] : [`i=${identity};`]),
    ].join(" "),
    `${foldNames(names)};`,
    `bh=${body.digest};`,
    "b=",
  ];
  const unsigned = field(`DKIM-Signature: ${lines.join("\r\n\t")}`);
  const input = headerInput(signedFields(header.fields, names), { header: options.header, unsigned });
  const value =
    algorithm === "ed25519-sha256" ? sign(null, createHash("sha256").update(input).digest(), key) : sign("sha256", input, key);
  return field(unsigned.raw + cutValue(value.toString("base64")));
}

/** A message in memory with its signature on top, as {@link makeSignature} makes it; undefined where it has no From. */
export async function signedMessage(message: Buffer, options: SignOptions): Promise<Buffer | undefined> {
  const body = new BodyHash(options.body, options.length);
  const header = await scanMessage({ chunks: () => [message] }, () => [body]);
  const signature = header.ok ? makeSignature(header.value, body, options) : undefined;
  return signature === undefined ? undefined : Buffer.concat([Buffer.from(`${signature.raw}\r\n`, "latin1"), message]);
}
