import { type Clause, clause } from "../clause/index.ts";
import type { Lookup } from "../lookup/index.ts";
import { type BodySink, fieldsNamed, type HeaderField, type MessageHeader } from "../message/index.ts";
import { type DomainName, displayName } from "../name/index.ts";
import { BodyHash } from "./canonical.ts";
import { changedField } from "./diagnose-header.ts";
import { headerInput, signedFields } from "./header-input.ts";
import type { KeyRecord } from "./key.ts";
import { readSignature, type Signature, type SignatureError } from "./signature.ts";
import { forbids, keysOf, valueFits } from "./value.ts";

/** How a signature comes out (RFC 8601 section 2.7.1). */
type DkimResult = "pass" | "fail" | "policy" | "neutral" | "temperror" | "permerror";

/** Why a signature does not pass, each a stable word. */
type DkimReason =
  | "malformed"
  | "historic-algorithm"
  | "expired"
  | "no-key"
  | "key-unreachable"
  | "bad-key"
  | "revoked"
  | "weak-key"
  | "key-forbids"
  | "body-changed"
  | "body-cut"
  | "header-changed"
  | "other-key";

/** The verdict on one signature. */
export interface DkimVerdict {
  readonly result: DkimResult;
  /** Undefined where the signature does not even say. */
  readonly domain: DomainName | undefined;
  readonly selector: string | undefined;
  readonly identity?: string;
  readonly algorithm?: string;
  /** Undefined where it passes. */
  readonly reason?: DkimReason | undefined;
  /** Half a sentence for people: why it does not pass, or what is remarkable where it does. */
  readonly because?: Clause | undefined;
  /** Where the body was changed: what was changed in the header as well, half a sentence; it stands in `because` too. */
  readonly besides?: Clause | undefined;
  readonly bits?: number | undefined;
  /** The domain says it only tries DKIM out (`t=y`). */
  readonly testing: boolean;
  /** Octets of the canonical body that are not covered by the signature. */
  readonly unsignedOctets: number;
  readonly signature?: Signature;
}

/** Signatures of one message that are looked at; more would only cost time. */
const MAX_SIGNATURES = 20;

/** The hashes that signatures need of one body, each computed once. */
export class BodyHashes {
  readonly #hashes = new Map<string, BodyHash>();

  /** The hash that a signature is compared with. */
  of({ body, length }: Pick<Signature, "body" | "length">): BodyHash {
    const key = `${body} ${length}`;
    let hash = this.#hashes.get(key);
    if (hash === undefined) this.#hashes.set(key, (hash = new BodyHash(body, length)));
    return hash;
  }

  get all(): readonly BodySink[] {
    return [...this.#hashes.values()];
  }
}

/** The signatures of a message from top to bottom, and the hashes of the body they need. */
export class Signatures {
  readonly all: readonly (Signature | SignatureError)[];
  readonly ignored: number;
  readonly #bodies: BodyHashes;

  /** @param bodies hashes that others want of the same body as well */
  constructor(header: MessageHeader, bodies: BodyHashes = new BodyHashes()) {
    this.#bodies = bodies;
    const fields = fieldsNamed(header, "dkim-signature");
    this.ignored = Math.max(0, fields.length - MAX_SIGNATURES);
    this.all = fields.slice(0, MAX_SIGNATURES).map((headerField) => {
      const parsed = readSignature(headerField);
      return parsed.ok ? parsed.value : parsed.error;
    });
    for (const one of this.all) if ("field" in one) this.#bodies.of(one);
  }

  get sinks(): readonly BodySink[] {
    return this.#bodies.all;
  }

  bodyOf(signature: Signature): BodyHash {
    return this.#bodies.of(signature);
  }
}

export type Ending = Pick<DkimVerdict, "result" | "reason" | "because" | "bits">;
const ending = (result: DkimResult, reason: DkimReason, because: Clause): Ending => ({ result, reason, because });

/** One key against one signature. */
function tryKey(key: KeyRecord, signature: Signature, fields: readonly HeaderField[]): Ending {
  const chosen = key.problem === undefined ? signedFields(fields, signature.signed, signature.field) : [];
  const forbidden = forbids(key, signature);
  if (key.problem === undefined && forbidden === undefined && valueFits(signature, key, headerInput(chosen, signature)))
    return { result: "pass", bits: key.bits };
  const where = `${signature.selector}._domainkey.${displayName(signature.domain)}`;
  const bits = { bits: key.bits };
  if (key.problem?.kind === "revoked") return ending("permerror", "revoked", clause("dkim-key-revoked", { where }));
  if (key.problem?.kind === "weak")
    return { ...bits, ...ending("fail", "weak-key", clause("dkim-at", { where, because: key.problem.message })) };
  if (key.problem !== undefined)
    return ending("permerror", "bad-key", clause("dkim-at", { where, because: key.problem.message }));
  if (forbidden !== undefined) return { ...bits, ...ending("permerror", "key-forbids", forbidden) };
  return { ...bits, result: "fail", ...changedField(signature, key, chosen, fields) };
}

/** What happened to the signed header of a message whose body was changed; undefined where nothing did, or nobody can tell. */
function headerToo(signature: Signature, keys: readonly KeyRecord[], fields: readonly HeaderField[]): Clause | undefined {
  const outcomes = keys.map((key) => tryKey(key, signature, fields));
  if (outcomes.some((candidate) => candidate.result === "pass")) return undefined;
  return outcomes.find((candidate) => candidate.reason === "header-changed")?.because;
}

/**
 * Verifies one signature after the body went by (RFC 6376 section 6).
 *
 * @param now seconds since 1970
 */
export async function verifyOne(
  signature: Signature,
  header: MessageHeader,
  body: BodyHash,
  lookup: Lookup,
  now: number,
): Promise<Ending & { testing?: boolean; besides?: Clause }> {
  if (signature.algorithm === "rsa-sha1") return ending("fail", "historic-algorithm", clause("dkim-sha1"));
  if (signature.expires !== undefined && signature.expires < now)
    return ending("fail", "expired", clause("dkim-expired", { at: signature.expires }));
  if (signature.length !== undefined && signature.length > body.length)
    return ending("fail", "body-cut", clause("dkim-body-cut", { signature: signature.length, body: body.length }));
  const bodyFits = body.digest === signature.bodyHash;
  const answer = await lookup.ask(signature.keyName, "TXT");
  if (!bodyFits) {
    // The header can be judged all the same: it is signed together with the hash of the body that was, not of this one.
    const besides = answer.kind === "found" ? headerToo(signature, keysOf(answer.set), header.fields) : undefined;
    return {
      ...ending("fail", "body-changed", clause("dkim-body-changed")),
      ...(besides === undefined ? {} : { besides }),
    };
  }
  if (answer.kind === "failed")
    return ending("temperror", "key-unreachable", clause("dkim-key-unresolved", { detail: answer.detail }));
  if (answer.kind !== "found") return ending("permerror", "no-key", clause("dkim-key-not-there", { keyName: signature.keyName }));
  const keys = keysOf(answer.set);
  let last: (Ending & { testing?: boolean }) | undefined;
  for (const key of keys) {
    const outcome = Object.assign(tryKey(key, signature, header.fields), { testing: key.testing });
    if (outcome.result === "pass") return outcome;
    if (last === undefined || outcome.result === "fail") last = outcome;
  }
  return last ?? ending("permerror", "no-key", clause("dkim-key-not-there", { keyName: signature.keyName }));
}

/** Two things that went wrong with one message, as one half sentence. */
export const withBesides = (because: Clause | undefined, besides: Clause | undefined): Clause | undefined =>
  because === undefined || besides === undefined ? because : clause("dkim-besides", { because, besides });

/** Verifies all signatures of a message whose body went through `signatures.sinks`; one verdict each, from top to bottom. */
export function verifySignatures(
  signatures: Signatures,
  header: MessageHeader,
  lookup: Lookup,
  now: number,
): Promise<DkimVerdict[]> {
  return Promise.all(
    signatures.all.map(async (one): Promise<DkimVerdict> => {
      if (!("field" in one))
        return {
          result: "permerror",
          domain: one.domain,
          selector: one.selector,
          reason: "malformed",
          because: one.message,
          testing: false,
          unsignedOctets: 0,
        };
      const body = signatures.bodyOf(one);
      const outcome = await verifyOne(one, header, body, lookup, now);
      const unsignedOctets = one.length === undefined ? 0 : Math.max(0, body.length - one.length);
      return {
        result: outcome.result,
        domain: one.domain,
        selector: one.selector,
        identity: one.identity,
        algorithm: one.algorithm,
        signature: one,
        testing: outcome.testing ?? false,
        unsignedOctets,
        reason: outcome.reason,
        besides: outcome.besides,
        because:
          outcome.result === "pass" && unsignedOctets > 0
            ? clause("dkim-unsigned-octets", { unsignedOctets })
            : withBesides(outcome.because, outcome.besides),
        bits: outcome.bits,
      };
    }),
  );
}
