import { createPublicKey, type KeyObject } from "node:crypto";
import { type Clause, clause } from "../clause/index.ts";
import type { Lookup } from "../lookup/index.ts";
import { type DomainName, parseName } from "../name/index.ts";
import { isOfType } from "../record/index.ts";
import { type KeyProblem, type KeyRecord, readKeyRecord } from "./key.ts";

/** What there is to say about the key at one selector, each a stable word. */
export interface KeyRemark {
  readonly kind:
    | KeyProblem
    | "absent"
    | "alias-leads-nowhere"
    | "unreachable"
    | "several-records"
    | "testing"
    | "small"
    | "large"
    | "wrong-hashes"
    | "not-for-mail"
    | "wildcard"
    | "other-key";
  /** Whether mail signed with the selector fails because of it. */
  readonly breaks: boolean;
  readonly because: Clause;
}

/** The key at one selector, judged. */
export interface SelectorCheck {
  readonly selector: string;
  readonly name: DomainName;
  readonly state: "usable" | "broken" | "absent" | "unknown";
  /** Where an alias leads that stands at the selector, as services ask for it. */
  readonly alias?: DomainName;
  readonly key?: KeyRecord;
  readonly remarks: readonly KeyRemark[];
}

/** Size below which an RSA key is worth replacing, and above which some DNS servers and receivers stumble, in bits. */
const GOOD_BITS = 2048;
const LARGE_BITS = 4096;

const USUAL_SELECTORS: readonly string[] = [
  ...["default", "dkim", "dk", "mail", "email", "smtp", "mx", "news", "tx", "ed", "ed25519", "rsa"],
  ...["k", "s", "m", "key", "sel", "selector", "dkim"].flatMap((stem) => [1, 2, 3].map((number) => `${stem}${number}`)),
];

/** The name of a selector's key; undefined where the selector is none. */
export function keyNameOf(domain: DomainName, selector: string): DomainName | undefined {
  const parsed = /^[a-z0-9](?:[a-z0-9._-]*[a-z0-9])?$/i.test(selector)
    ? parseName(`${selector}._domainkey.${domain}`)
    : undefined;
  return parsed?.ok ? parsed.value : undefined;
}

/** Selectors that are worth a look where nothing is known, as far as their names fit. */
export const usualSelectors = (domain: DomainName): string[] =>
  USUAL_SELECTORS.filter((candidate) => keyNameOf(domain, candidate) !== undefined);

/** Judges the key published at a selector (RFC 6376 section 3.6.2, RFC 8301). `own` is the private key it should belong to. */
export async function checkSelector(
  domain: DomainName,
  selector: string,
  lookup: Lookup,
  own?: KeyObject,
): Promise<SelectorCheck> {
  const name = keyNameOf(domain, selector);
  if (name === undefined) throw new Error(`not a selector: ${selector}`);
  const answer = await lookup.ask(name, "TXT");
  const alias = answer.chain.at(-1)?.data[0]?.target;
  const common = { selector, name, ...(alias === undefined ? {} : { alias }) };
  const remark = (kind: KeyRemark["kind"], because: Clause, breaks = false): KeyRemark => ({ kind, breaks, because });
  if (answer.kind === "failed") return { ...common, state: "unknown", remarks: [remark("unreachable", answer.detail, true)] };
  if (answer.kind !== "found" || !isOfType(answer.set, "TXT")) {
    if (alias === undefined)
      return { ...common, state: "absent", remarks: [remark("absent", clause("dkim-no-record", { name }), true)] };
    return {
      ...common,
      state: "broken",
      remarks: [remark("alias-leads-nowhere", clause("dkim-alias-nowhere", { alias }), true)],
    };
  }
  const keys = answer.set.data.map((data) => readKeyRecord(data.strings));
  const key = keys.find((keyRecord) => keyRecord.problem === undefined) ?? (keys[0] as KeyRecord);
  const remarks: KeyRemark[] = [];
  if (keys.length > 1) remarks.push(remark("several-records", clause("dkim-several-records", { keys: keys.length }), true));
  if (answer.wildcard !== undefined) remarks.push(remark("wildcard", clause("dkim-by-wildcard", { wildcard: answer.wildcard })));
  if (key.problem !== undefined) remarks.push(remark(key.problem.kind, key.problem.message, true));
  if (key.testing) remarks.push(remark("testing", clause("dkim-testing")));
  if (key.hashes !== undefined && !key.hashes.includes("sha256"))
    remarks.push(remark("wrong-hashes", clause("dkim-no-sha256"), true));
  if (!key.services.includes("*") && !key.services.includes("email"))
    remarks.push(remark("not-for-mail", clause("dkim-not-for-mail"), true));
  if (key.bits !== undefined && key.problem === undefined && key.bits < GOOD_BITS)
    remarks.push(remark("small", clause("dkim-key-small", { bits: key.bits, good: GOOD_BITS })));
  if (key.bits !== undefined && key.bits > LARGE_BITS)
    remarks.push(remark("large", clause("dkim-key-large", { bits: key.bits, most: LARGE_BITS })));
  if (own !== undefined && key.key !== undefined && !createPublicKey(own).equals(key.key))
    remarks.push(remark("other-key", clause("dkim-other-key"), true));
  return { ...common, key, state: remarks.some((keyRemark) => keyRemark.breaks) ? "broken" : "usable", remarks };
}
