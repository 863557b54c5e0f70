import { displayName } from "../../name/index.ts";
import type { SiteFlaw } from "../../site/index.ts";
import { spanText } from "../../spread/index.ts";
import type { Facts } from "../facts.ts";
import { rulesOf, type Seen, when } from "../finding.ts";

const PRIVATE = /^(10\.|192\.168\.|172\.(1[6-9]|2\d|3[01])\.|169\.254\.|0\.|f[cd][0-9a-f]{2}:|fe80:)/i;
/** A host, or an address without the path that it was tried with. */
const placeOf = (name: string): string => name.replace(/^(https?:\/\/[^/]+)\/.*$/, "$1");

/** What was found wrong on the web, of some kinds: the same thing at several places is one sighting. */
const met =
  (...flaws: readonly SiteFlaw[]) =>
  ({ web = [] }: Facts): Seen[] => {
    const seen = new Map<string, { readonly places: string[]; readonly because: string; readonly remedy: string }>();
    for (const { flaw, name, because, remedy } of web) {
      if (flaw === undefined || !flaws.includes(flaw)) continue;
      const one = seen.get(`${because} ${remedy}`) ?? { places: [], because, remedy };
      if (!because.includes(name)) one.places.push(placeOf(name));
      seen.set(`${because} ${remedy}`, one);
    }
    return [...seen.values()].map(({ places, because, remedy }) => ({
      evidence: places.length === 0 ? because : `${places.join(", ")}: ${because}`,
      remedy,
    }));
  };

const REDIRECTS = "RFC 9110 section 15.4";
const hasSite = (role: string | undefined): boolean => role === "main" || role === "redirect" || role === "secondary";

export const site = rulesOf("site", [
  [
    "site-no-address",
    "risks",
    "RFC 1034 section 3.6",
    "The bare domain leads nowhere",
    "People who type it without www see an error.",
    ({ apex, role, plain }) =>
      when(
        hasSite(role) && apex.hasNone && apex.alias === undefined,
        `${plain} has no address`,
        "enter the addresses the site builder names for the bare domain",
      ),
  ],
  [
    "site-www-missing",
    "untidy",
    "RFC 1034 section 3.6",
    "www leads nowhere",
    "Many people and old links still use it.",
    ({ www, role, apex }) =>
      when(
        hasSite(role) && apex.addresses.length > 0 && www.hasNone && www.alias === undefined,
        `${displayName(www.name)} has no address`,
        "make it an alias for the site, and redirect one of the two to the other",
      ),
  ],
  [
    "site-alias-broken",
    "breaks",
    "RFC 1034 section 3.6.2",
    "www is an alias that leads nowhere",
    "Visitors see an error, and anyone who gets hold of the target can show them anything.",
    ({ www }) =>
      when(
        www.alias !== undefined && www.hasNone,
        `${displayName(www.name)} is an alias for ${displayName(www.alias ?? www.name)}, which has no address`,
        "correct the alias, or remove it if the service is no longer used",
      ),
  ],
  [
    "site-alias-chain",
    "untidy",
    "RFC 1034 section 3.6.2",
    "www goes through many aliases",
    "Each one has to be asked, and any of them may break.",
    ({ www }) =>
      when(
        www.a.answer.chain.length > 3,
        `${displayName(www.name)} goes through ${www.a.answer.chain.length} aliases`,
        "point it at the last name directly",
      ),
  ],
  [
    "site-private",
    "breaks",
    "RFC 1918 section 3",
    "The site has an address that only exists inside a network",
    "Nobody outside can see it.",
    ({ apex, www }) =>
      [apex, www].flatMap(({ name, addresses }) =>
        addresses
          .filter((one) => PRIVATE.test(one))
          .map((one) => ({ evidence: `${displayName(name)} has the address ${one}`, remedy: "enter the site's public address" })),
      ),
  ],
  [
    "site-apex-differs",
    "note",
    "RFC 1034 section 3.6",
    "The bare domain and www lead to different places",
    "Visitors see two different things, unless one redirects to the other.",
    ({ apex, www, role, web }) =>
      when(
        hasSite(role) &&
          web === undefined &&
          apex.addresses.length > 0 &&
          www.addresses.length > 0 &&
          !apex.addresses.some((one) => www.addresses.includes(one)),
        `${displayName(apex.name)} is at ${apex.addresses.join(", ")}, ${displayName(www.name)} at ${www.addresses.join(", ")}`,
        "zandrel site checks whether one redirects to the other",
      ),
  ],
  ["site-loop", "breaks", REDIRECTS, "The site redirects in a circle", "No browser ever shows a page.", met("loop")],
  [
    "site-unreachable",
    "breaks",
    "RFC 9110 section 4.2",
    "A host of the site does not answer",
    "Visitors see an error.",
    met("unreachable"),
  ],
  [
    "site-parked",
    "breaks",
    "RFC 9110 section 4.2",
    "A parked page is shown in place of the site",
    "Visitors and search engines see an advertisement or an empty page.",
    met("parked"),
  ],
  [
    "site-wrong-service",
    "breaks",
    "RFC 9110 section 15.5.20",
    "A host leads to a service that does not know it",
    "Visitors see an error, and others may claim the host at that service.",
    met("wrong-service"),
  ],
  [
    "site-certificate",
    "breaks",
    "RFC 9525 section 6",
    "A host of the site has no certificate that browsers accept",
    "Browsers warn visitors away.",
    met("certificate-name", "certificate-expired", "certificate-untrusted"),
  ],
  [
    "site-wrong-address",
    "breaks",
    "RFC 1034 section 3.6",
    "A host does not lead where its service asks, or leads elsewhere too",
    "Some visitors arrive at the wrong place.",
    met("missing-address", "leftover-address"),
  ],
  [
    "site-redirect-target",
    "breaks",
    REDIRECTS,
    "A redirect leads somewhere else",
    "Visitors arrive at a site that is not meant.",
    met("wrong-target", "apart"),
  ],
  [
    "site-both-serve",
    "risks",
    REDIRECTS,
    "The bare domain and www both show a site",
    "Search engines count two sites, and links are divided between them.",
    met("both-serve"),
  ],
  [
    "site-no-redirect",
    "risks",
    REDIRECTS,
    "An address that should redirect answers by itself",
    "Visitors stay at an address that is not meant, and search engines keep it.",
    met("no-redirect"),
  ],
  [
    "site-framed",
    "risks",
    REDIRECTS,
    "The site is shown inside a frame",
    "Links, logins and search engines see the wrong address.",
    met("framed", "moves-after-loading"),
  ],
  [
    "site-redirect-unencrypted",
    "risks",
    "RFC 9110 section 4.2.2",
    "A redirect goes over an unencrypted address",
    "Anyone on the way can send visitors elsewhere.",
    met("unencrypted"),
  ],
  [
    "site-redirect-temporary",
    "risks",
    REDIRECTS,
    "A redirect is temporary",
    "Search engines keep the old address.",
    met("temporary"),
  ],
  [
    "site-redirect-path",
    "risks",
    REDIRECTS,
    "A redirect loses the path",
    "Every link into the site ends at the home page.",
    met("path-lost"),
  ],
  [
    "ttl-long",
    "note",
    "RFC 1035 section 3.2.1",
    "The address of the site is remembered for long",
    "A move of the site takes that long to reach everybody.",
    ({ apex }) =>
      apex.a.answer.kind === "found"
        ? when(
            apex.a.answer.set.ttl > 86_400,
            `the A record has a TTL of ${spanText(apex.a.answer.set.ttl)}`,
            "lower it to an hour some days before a launch",
          )
        : [],
  ],
  [
    "ttl-zero",
    "untidy",
    "RFC 1035 section 3.2.1",
    "The address of the site is not remembered at all",
    "Every visitor's resolver asks again, and a short outage of the name servers is seen at once.",
    ({ apex }) =>
      apex.a.answer.kind === "found"
        ? when(
            apex.a.answer.set.ttl < 30,
            `the A record has a TTL of ${spanText(apex.a.answer.set.ttl)}`,
            "set it to five minutes or more",
          )
        : [],
  ],
]);
