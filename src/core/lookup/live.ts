import { type DomainName, isBelow, parentOf, parseName, substituted, upwards, wildcardOf } from "../name/index.ts";
import { type DataOf, isOfType, type RecordSet, type RecordType, sameData } from "../record/index.ts";
import { negativeTtl } from "../zone/index.ts";
import type { AliasSet, Failed, Lookup } from "./lookup.ts";

/**
 * What really stands at a name of a zone for one type, as its authoritative server shows it. A wildcard
 * that answers for the name is told apart from a set of its own, because it is neither changed nor removed
 * when the name gets one (RFC 4592).
 */
export type Live =
  | { readonly kind: "set"; readonly set: RecordSet }
  | { readonly kind: "alias"; readonly set: AliasSet }
  /** A DNAME above leads everything below it elsewhere; nothing can stand at the name (RFC 6672 section 2.3). */
  | { readonly kind: "dname"; readonly set: AliasSet; readonly dname: RecordSet<DataOf["DNAME"]> }
  | { readonly kind: "wildcard"; readonly set: RecordSet; readonly wildcard: DomainName }
  | { readonly kind: "nothing"; readonly negativeTtl: number | undefined }
  | { readonly kind: "failed"; readonly answer: Failed };

/** Asks an authoritative source for what is at exactly this name. */
export async function liveAt(lookup: Lookup, apex: DomainName, name: DomainName, type: RecordType): Promise<Live> {
  const answer = await lookup.ask(name, type);
  const [alias] = answer.chain;
  if (alias !== undefined)
    return (
      (await fromDname(lookup, apex, name, alias)) ??
      (await fromWildcard(lookup, apex, name, alias)) ?? { kind: "alias", set: alias }
    );
  switch (answer.kind) {
    case "failed": {
      // What stands at a cut on this side of it is the delegation itself (RFC 1034 section 4.2.1).
      const ns = type === "NS" ? answer.delegation?.ns : undefined;
      return ns?.name === name ? { kind: "set", set: ns } : { kind: "failed", answer };
    }
    case "found":
      // Whoever asks for the alias itself gets the one that a DNAME makes as an answer (RFC 6672 section 3.1).
      if (isOfType(answer.set, "CNAME")) {
        const made = await fromDname(lookup, apex, name, answer.set);
        if (made !== undefined) return made;
      }
      if (answer.wildcard !== undefined && answer.wildcard !== name)
        return { kind: "wildcard", set: answer.set, wildcard: answer.wildcard };
      return (await fromWildcard(lookup, apex, name, answer.set)) ?? { kind: "set", set: answer.set };
    default:
      return { kind: "nothing", negativeTtl: answer.soa === undefined ? undefined : negativeTtl(answer.soa) };
  }
}

/** Whether a DNAME above the name makes the alias that answers for it. */
async function fromDname(lookup: Lookup, apex: DomainName, name: DomainName, alias: AliasSet): Promise<Live | undefined> {
  if (!isBelow(name, apex)) return undefined;
  for (const above of upwards(parentOf(name))) {
    const answer = await lookup.ask(above, "DNAME");
    if (answer.kind === "found" && answer.chain.length === 0 && isOfType(answer.set, "DNAME")) {
      const to = answer.set.data[0]?.target;
      if (to !== undefined && substituted(name, above, to) === alias.data[0]?.target)
        return { kind: "dname", set: alias, dname: answer.set };
    }
    if (above === apex) return undefined;
  }
  return undefined;
}

/** Whether a wildcard above the name holds the very same data, so that the answer is its doing. */
async function fromWildcard(lookup: Lookup, apex: DomainName, name: DomainName, set: RecordSet): Promise<Live | undefined> {
  if (!isBelow(name, apex)) return undefined;
  for (const above of upwards(parentOf(name))) {
    const wildcard = wildcardOf(above);
    const answer = wildcard === name ? undefined : await lookup.ask(wildcard, set.type);
    const isSame = answer?.kind === "found" && answer.chain.length === 0 && sameData({ ...answer.set, name }, set);
    // A wildcard further up answers for the name of this one too, as long as nobody made it.
    if (isSame && (above === apex || !(await isSynthesized(lookup, wildcard, set))))
      return (await isSynthesized(lookup, name, set)) ? { kind: "wildcard", set, wildcard } : undefined;
    if (above === apex) return undefined;
  }
  return undefined;
}

/** A label below a name that nobody uses. */
const PROBE = "zandrel-probe";

/**
 * Whether an answer equal to a wildcard's is the wildcard's doing: below a name that is there the wildcard does not answer
 * (RFC 4592 section 2.2.1), so that a name below it that nobody uses tells the two apart.
 */
async function isSynthesized(lookup: Lookup, name: DomainName, set: RecordSet): Promise<boolean> {
  const below = parseName(PROBE, name);
  if (!below.ok) return true;
  const answer = await lookup.ask(below.value, set.type);
  const [alias] = answer.chain;
  const found = alias ?? (answer.kind === "found" ? answer.set : undefined);
  return found !== undefined && sameData({ ...found, name }, set);
}

/** The set of its own a name has, if it has one. */
export const ownSetOf = (live: Live): RecordSet | undefined => (live.kind === "set" ? live.set : undefined);
