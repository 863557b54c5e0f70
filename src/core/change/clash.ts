import { type Clause, clause } from "../clause/index.ts";
import type { Lookup } from "../lookup/index.ts";
import { type DomainName, displayName, parentOf, ROOT, under } from "../name/index.ts";
import { isOfType, type RecordSet, type RecordType } from "../record/index.ts";
import type { PolicyClashKind } from "./merge-texts.ts";

export type ClashKind =
  | "alias-in-the-way"
  | "alias-at-apex"
  | "alias-beside-data"
  | "other-value"
  | "asks-disagree"
  | "ttl-disagrees"
  | "below-zone-cut"
  | "below-dname"
  | "outside-domain"
  | "leftover-address"
  | "null-mx"
  | "target-is-alias"
  | "wildcard-answers"
  | "leftover-value"
  | "ends-wildcard"
  | "leads-elsewhere"
  | "issuer-forbidden"
  | PolicyClashKind;

/** Why an ask cannot be published as it stands, what taking the obstacle away would break, and the options. */
export interface Clash {
  readonly kind: ClashKind;
  readonly name: DomainName;
  readonly type: RecordType;
  readonly ask: string;
  readonly because: Clause;
  readonly breaks: Clause;
  readonly options: readonly Clause[];
  /** Whether the user may say that the records at the name are replaced. */
  readonly replaceable: boolean;
  /** Whether all that the ask wants there is there, so that this stands beside it and keeps it from counting. */
  readonly contradicts: boolean;
  /** The records that stand in the way or beside it, where they are what has to go. */
  readonly offending?: RecordSet;
}

/** What would go wrong with a set even where nothing stands in its way. */
export async function hazardOf(
  set: RecordSet,
  lookup: Lookup,
): Promise<(Pick<Clash, "because" | "breaks" | "options"> & { kind: ClashKind }) | undefined> {
  const name = displayName(set.name);
  if (isOfType(set, "MX") && set.data.length > 1 && set.data.some(({ exchange }) => exchange === ROOT))
    return {
      kind: "null-mx",
      because: clause("change-null-mx-and-server", { name }),
      breaks: clause("change-breaks-nothing-yet"),
      options: [clause("change-retire-one")],
    };
  const targets = isOfType(set, "MX")
    ? set.data.map((data) => data.exchange)
    : isOfType(set, "NS")
      ? set.data.map((data) => data.target)
      : [];
  for (const target of targets) {
    if (target === ROOT) continue;
    const answer = await lookup.ask(target, "A");
    const [link] = answer.chain;
    if (link !== undefined)
      return {
        kind: "target-is-alias",
        because: clause("change-target-is-alias", { target, alias: link.data[0]?.target ?? target, type: set.type }),
        breaks: clause("change-target-is-alias-breaks", { name, type: set.type }),
        options: [clause("change-name-behind", { alias: link.data[0]?.target ?? target })],
      };
  }
  if (set.name.startsWith("*.") && (set.type === "CNAME" || set.type === "TXT")) {
    const above = parentOf(set.name);
    const dmarc = under("_dmarc." as DomainName, above);
    const own = dmarc === undefined ? undefined : await lookup.ask(dmarc, "TXT");
    const covered = own?.kind === "nxdomain";
    if (covered)
      return {
        kind: "wildcard-answers",
        because: clause("change-wildcard-answers", { name, above }),
        breaks: clause("change-wildcard-answers-breaks"),
        options: [clause("change-publish-policy-first", { above }), clause("change-replace-all-the-same", { name: set.name })],
      };
  }
  return undefined;
}
