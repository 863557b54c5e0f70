import { type Clause, clause } from "../clause/index.ts";
import { type BodyHashes, type DkimVerdict, explainBody, verifyOne } from "../dkim/index.ts";
import type { Lookup } from "../lookup/index.ts";
import type { HeaderField, MessageHeader, MessageSource } from "../message/index.ts";
import { type ArcSet, readSets, type SetsRead } from "./read-sets.ts";
import { type Sealed, verifySeal } from "./seal.ts";

/** What became of one set. */
export interface SetVerdict extends ArcSet {
  readonly sealed: Sealed;
  /** Its signature against the message as it is now: an older one fails where a later handler changed something. */
  readonly signed: Sealed & { readonly reason: DkimVerdict["reason"] };
}

/** What a chain is worth (RFC 8617 section 5.2). */
export interface ChainVerdict {
  /** `temperror` where a key could not be asked for, so that nobody can say. */
  readonly result: "none" | "pass" | "fail" | "temperror";
  /** Why it does not pass; half a sentence. */
  readonly because: Clause | undefined;
  /** The oldest set from which on every signature holds today; 0 where all of them do (RFC 8617 section 10.2). */
  readonly oldestPass: number;
  /** From the oldest to the newest; where the chain is broken in its form, those before the break, nothing of them verified. */
  readonly sets: readonly (ArcSet | SetVerdict)[];
}

export const isVerified = (set: ArcSet | SetVerdict): set is SetVerdict => "sealed" in set;

/** The chain of a message, and the hashes of the body it needs. */
export class Chain {
  readonly read: SetsRead;
  readonly bodies: BodyHashes;

  constructor(header: MessageHeader, bodies: BodyHashes) {
    this.read = readSets(header);
    this.bodies = bodies;
    if (this.read.broken === undefined) for (const { signature } of this.read.sets) bodies.of(signature);
  }
}

/** What the sealers themselves say of the chain before them: `none` first, `pass` from then on (RFC 8617 section 5.2, step 3C). */
function claimed(sets: readonly ArcSet[]): Clause | undefined {
  const wrong = sets.find(({ instance, seal: { cv } }) => cv !== (instance === 1 ? "none" : "pass"));
  if (wrong === undefined) return undefined;
  const { instance, seal } = wrong;
  return seal.cv === "fail"
    ? clause("arc-said-broken", { sealer: seal.domain, instance })
    : clause("arc-claim-wrong", { sealer: seal.domain, instance, cv: seal.cv });
}

/**
 * Judges a chain after the body went by (RFC 8617 section 5.2). The newest signature and every seal have to hold; older signatures say
 * only who changed the message.
 *
 * @param now seconds since 1970
 */
export async function verifyChain(chain: Chain, header: MessageHeader, lookup: Lookup, now: number): Promise<ChainVerdict> {
  const { sets, broken } = chain.read;
  if (broken !== undefined) return { result: "fail", because: broken, oldestPass: 0, sets };
  if (sets.length === 0) return { result: "none", because: undefined, oldestPass: 0, sets };
  const verdicts = await Promise.all(
    sets.map(async (set, i): Promise<SetVerdict> => {
      const covered: HeaderField[] = [...sets.slice(0, i).flatMap(({ fields }) => fields), set.fields[0], set.fields[1]];
      const [sealed, signed] = await Promise.all([
        verifySeal(set.seal, covered, lookup),
        verifyOne(set.signature, header, chain.bodies.of(set.signature), lookup, now),
      ]);
      const result = signed.result === "pass" || signed.result === "temperror" ? signed.result : "fail";
      return { ...set, sealed, signed: { result, because: signed.because, reason: signed.reason } };
    }),
  );
  const newest = verdicts.at(-1) as SetVerdict;
  let oldest = verdicts.length;
  while (oldest > 0 && verdicts[oldest - 1]?.signed.result === "pass") oldest -= 1;
  const common = { oldestPass: oldest === 0 ? 0 : oldest + 1, sets: verdicts };
  const claim = claimed(sets);
  if (claim !== undefined) return { result: "fail", because: claim, ...common };
  const failed =
    newest.signed.result === "fail"
      ? clause("arc-signature-fails", { sealer: newest.seal.domain, instance: newest.instance, because: because(newest.signed) })
      : sealWith(verdicts, "fail");
  if (failed !== undefined) return { result: "fail", because: failed, ...common };
  const unknown =
    newest.signed.result === "temperror"
      ? clause("arc-signature-fails", { sealer: newest.seal.domain, instance: newest.instance, because: because(newest.signed) })
      : sealWith(verdicts, "temperror");
  return unknown === undefined
    ? { result: "pass", because: undefined, ...common }
    : { result: "temperror", because: unknown, ...common };
}

const because = ({ because }: Sealed): Clause => because ?? clause("nothing");

/** The newest set whose seal ends so. */
function sealWith(verdicts: readonly SetVerdict[], result: Sealed["result"]): Clause | undefined {
  const found = verdicts.findLast(({ sealed }) => sealed.result === result);
  return found === undefined
    ? undefined
    : clause("arc-seal-fails", { sealer: found.seal.domain, instance: found.instance, because: because(found.sealed) });
}

/**
 * The verdict with what was changed in the body behind each set whose signature does not hold any more, as DKIM's diagnosis says it;
 * the message is read again for that, once for each way the body was hashed.
 */
export async function explainChain(verdict: ChainVerdict, source: MessageSource): Promise<ChainVerdict> {
  const explained = new Map<string, Clause | undefined>();
  const sets: (ArcSet | SetVerdict)[] = [];
  for (const set of verdict.sets) {
    if (!isVerified(set) || set.signed.reason !== "body-changed") {
      sets.push(set);
      continue;
    }
    const { signature } = set;
    const key = `${signature.body} ${signature.length} ${signature.bodyHash}`;
    if (!explained.has(key)) {
      const { because: found } = await explainBody(source, {
        result: "fail",
        reason: "body-changed",
        because: set.signed.because,
        domain: signature.domain,
        selector: signature.selector,
        testing: false,
        unsignedOctets: 0,
        signature,
      });
      explained.set(key, found);
    }
    sets.push({ ...set, signed: { ...set.signed, because: explained.get(key) } });
  }
  return { ...verdict, sets };
}
