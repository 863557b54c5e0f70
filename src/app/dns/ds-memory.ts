import { type Clause, NOTHING } from "../../core/clause/index.ts";
import type { DomainName } from "../../core/name/index.ts";
import { type DataOf, isOfType } from "../../core/record/index.ts";
import type { Journal } from "../../workspace/index.ts";
import type { DnsContext } from "./context.ts";

/** The DS records of a domain at its parent, and since when they are gone, where they are. */
export interface DsMemory {
  /** None where the parent has none; undefined where it could not be asked. */
  readonly ds: readonly DataOf["DS"][] | undefined;
  /** Why it could not be asked; nothing where it was. */
  readonly unseen: Clause;
  /** For how many seconds they are remembered; 0 where there are none. */
  readonly ttl: number;
  /** When they were first seen to be gone, in milliseconds since 1970, and for how many seconds they are remembered from then. */
  readonly gone: { readonly at: number; readonly ttl: number } | undefined;
}

/**
 * Asks the parent for the DS records of a domain and keeps in the journal what changed: from the first look that does not find
 * them any more, they may be remembered for the whole of their TTL.
 */
export async function watchDs(domain: DomainName, dns: DnsContext, journal: Journal | undefined): Promise<DsMemory> {
  const answer = await dns.dsAtParent(domain);
  const ds = answer.kind === "failed" ? undefined : answer.kind === "found" && isOfType(answer.set, "DS") ? answer.set.data : [];
  const ttl = answer.kind === "found" ? answer.set.ttl : 0;
  const keep = dns.isPresent ? journal : undefined;
  const last = journal?.entries(domain, "ds-seen").at(-1);
  const isThere = ds !== undefined && ds.length > 0;
  if (isThere && (last === undefined || last.gone || last.ttl !== ttl))
    keep?.append(dns.now, domain, { kind: "ds-seen", ttl, gone: false });
  if (ds?.length === 0 && last?.gone === false) keep?.append(dns.now, domain, { kind: "ds-seen", ttl: last.ttl, gone: true });
  const unseen = answer.kind === "failed" ? answer.detail : NOTHING;
  return { ds, unseen, ttl, gone: dsGone(domain, journal) };
}

/** Since when the DS records of a domain are gone, as the journal knows it. */
export function dsGone(domain: DomainName, journal: Journal | undefined): DsMemory["gone"] {
  const last = journal?.entries(domain, "ds-seen").at(-1);
  return last?.gone === true ? last : undefined;
}

/** Whether the journal last saw DS records, so that it matters whether they are still there. */
export const hadDs = (domain: DomainName, journal: Journal | undefined): boolean =>
  journal?.entries(domain, "ds-seen").at(-1)?.gone === false;
