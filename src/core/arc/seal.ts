import { type Clause, clause } from "../clause/index.ts";
import { canonicalField, forbids, keysOf, type Signature, valueFits, withoutValue } from "../dkim/index.ts";
import type { Lookup } from "../lookup/index.ts";
import type { HeaderField } from "../message/index.ts";
import { displayName, parseName, readMailDomain } from "../name/index.ts";
import { decodeUtf8 } from "../record/index.ts";
import { err, ok, type Result } from "../result.ts";
import { readTagList } from "../tag-list.ts";

/** What a sealer found of the chain before it (RFC 8617 section 4.1.3). */
export type ChainValue = "none" | "pass" | "fail";

/** An ARC-Seal field. */
export interface Seal
  extends Pick<Signature, "algorithm" | "domain" | "selector" | "keyName" | "value" | "unsigned" | "identityDomain"> {
  readonly field: HeaderField;
  readonly cv: ChainValue;
  /** Seconds since 1970. */
  readonly sealedAt: number | undefined;
}

/** How a seal or a signature of a chain comes out; half a sentence where it does not pass. */
export interface Sealed {
  readonly result: "pass" | "fail" | "temperror";
  readonly because: Clause | undefined;
}

const NEEDED = ["a", "b", "cv", "d", "s"];
/** What a seal never says: it covers whole sets, and no body. */
const FOREIGN = ["h", "bh"];
const ALGORITHMS = ["rsa-sha256", "ed25519-sha256", "rsa-sha1"];

/** Reads one ARC-Seal field (RFC 8617 section 4.1.3). */
export function readSeal(from: HeaderField): Result<Seal, Clause> {
  const list = readTagList(from.raw.slice(from.colon + 1));
  const get = (name: string): string | undefined => list.get(name)?.value;
  const [mistake] = list.mistakes;
  if (mistake !== undefined)
    return err(clause("dkim-signature-unreadable", { text: decodeUtf8(mistake.text.slice(0, 30)), message: mistake.message }));
  for (const needed of NEEDED) if (get(needed) === undefined) return err(clause("dkim-signature-tag-missing", { needed }));
  for (const tag of FOREIGN) if (get(tag) !== undefined) return err(clause("arc-seal-foreign-tag", { tag }));
  const [algorithm, cv] = [get("a") as string, (get("cv") as string).toLowerCase()];
  if (!ALGORITHMS.includes(algorithm))
    return err(clause("dkim-signature-algorithm", { algorithm: decodeUtf8(algorithm.slice(0, 40)) }));
  if (cv !== "none" && cv !== "pass" && cv !== "fail") return err(clause("arc-seal-value", { cv: decodeUtf8(cv.slice(0, 20)) }));
  const value = (get("b") as string).replace(/[ \t\r\n]+/g, "");
  if (!/^[A-Za-z0-9+/]+={0,2}$/.test(value)) return err(clause("dkim-signature-b"));
  const [domain, selector] = [readMailDomain(decodeUtf8(get("d") as string)), decodeUtf8(get("s") as string)];
  if (!domain.ok) return err(clause("dkim-signature-d"));
  const keyName = parseName(`${selector}._domainkey.${domain.value}`);
  if (!keyName.ok || /[^a-z0-9._-]/i.test(selector)) return err(clause("dkim-signature-s"));
  const at = get("t");
  if (at !== undefined && !/^\d{1,76}$/.test(at)) return err(clause("dkim-signature-number", { tag: "t" }));
  return ok({
    field: from,
    algorithm: algorithm as Seal["algorithm"],
    domain: domain.value,
    identityDomain: domain.value,
    selector,
    keyName: keyName.value,
    value: Buffer.from(value, "base64"),
    cv,
    sealedAt: at === undefined ? undefined : Math.min(Number(at), Number.MAX_SAFE_INTEGER),
    unsigned: withoutValue(from, list),
  });
}

/**
 * The octets that a seal signs: every set up to its own, each as results, signature, seal, in relaxed form, the seal itself last and
 * without its value (RFC 8617 section 5.1.1).
 *
 * @param covered the fields before the seal itself, in that order
 */
export function sealInput(covered: readonly HeaderField[], unsigned: HeaderField): Buffer {
  const before = covered.map((one) => `${canonicalField(one, "relaxed")}\r\n`).join("");
  return Buffer.from(before + canonicalField(unsigned, "relaxed"), "latin1");
}

/** Verifies one seal against the keys of its domain. */
export async function verifySeal(seal: Seal, covered: readonly HeaderField[], lookup: Lookup): Promise<Sealed> {
  if (seal.algorithm === "rsa-sha1") return { result: "fail", because: clause("dkim-sha1") };
  const answer = await lookup.ask(seal.keyName, "TXT");
  if (answer.kind === "failed") return { result: "temperror", because: clause("dkim-key-unresolved", { detail: answer.detail }) };
  const keys = answer.kind === "found" ? keysOf(answer.set) : [];
  if (keys.length === 0) return { result: "fail", because: clause("dkim-key-not-there", { keyName: seal.keyName }) };
  const input = sealInput(covered, seal.unsigned);
  const where = `${seal.selector}._domainkey.${displayName(seal.domain)}`;
  let because: Clause = clause("arc-seal-other");
  for (const key of keys) {
    if (key.problem?.kind === "revoked") because = clause("dkim-key-revoked", { where });
    else if (key.problem !== undefined) because = clause("dkim-at", { where, because: key.problem.message });
    else {
      const forbidden = forbids(key, seal);
      if (forbidden === undefined && valueFits(seal, key, input)) return { result: "pass", because: undefined };
      because = forbidden ?? clause("arc-seal-other");
    }
  }
  return { result: "fail", because };
}
