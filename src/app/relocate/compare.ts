import { existsSync } from "node:fs";
import { resolve } from "node:path";
import { Failure } from "../../core/failure.ts";
import { setJson } from "../../core/record/index.ts";
import { compareSides, namesToAsk, USUAL_TYPES } from "../../core/relocate/index.ts";
import type { Ended } from "../context.ts";
import {
  expectOld,
  fromFile,
  knownNames,
  type Move,
  newHost,
  oldHost,
  type Signatures,
  shownSignatures,
  signaturesOf,
} from "./move.ts";
import type { RelocateResult } from "./schema.ts";

/** Compares both hosts name by name. */
export async function compare(
  move: Move,
): Promise<{ ended: Ended; compare: NonNullable<RelocateResult["compare"]> } & Signatures> {
  const { domain, context, file, workspace } = move;
  const fresh = newHost(move);
  const soa = await fresh.lookup.ask(domain.name, "SOA");
  if (soa.kind === "failed")
    throw new Failure(soa.why === "refused" ? "new-host-refuses" : "new-host-unseen", {
      title: fresh.title,
      domain: domain.name,
      because: soa.detail,
    });
  const captured = existsSync(resolve(context.cwd, file)) ? fromFile(move, file) : [];
  // After the move the parent names the new servers; the old ones are then known from the domain's host.
  const named = domain.host !== undefined && domain.host !== fresh.key && workspace.settings.hosts[domain.host]?.servers[0];
  const old = named ? oldHost(move) : expectOld(move);
  const names = namesToAsk(domain.name, [...(await knownNames(move)), ...captured.map((set) => set.name)]);
  const types = new Set([...USUAL_TYPES, ...captured.map((set) => set.type)]);
  const wanted = names.flatMap((domainName) => [...types].map((type) => ({ name: domainName, type })));
  const { same, differences, unresolved } = await compareSides(old, fresh.lookup, domain.name, wanted);
  const serious = differences.filter((difference) => difference.kind !== "ttl" && difference.kind !== "extra");
  const { judged, oldUnseen } = await signaturesOf(move, fresh.lookup);
  const open = [...unresolved, ...oldUnseen];
  const survives = judged.state === "unsigned" || judged.state === "fits";
  const ready = serious.length === 0 && open.length === 0 && survives;
  return {
    ended: open.length > 0 || judged.state === "unknown" ? "undetermined" : ready ? "fine" : "problem",
    signatures: shownSignatures(judged),
    compare: {
      ready,
      same,
      differences: differences.map((difference) => ({
        kind: difference.kind,
        name: difference.name,
        type: difference.type,
        old: setJson(difference.old),
        new: setJson(difference.new),
      })),
      unresolved: open,
    },
  };
}
