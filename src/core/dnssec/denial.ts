import { createHash } from "node:crypto";
import { type DomainName, isAtOrBelow, isBelow, labelOctets, labelsOf, parentOf, upwards, wildcardOf } from "../name/index.ts";
import type { DataOf, RecordSet, RecordType } from "../record/index.ts";
import { fromBase32 } from "../record/index.ts";
import { ownerOctets } from "./keys.ts";

/**
 * What signed NSEC or NSEC3 records prove of a name and type.
 * - `no-name`: the name does not exist, and no wildcard answers for it
 * - `no-type`: the name, or the wildcard for it, has no such record
 * - `unsigned-below`: a delegation without DS, or a span in which unsigned delegations may be (opt-out)
 * - `too-costly`: the hashes are repeated more often than is worth it (RFC 9276 section 3.2)
 */
export type Denial = "no-name" | "no-type" | "unsigned-below" | "too-costly" | undefined;

/** Hash repetitions beyond which NSEC3 counts as no signature at all (RFC 9276 section 3.2). */
export const MAX_ITERATIONS = 150;

/** The canonical order of names: label by label from the right, as octets (RFC 4034 section 6.1). */
export function compareNames(a: DomainName, b: DomainName): number {
  const [left, right] = [labelsOf(a).reverse(), labelsOf(b).reverse()];
  for (let i = 0; i < Math.min(left.length, right.length); i++) {
    const order = Buffer.compare(labelOctets(left[i] as string), labelOctets(right[i] as string));
    if (order !== 0) return order;
  }
  return left.length - right.length;
}

type Nsec = RecordSet<DataOf["NSEC"]>;
type Nsec3 = RecordSet<DataOf["NSEC3"]>;

/** Whether an NSEC record says that there is nothing between its owner and the next name, where this name would be. */
function covers(nsec: Nsec, of: DomainName): boolean {
  const next = nsec.data[0]?.next.name;
  if (next === undefined) return false;
  const afterOwner = compareNames(nsec.name, of) < 0;
  // The last record of a zone leads back to the apex.
  return compareNames(nsec.name, next) < 0 ? afterOwner && compareNames(of, next) < 0 : afterOwner || compareNames(of, next) < 0;
}

/** An NSEC of the parent's side of a delegation proves nothing about names below (RFC 6840 section 4.1). */
const isParentSide = (types: readonly RecordType[]): boolean => types.includes("NS") && !types.includes("SOA");

const lacks = (types: readonly RecordType[], type: RecordType): boolean =>
  !types.includes(type) && (type === "CNAME" || !types.includes("CNAME"));

/** What NSEC records of a zone prove (RFC 4035 section 5.4); all of them are verified. */
export function nsecDenial(records: readonly Nsec[], zone: DomainName, of: DomainName, type: RecordType): Denial {
  const exact = records.find((nsec) => nsec.name === of);
  if (exact !== undefined) {
    const types = exact.data[0]?.types ?? [];
    if (type === "DS" && isParentSide(types) && !types.includes("DS")) return "unsigned-below";
    if (isParentSide(types) && type !== "DS") return undefined;
    if (type === "DS" && types.includes("SOA") && of !== ".") return undefined;
    return lacks(types, type) ? "no-type" : undefined;
  }
  // A name between two others that lies above the next one is there, and has no records (an empty non-terminal).
  if (records.some((nsec) => nsec.data[0] !== undefined && covers(nsec, of) && isBelow(nsec.data[0].next.name, of)))
    return "no-type";
  const covering = records.find((nsec) => covers(nsec, of) && !hidesBelow(nsec, of));
  if (covering === undefined) return undefined;
  const next = covering.data[0]?.next.name as DomainName;
  // The closest name above that exists is the longest common one of the two that stand around.
  const encloser = [...upwards(parentOf(of))].find(
    (above) => isAtOrBelow(covering.name, above) || isAtOrBelow(next, above) || above === zone,
  ) as DomainName;
  const wildcard = wildcardOf(encloser);
  const star = records.find((nsec) => nsec.name === wildcard);
  if (star !== undefined) return lacks(star.data[0]?.types ?? [], type) ? "no-type" : undefined;
  return records.some((nsec) => covers(nsec, wildcard) && !hidesBelow(nsec, wildcard)) ? "no-name" : undefined;
}

/** Whether an NSEC stands at a delegation or DNAME above a name, of whose inside it knows nothing (RFC 6840 section 4.1). */
const hidesBelow = (nsec: Nsec, of: DomainName): boolean => {
  const types = nsec.data[0]?.types ?? [];
  return isBelow(of, nsec.name) && (isParentSide(types) || types.includes("DNAME"));
};

/** The hash of a name (RFC 5155 section 5), in hexadecimal. */
export function nsec3Hash(of: DomainName, { salt, iterations }: Pick<DataOf["NSEC3"], "salt" | "iterations">): string {
  const salted = Buffer.from(salt, "hex");
  let hash = createHash("sha1").update(ownerOctets(of)).update(salted).digest();
  for (let i = 0; i < iterations; i++) hash = createHash("sha1").update(hash).update(salted).digest();
  return hash.toString("hex");
}

/** NSEC3 records of one chain, by the hash of their owner. */
interface Hashed {
  readonly owner: string;
  readonly data: DataOf["NSEC3"];
}

/** What NSEC3 records of a zone prove (RFC 5155 section 8); all of them are verified. */
export function nsec3Denial(records: readonly Nsec3[], zone: DomainName, of: DomainName, type: RecordType): Denial {
  const chain = records.flatMap((set): Hashed[] => {
    const [label, ...rest] = labelsOf(set.name);
    const owner = label === undefined ? undefined : fromBase32(label);
    const [data] = set.data;
    if (owner === undefined || data === undefined || data.hash !== 1 || `${rest.join(".")}.` !== (zone === "." ? "." : zone))
      return [];
    return [{ owner, data }];
  });
  const [first] = chain;
  if (first === undefined) return undefined;
  const { salt, iterations } = first.data;
  if (iterations > MAX_ITERATIONS) return "too-costly";
  // All records of one proof have the same parameters (section 8.2).
  const same = chain.filter(({ data }) => data.salt === salt && data.iterations === iterations);
  const hashOf = (name: DomainName): string => nsec3Hash(name, { salt, iterations });
  const matching = (name: DomainName): Hashed | undefined => {
    const hash = hashOf(name);
    return same.find(({ owner }) => owner === hash);
  };
  const coveringHash = (name: DomainName): Hashed | undefined => {
    const hash = hashOf(name);
    return same.find(({ owner, data }) =>
      owner < data.next ? owner < hash && hash < data.next : owner < hash || hash < data.next,
    );
  };
  const exact = matching(of);
  if (exact !== undefined) {
    const { types } = exact.data;
    if (type === "DS" && isParentSide(types) && !types.includes("DS")) return "unsigned-below";
    if (isParentSide(types) && type !== "DS") return undefined;
    if (type === "DS" && types.includes("SOA") && of !== ".") return undefined;
    return lacks(types, type) ? "no-type" : undefined;
  }
  // The closest name that exists, and the next closer one that does not (section 8.3).
  let closer = of;
  for (const above of upwards(parentOf(of))) {
    if (!isAtOrBelow(above, zone)) return undefined;
    const encloser = matching(above);
    if (encloser === undefined) {
      closer = above;
      continue;
    }
    if (isParentSide(encloser.data.types) || encloser.data.types.includes("DNAME")) return undefined;
    const gap = coveringHash(closer);
    if (gap === undefined) return undefined;
    // Within an opt-out span there may be delegations that nobody signed (section 6).
    if ((gap.data.flags & 1) !== 0) return "unsigned-below";
    const wildcard = wildcardOf(above);
    const star = matching(wildcard);
    if (star !== undefined) return lacks(star.data.types, type) ? "no-type" : undefined;
    return coveringHash(wildcard) !== undefined ? "no-name" : undefined;
  }
  return undefined;
}

/** Whether the records prove that a name itself does not exist, as an answer made from a wildcard needs (RFC 4035 section 5.3.4, RFC 5155 section 8.8). */
export function deniesName(
  nsec: readonly Nsec[],
  nsec3: readonly Nsec3[],
  zone: DomainName,
  of: DomainName,
  wildcard: DomainName,
): boolean {
  if (nsec.some((candidate) => covers(candidate, of) && !hidesBelow(candidate, of))) return true;
  const encloser = parentOf(wildcard);
  const closer = [...upwards(of)].find((above) => parentOf(above) === encloser) as DomainName;
  return nsec3.some((set) => {
    const [label] = labelsOf(set.name);
    const [data] = set.data;
    const owner = label === undefined ? undefined : fromBase32(label);
    if (owner === undefined || data === undefined || data.iterations > MAX_ITERATIONS || !isAtOrBelow(set.name, zone))
      return false;
    const hash = nsec3Hash(closer, data);
    return owner < data.next ? owner < hash && hash < data.next : owner < hash || hash < data.next;
  });
}
