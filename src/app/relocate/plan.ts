import { existsSync } from "node:fs";
import { resolve } from "node:path";
import { Failure } from "../../core/failure.ts";
import { liveAt } from "../../core/lookup/index.ts";
import { captureByAsking, isHosts, namesToAsk, planMove } from "../../core/relocate/index.ts";
import type { Ended } from "../context.ts";

import { expectOld, fromFile, knownNames, type Move, newHost, type Signatures, shownSignatures, signaturesOf } from "./move.ts";
import type { RelocateResult } from "./schema.ts";

/** The steps of the move with their times. */
export async function plan(move: Move): Promise<{ ended: Ended; plan: NonNullable<RelocateResult["plan"]> } & Signatures> {
  const { domain, looked, dns, request, context, file } = move;
  const old = expectOld(move);
  const fresh = newHost(move);
  const [{ judged, dsTtl, keysTtl, oldUnseen }, keys, ns] = await Promise.all([
    signaturesOf(move, fresh.lookup),
    fresh.lookup.ask(domain.name, "DNSKEY"),
    liveAt(old, domain.name, domain.name, "NS"),
  ]);
  if (request.staySigned && keys.kind !== "found" && (keys.kind !== "failed" || keys.why === "refused"))
    throw new Failure("new-host-unsigned", { title: fresh.title, domain: domain.name });
  const { sets, unresolved: open } = existsSync(resolve(context.cwd, file))
    ? { sets: fromFile(move, file), unresolved: [] }
    : await captureByAsking(old, domain.name, namesToAsk(domain.name, await knownNames(move)));
  const unknown = [
    ...open,
    ...oldUnseen,
    ...(ns.kind === "failed" ? [{ name: domain.name, type: "NS", because: ns.answer.detail }] : []),
    ...(keys.kind === "failed" && keys.why !== "refused" ? [{ name: domain.name, type: "DNSKEY", because: keys.detail }] : []),
  ];
  const { moveAt, steps, possibleFrom } = planMove({
    now: dns.now,
    moveAt: request.moveAt,
    parentTtl: looked.authority.kind === "delegated" ? looked.authority.ttl : 0,
    nsTtl: ns.kind === "set" ? ns.set.ttl : 0,
    longestTtl: Math.max(0, ...sets.filter((set) => !isHosts(set, domain.name)).map((set) => set.ttl)),
    signatures: judged,
    newHostSigns: keys.kind === "found",
    staySigned: request.staySigned,
    dsTtl,
    keysTtl,
  });
  const late = moveAt < possibleFrom;
  return {
    ended: judged.state === "unknown" || unknown.length > 0 ? "undetermined" : late ? "problem" : "fine",
    signatures: shownSignatures(judged),
    plan: {
      moveAt,
      possibleFrom,
      unresolved: unknown,
      steps: steps.map(({ latest, ttl, ...step }) => ({ ...step, latest: latest ?? null, ttl: ttl ?? null })),
    },
  };
}
