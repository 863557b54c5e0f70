import { type Clause, clause } from "../clause/index.ts";
import { field, type HeaderField } from "../message/index.ts";
import { type DomainName, isAtOrBelow, parseName, readMailDomain } from "../name/index.ts";
import { decodeUtf8 } from "../record/index.ts";
import { err, ok, type Result } from "../result.ts";
import { readTagList, type TagList } from "../tag-list.ts";
import type { Canonicalization } from "./canonical.ts";

const ALGORITHMS = ["rsa-sha256", "ed25519-sha256"] as const;
export type Algorithm = (typeof ALGORITHMS)[number];

/** A DKIM-Signature field that obeys RFC 6376 section 3.5. */
export interface Signature {
  readonly field: HeaderField;
  readonly algorithm: Algorithm | "rsa-sha1";
  /** The signature itself, `b=`. */
  readonly value: Buffer;
  /** The hash of the body, `bh=`, in base64 without white space. */
  readonly bodyHash: string;
  readonly header: Canonicalization;
  readonly body: Canonicalization;
  readonly domain: DomainName;
  readonly selector: string;
  /** Where its key is: `<selector>._domainkey.<domain>`. */
  readonly keyName: DomainName;
  /** Names of the signed fields in lower case, in order, as often as they are listed. */
  readonly signed: readonly string[];
  /** The agent or user, `i=`, as the field has it; `@domain` if not given. */
  readonly identity: string;
  readonly identityDomain: DomainName;
  /** Octets of the canonical body that are signed; all of them if not given. */
  readonly length: number | undefined;
  /** Seconds since 1970. */
  readonly signedAt: number | undefined;
  readonly expires: number | undefined;
  /** The field with the value of `b=` taken out, as it goes into the hash (RFC 6376 section 3.7). */
  readonly unsigned: HeaderField;
}

/** A signature that cannot be processed; what it says about itself where that can be read. */
export interface SignatureError {
  readonly message: Clause;
  readonly domain?: DomainName;
  readonly selector?: string;
}

const NEEDED = ["a", "b", "bh", "d", "h", "s"];

const withoutWhiteSpace = (text: string): string => text.replace(/[ \t\r\n]+/g, "");
const BASE64 = /^[A-Za-z0-9+/]+={0,2}$/;

const FIELD_NAMES = /^[\x21-\x39\x3c-\x7e]+(?::[\x21-\x39\x3c-\x7e]+)*$/;

const canonicalization = (text: string): Canonicalization | undefined =>
  text === "simple" || text === "relaxed" ? text : undefined;

/** A domain in a signature; U-labels may stand there in internationalized mail (RFC 8616 section 5). */
function domainOf(text: string | undefined): DomainName | undefined {
  const parsed = text === undefined ? undefined : readMailDomain(decodeUtf8(text));
  return parsed?.ok ? parsed.value : undefined;
}

/** A field without the value of its `b=`, as it goes into the hash (RFC 6376 section 3.7). */
export function withoutValue(from: HeaderField, list: TagList): HeaderField {
  const b = list.get("b");
  const cut = from.colon + 1;
  return field(b === undefined ? from.raw : from.raw.slice(0, cut + b.valueStart) + from.raw.slice(cut + b.valueEnd));
}

/**
 * Reads one DKIM-Signature field, or with `as` an ARC-Message-Signature, which has no version and says with `i=` which set it is of
 * (RFC 8617 section 4.1.2). Unknown tags are ignored (RFC 6376 section 3.2).
 */
export function readSignature(from: HeaderField, as: "dkim" | "arc" = "dkim"): Result<Signature, SignatureError> {
  const body = from.raw.slice(from.colon + 1);
  const list = readTagList(body);
  const get = (name: string): string | undefined => list.get(name)?.value;
  const domain = domainOf(get("d"));
  const selector = get("s");
  const wrong = (message: Clause) =>
    err<SignatureError>({
      message,
      ...(domain === undefined ? {} : { domain }),
      ...(selector === undefined ? {} : { selector: decodeUtf8(selector) }),
    });

  const [mistake] = list.mistakes;
  if (mistake !== undefined)
    return wrong(clause("dkim-signature-unreadable", { text: decodeUtf8(mistake.text.slice(0, 30)), message: mistake.message }));
  if (as === "dkim" && get("v") !== "1")
    return wrong(get("v") === undefined ? clause("dkim-signature-no-version") : clause("dkim-signature-version"));
  for (const needed of NEEDED) if (get(needed) === undefined) return wrong(clause("dkim-signature-tag-missing", { needed }));
  const algorithm = get("a") as string;
  if (algorithm !== "rsa-sha1" && !(ALGORITHMS as readonly string[]).includes(algorithm))
    return wrong(clause("dkim-signature-algorithm", { algorithm: decodeUtf8(algorithm.slice(0, 40)) }));
  const value = withoutWhiteSpace(get("b") as string);
  const bodyHash = withoutWhiteSpace(get("bh") as string);
  if (!BASE64.test(value)) return wrong(clause("dkim-signature-b"));
  if (!BASE64.test(bodyHash)) return wrong(clause("dkim-signature-bh"));
  if (domain === undefined) return wrong(clause("dkim-signature-d"));
  const keyName = selector === undefined ? undefined : parseName(`${decodeUtf8(selector)}._domainkey.${domain}`);
  if (selector === undefined || keyName?.ok !== true || /[^a-z0-9._-]/i.test(selector)) return wrong(clause("dkim-signature-s"));
  const [header, bodyHow = "simple", ...beyond] = (get("c") ?? "simple/simple").split("/");
  const headerCanon = canonicalization(header as string);
  const bodyCanon = canonicalization(bodyHow);
  if (headerCanon === undefined || bodyCanon === undefined || beyond.length > 0) return wrong(clause("dkim-signature-c"));
  const names = withoutWhiteSpace(get("h") as string).toLowerCase();
  if (!FIELD_NAMES.test(names)) return wrong(clause("dkim-signature-h"));
  const signed = names.split(":");
  if (!signed.includes("from")) return wrong(clause("dkim-signature-no-from"));
  if (as === "arc" && signed.includes("arc-seal")) return wrong(clause("arc-signature-signs-seal"));
  const agent = as === "arc" ? undefined : get("i");
  const identity = agent ?? `@${domain.slice(0, -1)}`;
  const identityDomain = agent === undefined ? domain : domainOf(agent.slice(agent.lastIndexOf("@") + 1));
  if (!identity.includes("@") || identityDomain === undefined) return wrong(clause("dkim-signature-i"));
  if (!isAtOrBelow(identityDomain, domain)) return wrong(clause("dkim-signature-i-apart"));
  const query = get("q");
  if (query !== undefined && !query.split(":").some((method) => withoutWhiteSpace(method).toLowerCase() === "dns/txt"))
    return wrong(clause("dkim-signature-q"));
  const numbers: (number | undefined)[] = [];
  for (const tag of ["l", "t", "x"]) {
    const text = get(tag);
    if (text !== undefined && !/^\d{1,76}$/.test(text)) return wrong(clause("dkim-signature-number", { tag }));
    numbers.push(text === undefined ? undefined : Math.min(Number(text), Number.MAX_SAFE_INTEGER));
  }
  const [length, signedAt, expires] = numbers;
  if (expires !== undefined && signedAt !== undefined && expires <= signedAt)
    return wrong(clause("dkim-signature-expires-before"));

  return ok({
    field: from,
    algorithm: algorithm as Signature["algorithm"],
    value: Buffer.from(value, "base64"),
    bodyHash,
    header: headerCanon,
    body: bodyCanon,
    domain,
    selector: decodeUtf8(selector),
    keyName: keyName.value,
    signed,
    identity: decodeUtf8(identity),
    identityDomain,
    length,
    signedAt,
    expires,
    unsigned: withoutValue(from, list),
  });
}
