import type { Lookup } from "../lookup/index.ts";
import { type DomainName, displayName, upwards } from "../name/index.ts";
import { isOfType } from "../record/index.ts";

/** Whether a certificate issuer may issue for a name, by the CAA records that count for it. */
export type CaaVerdict =
  | { readonly kind: "allowed"; readonly because: string }
  | { readonly kind: "forbidden"; readonly because: string; readonly at: DomainName }
  | { readonly kind: "unknown"; readonly because: string };

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
        because: `${displayName(above)} has a critical CAA property “${critical.tag}” that issuers do not know`,
      };
    if (counting.length === 0)
      return { kind: "allowed", because: `the CAA records of ${displayName(above)} do not restrict who issues` };
    const allowed = counting.map((data) => data.value.split(";")[0]?.trim().toLowerCase() ?? "").filter((one) => one !== "");
    if (allowed.includes(issuer.toLowerCase()))
      return { kind: "allowed", because: `the CAA records of ${displayName(above)} name ${issuer}` };
    return {
      kind: "forbidden",
      at: above,
      because: `the CAA records of ${displayName(above)} let ${allowed.length === 0 ? "nobody" : `only ${allowed.join(", ")}`} issue certificates`,
    };
  }
  return { kind: "allowed", because: "no CAA record restricts who issues" };
}
