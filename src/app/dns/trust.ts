import { clause } from "../../core/clause/index.ts";
import {
  ChainOfTrust,
  ROOT_ANCHORS,
  type SignedAnswer,
  type SignedLookup,
  type TrustAnchor,
  type Verdict,
} from "../../core/dnssec/index.ts";
import { Failure } from "../../core/failure.ts";
import { type DomainName, isAtOrBelow, ROOT } from "../../core/name/index.ts";
import { isOfType, type RecordType, toSets } from "../../core/record/index.ts";
import { readRecords } from "../../core/zone/index.ts";
import type { Settings } from "../../workspace/index.ts";

/** Signed answers from the first of several resolvers that can be asked. */
const signedInTurn = (lookups: readonly SignedLookup[]): SignedLookup => ({
  async askSigned(name, type) {
    let last: SignedAnswer = { kind: "failed", detail: clause("answer-no-resolver") };
    for (const lookup of lookups) {
      last = await lookup.askSigned(name, type);
      if (last.kind === "answer") break;
    }
    return last;
  },
});

/** The trust anchors of a workspace: those it names, or the root's. */
function anchorsOf(settings: Settings | undefined): readonly TrustAnchor[] {
  if (settings?.anchors === undefined) return ROOT_ANCHORS;
  const { records, issues } = readRecords(settings.anchors, { origin: ROOT, ttl: 3600 });
  const [issue] = issues;
  if (issue !== undefined)
    throw new Failure("yaml-value", {
      at: "zandrel.yaml",
      found: issue.text,
      because: clause("dnssec-anchors-expected", { expected: issue.expected }),
    });
  return toSets(records).flatMap((set) => (isOfType(set, "DS") ? [{ zone: set.name, ds: set.data }] : []));
}

/** What signatures prove, as several resolvers show them. */
export interface Trust {
  judge(name: DomainName, type: RecordType): Promise<Verdict>;
  /** The same, where everything in a zone is asked of one of its servers. */
  judgeAt(server: SignedLookup, zone: DomainName, name: DomainName, type: RecordType): Promise<Verdict>;
}

/** Trust from the anchors of a workspace on; `now` in milliseconds since 1970. */
export function trustThrough(lookups: readonly SignedLookup[], settings: Settings | undefined, now: number): Trust {
  const lookup = signedInTurn(lookups);
  const chain = new ChainOfTrust(lookup, anchorsOf(settings), Math.floor(now / 1000));
  return {
    judge: (name, type) => chain.judge(name, type),
    judgeAt(server, zone, name, type) {
      const at: SignedLookup = {
        askSigned: (of, kind) => (isAtOrBelow(of, zone) && !(kind === "DS" && of === zone) ? server : lookup).askSigned(of, kind),
      };
      return new ChainOfTrust(at, anchorsOf(settings), Math.floor(now / 1000)).judge(name, type);
    },
  };
}
