import { type Clause, clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { isOfType, type RecordSet } from "../../core/record/index.ts";
import { compareSerials } from "../../core/zone/index.ts";
import { type ServerAddress, serverText, type TsigKey, transferZone } from "../../net/index.ts";
import { hostServer } from "../dns/context.ts";
import { tsigKey } from "../dns/tsig-key.ts";
import type { Move } from "./move.ts";

/** A server that may hand out the whole zone, and the key it wants, where it wants one. */
interface Primary {
  readonly server: ServerAddress;
  readonly key?: TsigKey;
}

/** A zone as a server handed it out, or what each of them said instead. */
export type Transferred =
  | {
      readonly sets: readonly RecordSet[];
      /** What people are told of where it came from. */
      readonly because: Clause;
    }
  | { readonly refusal: Clause };

/** Everybody who may be asked, each once: the primaries of zandrel.yaml, the server that takes updates, the name servers. */
function primariesOf({ domain, looked, workspace, context }: Move): Primary[] {
  const port = workspace.settings.defaults.authorityPort;
  const host = domain.host === undefined ? undefined : workspace.settings.hosts[domain.host];
  const named = host?.transfer?.key;
  const keyOf = (given: NonNullable<typeof named>) => tsigKey(given, host?.title ?? "", workspace.folder, context.env);
  const transferKey = named === undefined ? {} : { key: keyOf(named) };
  const updates = host?.publish.way === "update" ? host.publish : undefined;
  const delegated = looked.authority.kind === "delegated" ? looked.authority.servers : [];
  const all: Primary[] = [
    ...(host?.transfer?.servers ?? []).map((text) => ({ server: hostServer(text, port), ...transferKey })),
    ...(updates === undefined
      ? []
      : [
          { server: hostServer(updates.server, port), ...(named === undefined ? ifKept(() => keyOf(updates.key)) : transferKey) },
        ]),
    ...delegated.map(({ address }) => ({ server: { address, port }, ...transferKey })),
  ];
  return [...new Map(all.reverse().map((one) => [serverText(one.server), one])).values()].reverse();
}

/** A key that is only tried where its secret is at hand: it was not given for this. */
function ifKept(key: () => TsigKey): { key?: TsigKey } {
  try {
    return { key: key() };
  } catch (error) {
    if (error instanceof Failure) return {};
    throw error;
  }
}

/** Asks for the whole zone: of several servers the one with the newest version first (RFC 1982 for their serials). */
export async function transferWhole(move: Move): Promise<Transferred> {
  const { domain, dns, request } = move;
  const versions = await Promise.all(
    primariesOf(move).map(async (primary) => {
      const soa = await dns.server(primary.server).ask(domain.name, "SOA");
      const serial = soa.kind === "found" && isOfType(soa.set, "SOA") ? soa.set.data[0]?.serial : undefined;
      return { ...primary, serial };
    }),
  );
  const newestFirst = versions.sort((a, b) =>
    a.serial === undefined || b.serial === undefined
      ? Number(a.serial === undefined) - Number(b.serial === undefined)
      : (compareSerials(b.serial, a.serial) ?? 0),
  );
  const refusals: Clause[] = [];
  for (const { server, key, serial } of newestFirst) {
    const outcome = await transferZone(server, domain.name, Math.max(10_000, request.timeout), key);
    if (!outcome.ok) {
      refusals.push(outcome.error.detail);
      continue;
    }
    const newest = newestFirst[0]?.serial;
    const several = new Set(versions.flatMap((version) => version.serial ?? [])).size > 1;
    const from = { server: serverText(server), serial, newest: serial === newest ? undefined : newest };
    return { sets: outcome.value, because: clause("capture-transferred", { from: several ? from : undefined }) };
  }
  return { refusal: refusals[0] ?? clause("capture-nobody-asked", { domain: domain.name }) };
}
