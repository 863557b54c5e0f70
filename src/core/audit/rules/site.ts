import type { Clause } from "../../clause/index.ts";
import { DAY } from "../../day.ts";
import type { SiteFlaw } from "../../site/index.ts";
import type { Facts } from "../facts.ts";
import { rule, when } from "../finding.ts";

const PRIVATE = /^(10\.|192\.168\.|172\.(1[6-9]|2\d|3[01])\.|169\.254\.|0\.|f[cd][0-9a-f]{2}:|fe80:)/i;

/** Something found wrong on the web, and the places where it was found. */
type MetOnTheWeb = {
  /** Hosts, or addresses with the path that they were tried with. */
  readonly names: string[];
  readonly because: Clause;
  readonly remedy: Clause;
};

/** What was found wrong on the web, of some kinds: the same thing at several places is one sighting. */
const met =
  (...flaws: readonly SiteFlaw[]) =>
  ({ web = [] }: Facts): MetOnTheWeb[] => {
    const seen = new Map<string, MetOnTheWeb>();
    for (const { flaw, name, because, remedy } of web) {
      if (flaw === undefined || !flaws.includes(flaw)) continue;
      const same = JSON.stringify([because, remedy]);
      const metOnTheWeb = seen.get(same) ?? { names: [], because, remedy };
      metOnTheWeb.names.push(name);
      seen.set(same, metOnTheWeb);
    }
    return [...seen.values()];
  };

const REDIRECTS = "RFC 9110 section 15.4";
const hasSite = (role: string | undefined): boolean => role === "main" || role === "redirect" || role === "secondary";

export const site = {
  "site-no-address": rule("risks", "RFC 1034 section 3.6", ({ apex, role }) =>
    when(hasSite(role) && apex.hasNone && apex.alias === undefined),
  ),
  "site-www-missing": rule("untidy", "RFC 1034 section 3.6", ({ www, role, apex }) =>
    when(hasSite(role) && apex.addresses.length > 0 && www.hasNone && www.alias === undefined, { www: www.name }),
  ),
  "site-alias-broken": rule("breaks", "RFC 1034 section 3.6.2", ({ www }) =>
    when(www.alias !== undefined && www.hasNone, { www: www.name, alias: www.alias ?? www.name }),
  ),
  "site-alias-chain": rule("untidy", "RFC 1034 section 3.6.2", ({ www }) =>
    when(www.a.answer.chain.length > 3, { www: www.name, aliases: www.a.answer.chain.length }),
  ),
  "site-private": rule("breaks", "RFC 1918 section 3", ({ apex, www }) =>
    [apex, www].flatMap(({ name, addresses }) =>
      addresses.filter((candidate) => PRIVATE.test(candidate)).map((one) => ({ name, address: one })),
    ),
  ),
  "site-apex-differs": rule("note", "RFC 1034 section 3.6", ({ apex, www, role, web }) =>
    when(
      hasSite(role) &&
        web === undefined &&
        apex.addresses.length > 0 &&
        www.addresses.length > 0 &&
        !apex.addresses.some((candidate) => www.addresses.includes(candidate)),
      { apex: apex.name, apexAt: apex.addresses, www: www.name, wwwAt: www.addresses },
    ),
  ),
  "site-loop": rule("breaks", REDIRECTS, met("loop")),
  "site-unreachable": rule("breaks", "RFC 9110 section 4.2", met("unreachable")),
  "site-parked": rule("breaks", "RFC 9110 section 4.2", met("parked")),
  "site-no-page": rule("breaks", "RFC 9110 section 15.5", met("no-page")),
  "site-wrong-service": rule("breaks", "RFC 9110 section 15.5.20", met("wrong-service")),
  "site-certificate": rule(
    "breaks",
    "RFC 9525 section 6",
    met("certificate-name", "certificate-expired", "certificate-untrusted"),
  ),
  "site-wrong-address": rule("breaks", "RFC 1034 section 3.6", met("missing-address", "leftover-address")),
  "site-redirect-target": rule("breaks", REDIRECTS, met("wrong-target", "apart")),
  "site-both-serve": rule("risks", REDIRECTS, met("both-serve")),
  "site-no-redirect": rule("risks", REDIRECTS, met("no-redirect")),
  "site-framed": rule("risks", REDIRECTS, met("framed", "moves-after-loading")),
  "site-redirect-unencrypted": rule("risks", "RFC 9110 section 4.2.2", met("unencrypted")),
  "site-redirect-temporary": rule("risks", REDIRECTS, met("temporary")),
  "site-redirect-path": rule("risks", REDIRECTS, met("path-lost")),
  "ttl-long": rule("note", "RFC 1035 section 3.2.1", ({ apex }) =>
    apex.a.answer.kind === "found" ? when(apex.a.answer.set.ttl > DAY, { ttl: apex.a.answer.set.ttl }) : [],
  ),
  "ttl-zero": rule("untidy", "RFC 1035 section 3.2.1", ({ apex }) =>
    apex.a.answer.kind === "found" ? when(apex.a.answer.set.ttl < 30, { ttl: apex.a.answer.set.ttl }) : [],
  ),
} as const;
