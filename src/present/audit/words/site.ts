import type { Clause } from "../../../core/clause/index.ts";
import { displayName } from "../../../core/name/index.ts";
import { spanText } from "../../../core/spread/index.ts";
import { inWords } from "../../clauses/index.ts";
import type { AreaWords } from "../say.ts";

/** A host, or an address without the path that it was tried with. */
const placeOf = (name: string): string => name.replace(/^(https?:\/\/[^/]+)\/.*$/, "$1");

/** What was met on the web, and where, as far as it does not say so itself. */
function metAt(names: readonly string[], because: Clause): string {
  const said = inWords(because);
  const places = names.filter((name) => !said.includes(name)).map(placeOf);
  return places.length === 0 ? said : `${places.join(", ")}: ${said}`;
}

export const SITE: AreaWords<"site"> = {
  "site-no-address": {
    title: "The bare domain leads nowhere",
    why: "People who type it without www see an error.",
    evidence: (_, { plain }) => `${plain} has no address`,
    remedy: "enter the addresses the site builder names for the bare domain",
  },
  "site-www-missing": {
    title: "www leads nowhere",
    why: "Many people and old links still use it.",
    evidence: ({ www }) => `${displayName(www)} has no address`,
    remedy: "make it an alias for the site, and redirect one of the two to the other",
  },
  "site-alias-broken": {
    title: "www is an alias that leads nowhere",
    why: "Visitors see an error, and anyone who gets hold of the target can show them anything.",
    evidence: ({ alias, www }) => `${displayName(www)} is an alias for ${displayName(alias)}, which has no address`,
    remedy: "correct the alias, or remove it if the service is no longer used",
  },
  "site-alias-chain": {
    title: "www goes through many aliases",
    why: "Each one has to be asked, and any of them may break.",
    evidence: ({ aliases, www }) => `${displayName(www)} goes through ${aliases} aliases`,
    remedy: "point it at the last name directly",
  },
  "site-private": {
    title: "The site has an address that only exists inside a network",
    why: "Nobody outside can see it.",
    evidence: ({ address, name }) => `${displayName(name)} has the address ${address}`,
    remedy: "enter the site's public address",
  },
  "site-apex-differs": {
    title: "The bare domain and www lead to different places",
    why: "Visitors see two different things, unless one redirects to the other.",
    evidence: ({ apex, apexAt, www, wwwAt }) =>
      `${displayName(apex)} is at ${apexAt.join(", ")}, ${displayName(www)} at ${wwwAt.join(", ")}`,
    remedy: "zandrel site checks whether one redirects to the other",
  },
  "site-loop": {
    title: "The site redirects in a circle",
    why: "No browser ever shows a page.",
    evidence: ({ because, names }) => metAt(names, because),
    remedy: ({ remedy }) => inWords(remedy),
  },
  "site-unreachable": {
    title: "A host of the site does not answer",
    why: "Visitors see an error.",
    evidence: ({ because, names }) => metAt(names, because),
    remedy: ({ remedy }) => inWords(remedy),
  },
  "site-parked": {
    title: "A parked page is shown in place of the site",
    why: "Visitors and search engines see an advertisement or an empty page.",
    evidence: ({ because, names }) => metAt(names, because),
    remedy: ({ remedy }) => inWords(remedy),
  },
  "site-no-page": {
    title: "A host shows no page",
    why: "Visitors see an error or nothing at all.",
    evidence: ({ because, names }) => metAt(names, because),
    remedy: ({ remedy }) => inWords(remedy),
  },
  "site-wrong-service": {
    title: "A host leads to a service that does not know it",
    why: "Visitors see an error, and others may claim the host at that service.",
    evidence: ({ because, names }) => metAt(names, because),
    remedy: ({ remedy }) => inWords(remedy),
  },
  "site-certificate": {
    title: "A host of the site has no certificate that browsers accept",
    why: "Browsers warn visitors away.",
    evidence: ({ because, names }) => metAt(names, because),
    remedy: ({ remedy }) => inWords(remedy),
  },
  "site-wrong-address": {
    title: "A host does not lead where its service asks, or leads elsewhere too",
    why: "Some visitors arrive at the wrong place.",
    evidence: ({ because, names }) => metAt(names, because),
    remedy: ({ remedy }) => inWords(remedy),
  },
  "site-redirect-target": {
    title: "A redirect leads somewhere else",
    why: "Visitors arrive at a site that is not meant.",
    evidence: ({ because, names }) => metAt(names, because),
    remedy: ({ remedy }) => inWords(remedy),
  },
  "site-both-serve": {
    title: "The bare domain and www both show a site",
    why: "Search engines count two sites, and links are divided between them.",
    evidence: ({ because, names }) => metAt(names, because),
    remedy: ({ remedy }) => inWords(remedy),
  },
  "site-no-redirect": {
    title: "An address that should redirect answers by itself",
    why: "Visitors stay at an address that is not meant, and search engines keep it.",
    evidence: ({ because, names }) => metAt(names, because),
    remedy: ({ remedy }) => inWords(remedy),
  },
  "site-framed": {
    title: "The site is shown inside a frame",
    why: "Links, logins and search engines see the wrong address.",
    evidence: ({ because, names }) => metAt(names, because),
    remedy: ({ remedy }) => inWords(remedy),
  },
  "site-redirect-unencrypted": {
    title: "A redirect goes over an unencrypted address",
    why: "Anyone on the way can send visitors elsewhere.",
    evidence: ({ because, names }) => metAt(names, because),
    remedy: ({ remedy }) => inWords(remedy),
  },
  "site-redirect-temporary": {
    title: "A redirect is temporary",
    why: "Search engines keep the old address.",
    evidence: ({ because, names }) => metAt(names, because),
    remedy: ({ remedy }) => inWords(remedy),
  },
  "site-redirect-path": {
    title: "A redirect loses the path",
    why: "Every link into the site ends at the home page.",
    evidence: ({ because, names }) => metAt(names, because),
    remedy: ({ remedy }) => inWords(remedy),
  },
  "ttl-long": {
    title: "The address of the site is remembered for long",
    why: "A move of the site takes that long to reach everybody.",
    evidence: ({ ttl }) => `the A record has a TTL of ${spanText(ttl)}`,
    remedy: "lower it to an hour some days before a launch",
  },
  "ttl-zero": {
    title: "The address of the site is not remembered at all",
    why: "Every visitor's resolver asks again, and a short outage of the name servers is seen at once.",
    evidence: ({ ttl }) => `the A record has a TTL of ${spanText(ttl)}`,
    remedy: "set it to five minutes or more",
  },
};
