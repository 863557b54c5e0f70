import { displayName } from "../../name/index.ts";
import { spanText } from "../../spread/index.ts";
import { rulesOf, when } from "../finding.ts";

const PRIVATE = /^(10\.|192\.168\.|172\.(1[6-9]|2\d|3[01])\.|169\.254\.|0\.|f[cd][0-9a-f]{2}:|fe80:)/i;
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
    ({ apex, www, role }) =>
      when(
        hasSite(role) &&
          apex.addresses.length > 0 &&
          www.addresses.length > 0 &&
          !apex.addresses.some((one) => www.addresses.includes(one)),
        `${displayName(apex.name)} is at ${apex.addresses.join(", ")}, ${displayName(www.name)} at ${www.addresses.join(", ")}`,
        "zandrel site checks whether one redirects to the other",
      ),
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
