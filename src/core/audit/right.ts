import type { DomainName } from "../name/index.ts";
import { branchesOf, treeLookups } from "../spf/index.ts";
import { AREAS, type Area } from "./area.ts";
import type { Facts } from "./facts.ts";
import type { Plain } from "./finding.ts";

const plain: Plain = {};

/** What was checked and is right in one area; undefined where there is nothing to praise. */
const RIGHT = {
  delegation: ({ servers }: Facts) =>
    servers.length < 2 || servers.some(({ soa }) => soa.answer.kind !== "found") ? undefined : { servers: servers.length },
  wildcard: ({ anyA, anyTxt }: Facts) =>
    [anyA, anyTxt].some(({ answer }) => answer.kind === "found" || answer.kind === "failed") ? undefined : plain,
  ownership: ({ asks }: Facts) =>
    asks.length === 0 || !asks.every(({ state }) => state === "settled" || state === "proven")
      ? undefined
      : { asks: asks.length },
  "mail-in": ({ exchanges }: Facts) =>
    exchanges.length === 0 || exchanges.some(({ addresses }) => addresses.length === 0)
      ? undefined
      : { exchanges: exchanges.map(({ name }) => name) },
  spf: ({ spf, spfTree }: Facts) =>
    "record" in spf && spfTree !== undefined && ![...branchesOf(spfTree)].some(({ branch }) => branch.failed !== undefined)
      ? { lookups: treeLookups(spfTree) }
      : undefined,
  dkim: ({ keys }: Facts) => {
    const usable = keys.filter((key) => key.state === "usable").map((selectorCheck) => selectorCheck.selector);
    return usable.length === 0 ? undefined : { selectors: usable };
  },
  dmarc: ({ dmarcRecord }: Facts) => (dmarcRecord === undefined ? undefined : { policy: dmarcRecord.policy }),
  reports: ({ destinations }: Facts) =>
    destinations.length === 0 || !destinations.every((candidate) => candidate.takesMail === true)
      ? undefined
      : { destinations: destinations.map(({ destination }) => destination) },
  site: ({ apex, www, web }: Facts) =>
    apex.addresses.length === 0 || www.addresses.length === 0 || web?.some((siteCheck) => siteCheck.met !== true)
      ? undefined
      : { visited: web !== undefined && web.length > 0 },
  certificate: ({ caa }: Facts) => (caa.data.length === 0 ? undefined : { values: caa.data.map((one) => one.value) }),
  transport: ({ mtaSts, tlsRpt }: Facts) => (mtaSts.data.length > 0 && tlsRpt.data.length > 0 ? plain : undefined),
} satisfies { readonly [A in Area]?: (facts: Facts) => object | undefined };

/** The types of the sets that an area rests on, and where they stand below the domain. */
const RESTS_ON: { readonly [A in Area]?: (name: string, type: string, domain: DomainName) => boolean } = {
  "mail-in": (name, type, domain) => type === "MX" && name === domain,
  spf: (name, type, domain) => type === "TXT" && name === domain,
  dkim: (name) => name.includes("._domainkey."),
  dmarc: (name) => name.startsWith("_dmarc."),
  reports: (name) => name.startsWith("_dmarc."),
  site: (_, type) => type === "A" || type === "AAAA",
  certificate: (_, type) => type === "CAA",
};

/** What is seen where an area is right, by area. */
export type SeenRight = { readonly [A in keyof typeof RIGHT]: Exclude<ReturnType<(typeof RIGHT)[A]>, undefined> };

/** Something that was checked and is right. */
export type Right = {
  [A in keyof SeenRight]: { readonly area: A; readonly domain: DomainName; readonly seen: SeenRight[A] };
}[keyof SeenRight];

/** What is right, by area: only what was seen, and nothing of an area in which something is wrong. */
export function whatIsRight(
  facts: Facts,
  findings: readonly { readonly area: Area; readonly severity: string }[],
): readonly Right[] {
  return AREAS.flatMap((area) => {
    if (findings.some((finding) => finding.area === area && finding.severity !== "note")) return [];
    // What resolvers that check signatures refuse is not right, whatever it says.
    if (facts.refused.some(({ name, type }) => RESTS_ON[area]?.(name, type, facts.domain) === true)) return [];
    const seen = area in RIGHT ? RIGHT[area as keyof typeof RIGHT](facts) : undefined;
    return seen === undefined ? [] : [{ area, domain: facts.domain, seen } as Right];
  });
}
