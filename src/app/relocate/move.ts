import { dnsWants } from "../../core/ask/index.ts";
import { Failure } from "../../core/failure.ts";
import type { Lookup } from "../../core/lookup/index.ts";
import { type DomainName, isAtOrBelow, name } from "../../core/name/index.ts";
import { isOfType, type RecordSet, toSets } from "../../core/record/index.ts";
import { judgeSignedMove, type SignedMove } from "../../core/relocate/index.ts";
import type { Domain, Journal, Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest } from "../context.ts";
import { type DnsContext, type DnsOptions, type DomainLook, hostServer, readZoneFile } from "../dns/context.ts";

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

/** Names of the domain that are known from its asks and from what was ever published. */
export function knownNames({ domain, journal }: Move): DomainName[] {
  const asked = domain.asks.flatMap((ask) => dnsWants(ask.wants).map((want) => want.name));
  const published = journal.publications(domain.name).flatMap(({ opened }) => opened.changes.map((change) => name(change.name)));
  return [...asked, ...published].filter((one) => isAtOrBelow(one, domain.name));
}

export function expectOld({ looked, domain }: Move): Lookup {
  if (looked.lookup === undefined || looked.authority.kind !== "delegated")
    throw new Failure(
      "domain-unseen",
      {
        domain: domain.name,
        because: looked.authority.kind === "delegated" ? "none of its name servers has an address" : looked.authority.because,
      },
      "undetermined",
    );
  return looked.lookup;
}

/** Reads records somebody exported from the old host's form, or the capture of an earlier day. */
export const fromFile = ({ context, domain, workspace }: Move, file: string): RecordSet[] =>
  toSets(readZoneFile(context.cwd, file, [domain.name], workspace.settings.defaults.ttl).document.entries);

/** Whether the domain survives the change of name servers, by its DS records and the new host's keys. */
export async function signaturesOf({ domain, dns, journal }: Move, fresh: Lookup): Promise<SignedMove> {
  const [known, keys] = await Promise.all([dns.dsAtParent(domain.name), fresh.ask(domain.name, "DNSKEY")]);
  const { ds, ttl = 0 } = known ?? {};
  const last = journal.entries(domain.name, "ds-seen").at(-1);
  const isThere = ds !== undefined && ds.length > 0;
  if (isThere && (last === undefined || last.gone || last.ttl !== ttl))
    journal.append(dns.now, domain.name, { kind: "ds-seen", ttl, gone: false });
  // From the first look that does not find them they may be remembered for the whole of their TTL.
  if (ds?.length === 0 && last?.gone === false)
    journal.append(dns.now, domain.name, { kind: "ds-seen", ttl: last.ttl, gone: true });
  const gone = journal.entries(domain.name, "ds-seen").at(-1);
  return judgeSignedMove(
    domain.name,
    { ds, ttl, gone: gone?.gone === true ? gone : undefined },
    // A host that refuses does not have the zone yet, and so no keys for it.
    keys.kind === "failed" && keys.why !== "refused"
      ? undefined
      : keys.kind === "found" && isOfType(keys.set, "DNSKEY")
        ? keys.set.data
        : [],
    dns.now,
  );
}

export const shownSignatures = (judged: SignedMove): NonNullable<RelocateResult["signatures"]> => ({
  dsTags: [],
  keyTags: [],
  ttl: null,
  until: null,
  ...(judged.state === "breaks"
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
