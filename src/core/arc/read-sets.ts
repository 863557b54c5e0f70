import { type Clause, clause } from "../clause/index.ts";
import { readSignature, type Signature } from "../dkim/index.ts";
import { fieldsNamed, type HeaderField, type MessageHeader } from "../message/index.ts";
import { readTagList } from "../tag-list.ts";
import { type AuthenticationResults, readAuthenticationResults, withoutComments } from "./authentication-results.ts";
import { readSeal, type Seal } from "./seal.ts";

/** As many sets as a chain may have (RFC 8617 section 4.2.1). */
const MAX_SETS = 50;

/** What one handler of a message added to it. */
export interface ArcSet {
  readonly instance: number;
  /** What it saw when the message arrived. */
  readonly results: AuthenticationResults;
  readonly signature: Signature;
  readonly seal: Seal;
  /** Its fields, as seals cover them: results, signature, seal. */
  readonly fields: readonly [HeaderField, HeaderField, HeaderField];
}

/** The sets of a message from the oldest to the newest, or what is wrong with them as a chain. */
export interface SetsRead {
  readonly sets: readonly ArcSet[];
  /** Undefined where the sets make a chain. */
  readonly broken: Clause | undefined;
}

const NAMES = ["arc-authentication-results", "arc-message-signature", "arc-seal"] as const;

/** The instance that the results say, which stands before everything else, and what is behind it. */
function instanceOfResults(text: string): { readonly instance: string; readonly rest: string } | undefined {
  const plain = withoutComments(text.replace(/\r\n/g, ""));
  const [start, instance] = /^\s*i\s*=\s*(\d+)\s*;/.exec(plain) ?? [];
  return start === undefined || instance === undefined ? undefined : { instance, rest: plain.slice(start.length) };
}

/** The instance of a field; undefined where it has none that can be (1 to 50). */
function instanceOf(of: HeaderField): number | undefined {
  const value = of.raw.slice(of.colon + 1);
  const text = of.name === NAMES[0] ? instanceOfResults(value)?.instance : readTagList(value).get("i")?.value;
  if (text === undefined || !/^\d{1,2}$/.test(text)) return undefined;
  const instance = Number(text);
  return instance >= 1 && instance <= MAX_SETS ? instance : undefined;
}

/** Reads the sets of a message (RFC 8617 section 5.2, steps 1 to 3): each whole, once, from 1 on without a gap. */
export function readSets(header: MessageHeader): SetsRead {
  const broken = (because: Clause, sets: readonly ArcSet[] = []): SetsRead => ({ sets, broken: because });
  const all = NAMES.map((name) => fieldsNamed(header, name));
  const most = Math.max(...all.map((fields) => fields.length));
  if (most === 0) return { sets: [], broken: undefined };
  if (most > MAX_SETS) return broken(clause("arc-too-many", { sets: most }));
  const byInstance = all.map((fields) => new Map<number, HeaderField>(fields.map((one) => [instanceOf(one) ?? 0, one])));
  for (const [i, name] of NAMES.entries()) {
    const [fields, known] = [all[i] as HeaderField[], byInstance[i] as Map<number, HeaderField>];
    if (known.has(0)) return broken(clause("arc-instance", { field: name }));
    if (known.size < fields.length) return broken(clause("arc-instance-twice", { field: name }));
  }
  const sets: ArcSet[] = [];
  for (let instance = 1; instance <= most; instance++) {
    const fields = byInstance.map((known) => known.get(instance));
    const missing = NAMES.find((_, i) => fields[i] === undefined);
    if (missing !== undefined) return broken(clause("arc-incomplete", { instance, field: missing }), sets);
    const [results, signed, sealed] = fields as [HeaderField, HeaderField, HeaderField];
    const signature = readSignature(signed, "arc");
    if (!signature.ok) return broken(clause("arc-signature-unreadable", { instance, because: signature.error.message }), sets);
    const seal = readSeal(sealed);
    if (!seal.ok) return broken(clause("arc-seal-unreadable", { instance, because: seal.error }), sets);
    sets.push({
      instance,
      results: readAuthenticationResults(instanceOfResults(results.raw.slice(results.colon + 1))?.rest ?? ""),
      signature: signature.value,
      seal: seal.value,
      fields: [results, signed, sealed],
    });
  }
  return { sets, broken: undefined };
}
