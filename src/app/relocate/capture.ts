import { existsSync } from "node:fs";
import { resolve } from "node:path";
import { MAX_PASTE, understand } from "../../core/ask/intake/index.ts";
import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import type { DomainName } from "../../core/name/index.ts";
import { type RecordSet, toSets } from "../../core/record/index.ts";
import { captureByAsking, isHosts, namesToAsk, pointersToHost, walkNames, zoneText } from "../../core/relocate/index.ts";
import { organizationalDomain } from "../../core/suffix/index.ts";
import { readText, replaceFile } from "../../workspace/index.ts";
import type { Ended } from "../context.ts";

import { expectOld, fromFile, knownNames, type Move } from "./move.ts";
import type { RelocateResult } from "./schema.ts";
import { transferWhole } from "./transfer.ts";

/** Records that the old host's form shows: as a zone file, or in whatever layout it prints or exports them. */
function fromExport(move: Move, file: string): RecordSet[] {
  try {
    return fromFile(move, file);
  } catch (error) {
    if (!(error instanceof Failure) || error.code !== "zone-file-line") throw error;
    const { domain, context, workspace } = move;
    const text = readText(resolve(context.cwd, file), "as-saved", MAX_PASTE);
    const read = understand({ text, domain: domain.name, ttl: workspace.settings.defaults.ttl, choices: new Map() });
    const [problem] = read.problems;
    if (problem !== undefined) throw new Failure("paste-problem", { problem });
    if (read.leftover.length > 0) throw new Failure("paste-leftover", { leftover: read.leftover });
    if (read.questions.length > 0) throw new Failure("paste-ambiguous", { questions: read.questions });
    return toSets(read.records.map(({ record }) => record));
  }
}

/** The domains that the old host's name servers are named in. */
const hostDomains = ({ looked }: Move): DomainName[] =>
  looked.authority.kind === "delegated" ? looked.authority.servers.map(({ name }) => organizationalDomain(name)) : [];

/** Writes the zone down as it is. */
export async function capture(move: Move): Promise<{ ended: Ended; capture: NonNullable<RelocateResult["capture"]> }> {
  const { domain, dns, request, context, workspace, file } = move;
  const old = expectOld(move);
  if (existsSync(resolve(context.cwd, file)) && !request.force) throw new Failure("file-there", { path: file, what: "capture" });
  const exported = request.export;
  const extra = exported === undefined ? [] : fromExport(move, exported);
  const transferred = await transferWhole(move);
  const whole = "sets" in transferred ? transferred.sets : undefined;
  const walked = whole === undefined ? await walkNames(old, domain.name) : undefined;
  const names =
    walked === undefined
      ? namesToAsk(domain.name, [...(await knownNames(move)), ...extra.map((set) => set.name)])
      : [...walked.keys()];
  const asked = whole === undefined ? await captureByAsking(old, domain.name, names, walked) : undefined;
  const live = new Map((whole ?? asked?.sets ?? []).map((set) => [`${set.name} ${set.type}`, set]));
  // What was exported and is not live any more stays out; what could not be asked for is taken from the export.
  const failedSets = new Set(asked?.unresolved.map((one) => `${one.name} ${one.type}`));
  for (const set of extra) if (failedSets.has(`${set.name} ${set.type}`)) live.set(`${set.name} ${set.type}`, set);
  const sets = [...live.values()].filter((set) => !isHosts(set, domain.name));
  const pointers = pointersToHost([...live.values()], domain.name, hostDomains(move));
  const because =
    walked !== undefined
      ? clause("capture-walked")
      : "refusal" in transferred
        ? clause("capture-asked", {
            refusal: transferred.refusal,
            questions: asked?.asked ?? 0,
            exported: exported !== undefined,
          })
        : transferred.because;
  const remarks = await Promise.all(
    [clause("capture-title", { domain: domain.name, at: dns.now }), because, clause("capture-own-records")].map(context.inWords),
  );
  replaceFile(resolve(context.cwd, file), zoneText(domain.name, sets, remarks), { encoding: "latin1" });
  const records = sets.reduce((sum, set) => sum + set.data.length, 0);
  const missing = asked?.unresolved ?? [];
  const otherHosts = Object.keys(workspace.settings.hosts).filter((key) => key !== domain.host);
  return {
    ended: missing.length > 0 ? "undetermined" : "fine",
    capture: {
      file,
      records,
      whole: whole !== undefined || walked !== undefined,
      because,
      otherHosts,
      leftOut: pointers.left.map(({ name, type }) => ({ name, type })),
      toOldHost: pointers.kept.map(({ set: { name, type }, target }) => ({ name, type, target })),
      unresolved: [...missing],
    },
  };
}
