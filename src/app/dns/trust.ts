import { ChainOfTrust, ROOT_ANCHORS, type SignedAnswer, type SignedLookup, type TrustAnchor } from "../../core/dnssec/index.ts";
import { type DomainName, ROOT } from "../../core/name/index.ts";
import { isOfType, type RecordType, toSets } from "../../core/record/index.ts";
import { readRecords } from "../../core/zone/index.ts";
import type { Settings } from "../../workspace/index.ts";

/** Signed answers from the first of several resolvers that can be asked; each question is asked once. */
function signedInTurn(lookups: readonly SignedLookup[]): SignedLookup {
  const asked = new Map<string, Promise<SignedAnswer>>();
  const inTurn = async (name: DomainName, type: RecordType): Promise<SignedAnswer> => {
    let last: SignedAnswer = { kind: "failed", detail: "no resolver could be asked" };
    for (const lookup of lookups) {
      last = await lookup.askSigned(name, type);
      if (last.kind === "answer") break;
    }
    return last;
  };
  return {
    askSigned(name, type) {
      const key = `${type} ${name}`;
      let answer = asked.get(key);
      if (answer === undefined) asked.set(key, (answer = inTurn(name, type)));
      return answer;
    },
  };
}

/** The trust anchors of a workspace: those it names, or the root's. */
function anchorsOf(settings: Settings | undefined): readonly TrustAnchor[] {
  if (settings?.anchors === undefined) return ROOT_ANCHORS;
  const { records } = readRecords(settings.anchors, { origin: ROOT, ttl: 3600 });
  return toSets(records).flatMap((set) => (isOfType(set, "DS") ? [{ zone: set.name, ds: set.data }] : []));
}

/** Chains of trust as several resolvers show them, from the anchors of a workspace; `now` in milliseconds since 1970. */
export const chainThrough = (lookups: readonly SignedLookup[], settings: Settings | undefined, now: number): ChainOfTrust =>
  new ChainOfTrust(signedInTurn(lookups), anchorsOf(settings), Math.floor(now / 1000));
