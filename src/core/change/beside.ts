import type { Clause } from "../clause/index.ts";
import { type Lookup, liveAt, ownSetOf } from "../lookup/index.ts";
import { type DomainName, isAtOrBelow, name as nameOf, parentOf, ROOT, under } from "../name/index.ts";
import { type DataOf, isOfType, type RecordSet } from "../record/index.ts";
import { mayIssue } from "../site/index.ts";
import type { Wanted } from "./gather.ts";

/** The parameters of a service binding that name addresses (RFC 9460 section 7.3). */
const HINTS: ReadonlySet<string> = new Set(["ipv4hint", "ipv6hint"]);

/**
 * Whether a service binding at a name takes browsers elsewhere than the addresses that are wanted there: by its alias mode or its target
 * (RFC 9460 sections 2.4.2 and 2.5), or by hints at other addresses (section 7.3).
 */
export function leadsElsewhere(set: RecordSet<DataOf["HTTPS"]>, name: DomainName, addresses: readonly string[]): boolean {
  return set.data.some(
    ({ host, parameters }) =>
      (host.name !== ROOT && host.name !== name) ||
      parameters.some(({ key, value }) => HINTS.has(key) && value.split(",").some((hint) => !addresses.includes(hint))),
  );
}

/** Whether an issuer that is asked for may issue: a name whose own CAA records keep it out, or why that is not known. */
export type IssuerVerdict =
  | { readonly kind: "allowed" }
  | { readonly kind: "forbidden"; readonly at: DomainName; readonly issuer: string }
  | { readonly kind: "unknown"; readonly because: Clause };

/**
 * Whether an issuer that an ask wants to allow is forbidden all the same: the CAA set nearest to a host counts alone (RFC 8659 section 3),
 * so that one at a host that the certificate is for hides the one that is asked for.
 *
 * @param needed what the domain's asks want, whose sites need the certificate
 * @param after the records at the name as they will be
 */
export async function judgeIssuers(
  { name, set }: Wanted,
  after: RecordSet,
  needed: readonly Wanted[],
  lookup: Lookup,
  domain: DomainName,
): Promise<IssuerVerdict> {
  if (!isOfType(set, "CAA")) return { kind: "allowed" };
  const issuers = set.data.flatMap(({ tag, value }) => {
    const issuer = value.split(";")[0]?.trim() ?? "";
    return tag === "issue" && issuer !== "" ? [issuer] : [];
  });
  const www = under(nameOf("www"), name);
  const sites = needed.filter(({ type, site }) => site && (type === "A" || type === "AAAA" || type === "CNAME"));
  const hosts = [name, ...(www === undefined ? [] : [www]), ...sites.map((wanted) => wanted.name)].filter((host) =>
    isAtOrBelow(host, name),
  );
  const planned: Lookup = {
    async ask(of, type) {
      if (of === name && type === "CAA") return { kind: "found", set: after, chain: [], authoritative: true };
      const live = await liveAt(lookup, domain, of, type as "CAA");
      // Only what this zone says is weighed; what an alias or a delegation leads to is its owner's.
      if (live.kind === "failed" && live.answer.why !== "delegated") return live.answer;
      const own = live.kind === "wildcard" ? live.set : ownSetOf(live);
      return own === undefined
        ? { kind: "nodata", chain: [], authoritative: true }
        : { kind: "found", set: own, chain: [], authoritative: true };
    },
  };
  let unknown: IssuerVerdict | undefined;
  for (const host of new Set(hosts))
    for (const issuer of issuers) {
      const verdict = await mayIssue(planned, host, issuer);
      if (verdict.kind === "forbidden") return { kind: "forbidden", at: verdict.at, issuer };
      if (verdict.kind === "unknown") unknown ??= verdict;
    }
  return unknown ?? { kind: "allowed" };
}

/** The name above another whose CAA records count for it until it has records of its own (RFC 8659 section 3); undefined where none does. */
export async function issuersAbove(name: DomainName, lookup: Lookup, domain: DomainName): Promise<DomainName | undefined> {
  for (let above = name; above !== domain; ) {
    above = parentOf(above);
    if (ownSetOf(await liveAt(lookup, domain, above, "CAA")) !== undefined) return above;
  }
  return undefined;
}
