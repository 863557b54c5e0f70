import type { Clause } from "../../core/clause/index.ts";
import type { ChainFlaw } from "../../core/dnssec/index.ts";
import { type DomainName, displayName, isAtOrBelow } from "../../core/name/index.ts";
import { spanText } from "../../core/spread/index.ts";
import { listOf } from "../english.ts";
import type { Words } from "./words.ts";

/** A chain of trust that is broken. */
type Broken = {
  readonly flaw: ChainFlaw;
  readonly domain: DomainName;
  /** The DNS host that still serves a key the DS records stand for. */
  readonly fits?: string | undefined;
};

/** What “dnssec-broken” needs. */
type DnssecBroken = Broken;

/** What breaks a chain of trust, and what to do about it. */
interface Explained {
  readonly because: string;
  readonly remedy: string;
}

const day = (seconds: number): string => `${new Date(seconds * 1000).toISOString().slice(0, 16).replace("T", " at ")} UTC`;

const tags = (all: readonly number[]): string => listOf(all.map(String));

/** A flaw for people: what it is, and what to do at the registrar or at the DNS host of the domain. */
function explainFlaw({ flaw, domain, fits }: DnssecBroken): Explained {
  const zone = displayName(flaw.zone);
  const set = `the ${flaw.type} record of ${displayName(flaw.name)}`;
  const refused = "so every resolver that checks signatures refuses it";
  const own = isAtOrBelow(flaw.zone, domain) || isAtOrBelow(domain, flaw.zone);
  const above = flaw.zone !== domain && isAtOrBelow(domain, flaw.zone);
  const host = above
    ? `only the operator of ${zone} can fix it; tell the registrar`
    : own
      ? undefined
      : `only the operator of ${zone} can fix it; tell the service that this name belongs to`;
  switch (flaw.code) {
    case "ds-without-key": {
      const wait = flaw.dsTtl === undefined ? "" : `; resolvers forget the old one within ${spanText(flaw.dsTtl)}`;
      return {
        because: `the DNSSEC record at the registrar (DS, key ${tags(flaw.dsTags)}) does not fit the key of ${zone} (${tags(flaw.keyTags)})${fits === undefined ? "" : ` but that of ${fits}, where the domain was before`}, so every resolver that checks signatures refuses the whole domain`,
        remedy: `at the registrar, delete that DS record${wait}; to stay signed, enter the DS record that the DNS host shows for key ${tags(flaw.keyTags)}`,
      };
    }
    case "ds-digest-wrong": {
      const wait = flaw.dsTtl === undefined ? "" : `; resolvers forget the old one within ${spanText(flaw.dsTtl)}`;
      return {
        because: `the DNSSEC record at the registrar (DS) names key ${flaw.keyTag} of ${zone}, and its digest is not that of this key, so every resolver that checks signatures refuses the whole domain`,
        remedy: `at the registrar, delete that DS record${wait}; to stay signed, enter the DS record that the DNS host shows, digest and all`,
      };
    }
    case "keys-missing": {
      const wait = flaw.dsTtl === undefined ? "" : `; resolvers forget it within ${spanText(flaw.dsTtl)}`;
      return {
        because: `the DNSSEC record at the registrar (DS) says that ${zone} is signed, and its name servers have no keys, so every resolver that checks signatures refuses the whole domain`,
        remedy: `at the registrar, delete the DS record${wait}; or have the DNS host sign the domain, and enter the DS record it shows`,
      };
    }
    case "keys-not-signed":
      return {
        because: `the key that the registrar's DNSSEC record (DS) names did not sign the keys of ${zone}, ${refused}`,
        remedy: host ?? "ask the DNS host to sign the domain again; until then, delete the DS record at the registrar",
      };
    case "signature-expired":
      return {
        because: `the DNSSEC signature of ${set} ended on ${day(flaw.at)}, ${refused}`,
        remedy: host ?? "ask the DNS host to sign the domain again, and why that does not happen by itself",
      };
    case "signature-early":
      return {
        because: `the DNSSEC signature of ${set} only begins on ${day(flaw.at)}, ${refused}`,
        remedy: host ?? "ask the DNS host to correct the clock that signs, and to sign again",
      };
    case "signature-missing":
      return {
        because: `${set} has no DNSSEC signature although ${zone} is signed, ${refused}`,
        remedy: host ?? "ask the DNS host to sign the whole domain again",
      };
    case "signature-key-missing":
      return {
        because: `${set} is signed with key ${flaw.keyTag}, which ${zone} does not have, ${refused}`,
        remedy:
          host ??
          `ask the DNS host to publish that key again, or to sign with one that is there${flaw.keysTtl === undefined ? "" : `; resolvers remember the present keys for up to ${spanText(flaw.keysTtl)}`}`,
      };
    case "signature-wrong":
      return {
        because: `the DNSSEC signature of ${set} does not verify, ${refused}`,
        remedy: host ?? "ask the DNS host to sign the domain again; the record was changed without that",
      };
    case "wildcard-unproven":
      return {
        because: `the wildcard ${displayName(flaw.wildcard)} answers for ${displayName(flaw.name)}, and nothing proves that the name has no record of its own (NSEC or NSEC3), ${refused}`,
        remedy: host ?? "enter a record of its own at that name, or ask the DNS host to sign the whole domain again",
      };
    case "denial-missing":
      return {
        because: `${zone} does not prove what it says of ${displayName(flaw.name)} (NSEC or NSEC3 records are missing or do not fit), ${refused}`,
        remedy: host ?? "ask the DNS host to sign the whole domain again",
      };
  }
}

export const DNSSEC = {
  "dnssec-anchors-expected": ({ expected }: { readonly expected: Clause }, say) => `anchors: expected ${say(expected)}`,
  "dnssec-broken": (broken: DnssecBroken) => explainFlaw(broken).because,
  "dnssec-mend": (broken: Broken) => explainFlaw(broken).remedy,
  "dnssec-refused-mend":
    "ask the DNS host whether the signatures of the domain are in order, and compare the DS record at the registrar with its key",
  /** `ttl` in seconds. */
  "dnssec-ds-remembered": ({ ttl }: { readonly ttl: number }) =>
    `some resolvers remember the deleted DNSSEC record (DS) for up to ${spanText(ttl)}, its TTL, and refuse the domain until then`,
} satisfies Words;
