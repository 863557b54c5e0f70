import type { DomainName } from "../../core/name/index.ts";
import type { Journal } from "../../workspace/index.ts";
import type { DnsContext } from "./context.ts";

/** The DS records of a domain at its parent, and since when they are gone, where they are. */
export interface DsMemory {
  /** Undefined where they could not be asked for. */
  readonly known: Awaited<ReturnType<DnsContext["dsAtParent"]>>;
  /** When they were first seen to be gone, in milliseconds since 1970, and for how many seconds they are remembered from then. */
  readonly gone: { readonly at: number; readonly ttl: number } | undefined;
}

/**
 * Asks the parent for the DS records of a domain and keeps in the journal what changed: from the first look that does not find
 * them any more, they may be remembered for the whole of their TTL.
 */
export async function watchDs(domain: DomainName, dns: DnsContext, journal: Journal | undefined): Promise<DsMemory> {
  const known = await dns.dsAtParent(domain);
  const { ds, ttl = 0 } = known ?? {};
  const keep = dns.isPresent ? journal : undefined;
  const last = journal?.entries(domain, "ds-seen").at(-1);
  const isThere = ds !== undefined && ds.length > 0;
  if (isThere && (last === undefined || last.gone || last.ttl !== ttl))
    keep?.append(dns.now, domain, { kind: "ds-seen", ttl, gone: false });
  if (ds?.length === 0 && last?.gone === false) keep?.append(dns.now, domain, { kind: "ds-seen", ttl: last.ttl, gone: true });
  return { known, gone: dsGone(domain, journal) };
}

/** Since when the DS records of a domain are gone, as the journal knows it. */
export function dsGone(domain: DomainName, journal: Journal | undefined): DsMemory["gone"] {
  const last = journal?.entries(domain, "ds-seen").at(-1);
  return last?.gone === true ? last : undefined;
}

/** Whether the journal last saw DS records, so that it matters whether they are still there. */
export const hadDs = (domain: DomainName, journal: Journal | undefined): boolean =>
  journal?.entries(domain, "ds-seen").at(-1)?.gone === false;
