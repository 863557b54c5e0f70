import { existsSync } from "node:fs";
import { resolve } from "node:path";
import { clause } from "../../core/clause/index.ts";
import { liveAt } from "../../core/lookup/index.ts";
import type { DataOf } from "../../core/record/index.ts";
import { judgeCutOver } from "../../core/relocate/index.ts";
import { changeDomain, lockWorkspace } from "../../workspace/index.ts";
import type { Ended } from "../context.ts";
import { hostServer } from "../dns/context.ts";
import { unservedOrUnseen } from "../dns/unserved.ts";

import { fromFile, type Move, newHost, type Signatures, shownSignatures, signaturesOf } from "./move.ts";
import type { RelocateResult } from "./schema.ts";

/** Follows the change of name servers. */
export async function check(move: Move): Promise<{ ended: Ended; check: NonNullable<RelocateResult["check"]> } & Signatures> {
  const { domain, looked, dns, journal, workspace, file, context } = move;
  const fresh = newHost(move);
  if (looked.authority.kind !== "delegated") throw unservedOrUnseen(domain.name, looked.authority);
  const { servers, ttl } = looked.authority;
  const port = workspace.settings.defaults.authorityPort;
  const addresses = servers.map((server) => (port === 53 ? server.address : `${server.address}:${port}`));
  const expected = fresh.servers;
  const onNew = addresses.length > 0 && addresses.every((address) => expected.includes(address));
  const seen = journal.entries(domain.name, "delegation-seen").filter((entry) => entry.host === fresh.key);
  if (onNew && seen.length === 0 && !dns.fromFiles)
    journal.append(dns.now, domain.name, { kind: "delegation-seen", host: fresh.key, servers: addresses });
  const oldServer =
    domain.host === undefined || domain.host === fresh.key ? undefined : workspace.settings.hosts[domain.host]?.servers[0];
  const oldNs =
    oldServer === undefined ? undefined : await liveAt(dns.server(hostServer(oldServer, port)), domain.name, domain.name, "NS");
  const oldNsTtl = oldNs?.kind === "set" ? oldNs.set.ttl : ttl;
  const captured = existsSync(resolve(context.cwd, file)) ? fromFile(move, file) : [];
  const longestTtl = Math.max(0, ...captured.map((set) => set.ttl));
  const verdict = judgeCutOver(addresses, expected, {
    movedAt: seen[0]?.at,
    now: dns.now,
    parentTtl: ttl,
    oldNsTtl,
    longestTtl,
  });
  const freshNs = await liveAt(fresh.lookup, domain.name, domain.name, "NS");
  const freshNames = freshNs.kind === "set" ? (freshNs.set.data as readonly DataOf["NS"][]).map((data) => data.target) : [];
  const vantages = await Promise.all(
    looked.viewpoints
      .filter((viewpoint) => viewpoint.role === "vantage")
      .map(async ({ name: vantage, lookup }) => {
        const answer = await lookup.ask(domain.name, "NS");
        if (answer.kind !== "found") return { vantage, sees: "unknown" as const, until: null };
        const names = (answer.set.data as readonly DataOf["NS"][]).map((data) => data.target);
        const sees = names.every((domainName) => freshNames.includes(domainName)) ? ("new" as const) : ("old" as const);
        return { vantage, sees, until: sees === "old" ? dns.now + answer.set.ttl * 1000 : null };
      }),
  );
  const { judged } = await signaturesOf(move, fresh.lookup);
  const because =
    verdict.state === "not-yet"
      ? clause("relocate-not-yet-from", { servers: servers.map((server) => server.name) })
      : verdict.because;
  return {
    ended: (verdict.state === "moved" || verdict.state === "over") && judged.state !== "breaks" ? "fine" : "problem",
    signatures: shownSignatures(judged),
    check: {
      state: verdict.state,
      because,
      oldHostUntil: verdict.oldHostUntil === undefined ? null : verdict.oldHostUntil,
      host: await followHost(move, fresh.key, verdict.state === "moved" || verdict.state === "over"),
      vantages,
    },
  };
}

/** The domain's file follows the move: it names the new host, where the person says so. */
async function followHost(
  { domain, workspace, request, context }: Move,
  host: string,
  moved: boolean,
): Promise<"same" | "to-change" | "changed"> {
  if (!moved || domain.host === host) return "same";
  const agreed =
    request.write ||
    (context.interactive && (await context.choose({ kind: "change-host", domain: domain.name, host })) === "yes");
  if (!agreed) return "to-change";
  await lockWorkspace(workspace.folder, context, () => changeDomain(domain, { host }));
  return "changed";
}
