import { type DomainName, isAtOrBelow, labelsOf, substituted, upwards, wildcardOf } from "../name/index.ts";
import type { DataOf, RecordSet, RecordType } from "../record/index.ts";
import type { Zone } from "./document.ts";

/** What an authoritative server says from one zone to one question (RFC 1034 section 4.3.2, RFC 4592). */
export type ZoneAnswer =
  | { readonly kind: "found"; readonly set: RecordSet; readonly wildcard?: DomainName }
  | { readonly kind: "alias"; readonly set: RecordSet<DataOf["CNAME"]>; readonly wildcard?: DomainName }
  | { readonly kind: "delegated"; readonly ns: RecordSet<DataOf["NS"]> }
  | { readonly kind: "nodata" | "nxdomain"; readonly soa: RecordSet | undefined };

/** Names from just below the apex down to `of`. */
function downTo(zone: Zone, of: DomainName): DomainName[] {
  const path: DomainName[] = [];
  for (const above of upwards(of)) {
    if (above === zone.apex) break;
    path.push(above);
  }
  return path.reverse();
}

function fromNode(
  zone: Zone,
  node: ReadonlyMap<RecordType, RecordSet> | undefined,
  of: DomainName,
  type: RecordType,
  wildcard?: DomainName,
): ZoneAnswer {
  const mark = wildcard === undefined ? {} : { wildcard };
  const set = node?.get(type);
  if (set !== undefined) return { kind: "found", set: { ...set, name: of }, ...mark };
  const alias = node?.get("CNAME") as RecordSet<DataOf["CNAME"]> | undefined;
  if (alias !== undefined && type !== "ANY") return { kind: "alias", set: { ...alias, name: of }, ...mark };
  return { kind: "nodata", soa: zone.soa };
}

/** Answers one question from one zone; `of` has to lie in it. */
export function answerFrom(zone: Zone, of: DomainName, type: RecordType): ZoneAnswer {
  // From the apex down: the first place that leads away decides, whatever is below it.
  for (const above of [zone.apex, ...downTo(zone, of)]) {
    const node = zone.nodes.get(above);
    // The DS set of a cut belongs to this side of it (RFC 4035 section 3.1.4.1).
    const ns = above === zone.apex || (above === of && type === "DS") ? undefined : node?.get("NS");
    if (ns !== undefined) return { kind: "delegated", ns: ns as RecordSet<DataOf["NS"]> };
    const dname = above === of ? undefined : (node?.get("DNAME") as RecordSet<DataOf["DNAME"]> | undefined);
    const to = dname?.data[0]?.target;
    const target = to === undefined ? undefined : substituted(of, above, to);
    // Everything below a DNAME is elsewhere (RFC 6672 section 2.3).
    if (dname !== undefined && target !== undefined) {
      const set = { name: of, type: "CNAME", ttl: dname.ttl, data: [{ target }] };
      // Whoever asks for the alias itself has it (RFC 6672 section 3.1).
      return type === "CNAME" ? { kind: "found", set } : { kind: "alias", set };
    }
  }
  if (zone.names.has(of)) return fromNode(zone, zone.nodes.get(of), of, type);
  for (const above of upwards(of)) {
    if (!zone.names.has(above)) continue;
    // `above` is the closest encloser; only the wildcard directly below it may answer (RFC 4592 section 3.3.1).
    const wildcard = wildcardOf(above);
    if (!zone.names.has(wildcard)) break;
    // A wildcard that is there without records answers with none (RFC 4592 section 2.2.2).
    return fromNode(zone, zone.nodes.get(wildcard), of, type, wildcard);
  }
  return { kind: "nxdomain", soa: zone.soa };
}

/** The zone among these that `of` belongs to: the one with the longest apex at or above it. */
export function zoneFor(zones: readonly Zone[], of: DomainName): Zone | undefined {
  let best: Zone | undefined;
  for (const zone of zones)
    if (isAtOrBelow(of, zone.apex) && (best === undefined || labelsOf(zone.apex).length > labelsOf(best.apex).length))
      best = zone;
  return best;
}

/** The addresses a zone holds for these name servers, as a referral carries them along. */
export function glueFor(zone: Zone, ns: RecordSet<DataOf["NS"]>): RecordSet[] {
  return ns.data.flatMap(({ target }) => {
    const node = zone.nodes.get(target);
    return [node?.get("A"), node?.get("AAAA")].filter((set) => set !== undefined);
  });
}
