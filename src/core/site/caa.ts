import { type Clause, clause } from "../clause/index.ts";
import type { Lookup } from "../lookup/index.ts";
import { type DomainName, upwards } from "../name/index.ts";
import { isOfType } from "../record/index.ts";

/** Whether a certificate issuer may issue for a name, by the CAA records that count for it. */
export type CaaVerdict =
  | { readonly kind: "allowed"; readonly because: Clause }
  | { readonly kind: "forbidden"; readonly because: Clause; readonly at: DomainName }
  | { readonly kind: "unknown"; readonly because: Clause };

/**
 * Climbs from the name towards the root until a CAA set is found (RFC 8659 section 3); aliases are followed at
 * each name. No set anywhere lets everybody issue; an empty `issue ";"` lets nobody.
 *
 * @param issuer the issuer's own domain, as it stands in CAA records
 */
export async function mayIssue(lookup: Lookup, name: DomainName, issuer: string, wildcard = false): Promise<CaaVerdict> {
  for (const above of upwards(name)) {
    if (above === ".") break;
    const answer = await lookup.ask(above, "CAA");
    if (answer.kind === "failed") return { kind: "unknown", because: answer.detail };
    if (answer.kind !== "found" || !isOfType(answer.set, "CAA")) continue;
    const wild = wildcard ? answer.set.data.filter((data) => data.tag === "issuewild") : [];
    const counting = wild.length > 0 ? wild : answer.set.data.filter((data) => data.tag === "issue");
    const critical = answer.set.data.find(
      (data) => (data.flags & 128) !== 0 && !["issue", "issuewild", "iodef"].includes(data.tag),
    );
    if (critical !== undefined)
      return {
        kind: "forbidden",
        at: above,
        because: clause("site-caa-critical", { above, tag: critical.tag }),
      };
    if (counting.length === 0) return { kind: "allowed", because: clause("site-caa-unrestricted", { above }) };
    const allowed = counting
      .map((data) => data.value.split(";")[0]?.trim().toLowerCase() ?? "")
      .filter((candidate) => candidate !== "");
    if (allowed.includes(issuer.toLowerCase())) return { kind: "allowed", because: clause("site-caa-names", { above, issuer }) };
    return {
      kind: "forbidden",
      at: above,
      because: clause("site-caa-others", { at: above, allowed }),
    };
  }
  return { kind: "allowed", because: clause("site-caa-none") };
}
