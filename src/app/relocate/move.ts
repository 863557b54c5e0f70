import { dnsWants } from "../../core/ask/index.ts";
import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import type { Answer, Lookup } from "../../core/lookup/index.ts";
import { type DomainName, isAtOrBelow, name, parseName } from "../../core/name/index.ts";
import { type DataOf, isOfType, type RecordSet, toSets } from "../../core/record/index.ts";
import { judgeSignedMove, type SignedMove } from "../../core/relocate/index.ts";
import type { Domain, Journal, Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest } from "../context.ts";
import { type DnsContext, type DnsOptions, type DomainLook, hostServer, readZoneFile } from "../dns/context.ts";
import { watchDs } from "../dns/ds-memory.ts";
import { unservedOrUnseen } from "../dns/unserved.ts";
import type { RelocateResult } from "./schema.ts";

/** What {@link relocate} is asked. */
export interface RelocateRequest extends CommonRequest, Omit<DnsOptions, "zoneFile" | "includeFrom"> {
  readonly newHost: string | undefined;
  readonly file: string | undefined;
  readonly export: string | undefined;
  readonly force: boolean;
  /** When the name servers are to change, milliseconds since 1970. */
  readonly moveAt: number | undefined;
  /** The calendar file to write the plan into. */
  readonly calendar: string | undefined;
  /** Whether the domain is to be signed all through the move, by keys that both hosts publish. */
  readonly staySigned: boolean;
  /** Whether the domain's file is changed to the new host once the domain has moved. */
  readonly write: boolean;
}

/** Everything a step works with. */
export interface Move {
  readonly domain: Domain;
  readonly workspace: Workspace;
  readonly dns: DnsContext;
  readonly looked: DomainLook;
  readonly journal: Journal;
  readonly request: RelocateRequest;
  readonly context: AppContext;
  /** The file the capture is in. */
  readonly file: string;
}

/** Names of the domain that are known from its asks, from what was ever published, and from reports about its mail. */
export async function knownNames({ domain, journal, workspace, context }: Move): Promise<DomainName[]> {
  const asked = domain.asks.flatMap((ask) => dnsWants(ask.wants).map((want) => want.name));
  const published = journal.publications(domain.name).flatMap(({ opened }) => opened.changes.map((change) => name(change.name)));
  const reports = workspace.hasReports ? await workspace.openReports(context) : undefined;
  const reported = (reports?.names() ?? []).flatMap((text) => {
    const parsed = parseName(text);
    return parsed.ok ? [parsed.value] : [];
  });
  reports?.close();
  return [...asked, ...published, ...reported].filter((domainName) => isAtOrBelow(domainName, domain.name));
}

export function expectOld({ looked, domain }: Move): Lookup {
  if (looked.authority.kind !== "delegated") throw unservedOrUnseen(domain.name, looked.authority);
  if (looked.lookup === undefined)
    throw new Failure("domain-unseen", { domain: domain.name, because: clause("spread-servers-unfound") });
  return looked.lookup;
}

/** Reads records somebody exported from the old host's form, or the capture of an earlier day. */
export const fromFile = ({ context, domain, workspace }: Move, file: string): RecordSet[] =>
  toSets(readZoneFile(context.cwd, file, [domain.name], workspace.settings.defaults.ttl).document.entries);

/** Whether the domain survives the change of name servers, by its DS records and the new host's keys. */
export async function signaturesOf(
  move: Move,
  fresh: Lookup,
): Promise<{ judged: SignedMove; dsTtl: number; keysTtl: number; oldUnseen: Unseen[] }> {
  const { domain, dns, journal } = move;
  const [{ ds, ttl, gone }, keys, old] = await Promise.all([
    watchDs(domain.name, dns, journal),
    fresh.ask(domain.name, "DNSKEY"),
    oldHost(move).ask(domain.name, "DNSKEY"),
  ]);
  const keysTtl = old.kind === "found" ? old.set.ttl : 0;
  const judged = judgeSignedMove(
    domain.name,
    { ds, ttl, gone },
    // A host that refuses does not have the zone yet, and so no keys for it.
    keys.kind === "failed" && keys.why !== "refused" ? undefined : keysIn(keys),
    { keys: keysIn(old), ttl: keysTtl },
    dns.now,
  );
  // An old host that is switched off after the move has no keys that count; before it, they are not known to be none.
  const oldUnseen =
    old.kind === "failed" && ds !== undefined && ds.length > 0
      ? [{ name: domain.name, type: "DNSKEY", because: old.detail }]
      : [];
  return { judged, dsTtl: ttl, keysTtl, oldUnseen };
}

/** A set that could not be asked for. */
type Unseen = NonNullable<RelocateResult["plan"]>["unresolved"][number];

/** The keys that a name server shows; none where it shows none. */
const keysIn = (answer: Answer): readonly DataOf["DNSKEY"][] =>
  answer.kind === "found" && isOfType(answer.set, "DNSKEY") ? answer.set.data : [];

/** The host that the domain leaves: the one its file names, or whoever serves it. */
export function oldHost({ domain, workspace, dns, looked, request }: Move): Lookup {
  const named =
    domain.host === undefined || domain.host === request.newHost ? undefined : workspace.settings.hosts[domain.host]?.servers[0];
  return named === undefined
    ? (looked.lookup ?? dns.world)
    : dns.server(hostServer(named, workspace.settings.defaults.authorityPort));
}

export const shownSignatures = (judged: SignedMove): NonNullable<RelocateResult["signatures"]> => ({
  dsTags: [],
  keyTags: [],
  ttl: null,
  until: null,
  ...(judged.state === "breaks" || judged.state === "apart"
    ? { ...judged, dsTags: [...judged.dsTags], keyTags: [...judged.keyTags] }
    : judged.state === "waiting"
      ? judged
      : { state: judged.state }),
});

/** The new host's servers, asked directly. */
export function newHost({ workspace, request, dns }: Move): { key: string; title: string; lookup: Lookup; servers: string[] } {
  const key = request.newHost;
  const host = key === undefined ? undefined : workspace.settings.hosts[key];
  if (key === undefined || host === undefined) throw new Failure("new-host", { known: Object.keys(workspace.settings.hosts) });
  const [first] = host.servers;
  if (first === undefined) throw new Failure("host-without-servers", { host: key, title: host.title });
  return {
    key,
    title: host.title,
    lookup: dns.server(hostServer(first, workspace.settings.defaults.authorityPort)),
    servers: host.servers,
  };
}

/** What a step says of DNSSEC. */
export type Signatures = Pick<RelocateResult, "signatures">;
