import { allOf, listOf } from "../english.ts";
import { displayName } from "../name/index.ts";
import { branchesOf, MAX_LOOKUPS, treeLookups } from "../spf/index.ts";
import type { Facts } from "./facts.ts";
import { AREAS, type Area, type Finding } from "./finding.ts";

/** What was checked and is right in one area: a sentence without its full stop; undefined where there is nothing to praise. */
const SAID: { readonly [A in Area]?: (facts: Facts) => string | undefined } = {
  delegation: ({ servers }) =>
    servers.length < 2 || servers.some(({ soa }) => soa.answer.kind !== "found")
      ? undefined
      : `${servers.length} name servers answer for the domain, and give the same answers`,
  wildcard: ({ anyA, anyTxt }) =>
    [anyA, anyTxt].some(({ answer }) => answer.kind === "found" || answer.kind === "failed")
      ? undefined
      : "no wildcard record answers for names that do not exist",
  ownership: ({ asks }) =>
    asks.length === 0 || !asks.every(({ state }) => state === "settled" || state === "proven")
      ? undefined
      : asks.length === 1
        ? "the one ask of a service is where it should be"
        : `all ${asks.length} asks of services are where they should be`,
  "mail-in": ({ exchanges }) =>
    exchanges.length === 0 || exchanges.some(({ addresses }) => addresses.length === 0)
      ? undefined
      : `mail goes to ${listOf(exchanges.map(({ name }) => displayName(name)))}, ${exchanges.length === 1 ? "which has an address" : "and each has an address"}`,
  spf: ({ spf, spfTree }) =>
    "record" in spf && spfTree !== undefined && ![...branchesOf(spfTree)].some(({ branch }) => branch.failed !== undefined)
      ? `there is one SPF record, it can be read, and costs ${treeLookups(spfTree)} of ${MAX_LOOKUPS} lookups`
      : undefined,
  dkim: ({ keys }) => {
    const usable = keys.filter((one) => one.state === "usable").map((one) => one.selector);
    return usable.length === 0
      ? undefined
      : `mail can be signed: ${allOf(usable, "holds a key that works", "hold keys that work")}`;
  },
  dmarc: ({ dmarcRecord }) => (dmarcRecord === undefined ? undefined : `there is a DMARC policy, p=${dmarcRecord.policy}`),
  reports: ({ destinations }) =>
    destinations.length === 0 || !destinations.every((one) => one.takesMail === true)
      ? undefined
      : `DMARC reports go to ${listOf(destinations.map(({ destination }) => displayName(destination)))}, where mail is accepted`,
  site: ({ plain, apex, www, web }) =>
    apex.addresses.length === 0 || www.addresses.length === 0 || web?.some((one) => one.met !== true)
      ? undefined
      : web === undefined || web.length === 0
        ? `${plain} and www.${plain} have addresses`
        : `${plain} and www.${plain} lead visitors where they should, over HTTPS`,
  certificate: ({ caa }) =>
    caa.data.length === 0 ? undefined : `who may issue certificates is said: ${caa.data.map((one) => one.value).join(", ")}`,
  transport: ({ mtaSts, tlsRpt }) =>
    mtaSts.data.length > 0 && tlsRpt.data.length > 0 ? "encrypted delivery is asked for, and failures are reported" : undefined,
};

/** Something that was checked and is right. */
export interface Right {
  readonly area: Area;
  readonly because: string;
}

/** What is right, by area: only what was seen, and nothing of an area in which something is wrong. */
export function whatIsRight(facts: Facts, findings: readonly Finding[]): Right[] {
  return AREAS.flatMap((area) => {
    if (findings.some((one) => one.area === area && one.severity !== "note")) return [];
    const because = SAID[area]?.(facts);
    return because === undefined ? [] : [{ area, because }];
  });
}
