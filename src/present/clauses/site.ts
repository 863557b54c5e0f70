import type { Clause } from "../../core/clause/index.ts";
import { type DomainName, displayName, withoutRootDot } from "../../core/name/index.ts";
import type { HostAsked, Instead } from "../../core/site/index.ts";
import { spanText } from "../../core/spread/index.ts";
import { count, listOf } from "../english.ts";
import type { Words } from "./words.ts";

/** A span for people: `3 hours`, in whole units. */
function spanSince(milliseconds: number): string {
  const minutes = Math.max(1, Math.round(milliseconds / 60_000));
  if (minutes < 120) return count(minutes, "minute");
  return minutes < 2880 ? count(Math.round(minutes / 60), "hour") : count(Math.round(minutes / 1440), "day");
}

const nobodyCanTell = (url: string, certificate: string): string =>
  `${url} answers with a certificate ${certificate}, so that nobody can tell whose page it is`;

export const SITE = {
  /** A page that was not had: `host` as it was asked for, at one of its addresses. */
  "page-no-address": ({ host }: { readonly host: string }) => `${host} has no address`,
  "page-broken-off": ({ host, address }: { readonly host: string; readonly address: string }) =>
    `${host} (${address}) broke off before the page was complete`,
  /** `why` as the system says it; undefined where nothing came in time. */
  "page-unreachable": ({
    host,
    address,
    secure,
    why,
    ms,
  }: {
    readonly host: string;
    readonly address: string;
    readonly secure: boolean;
    readonly why: string | undefined;
    readonly ms: number;
  }) => `${host} (${address}) cannot be reached over ${secure ? "https" : "http"}: ${why ?? `no answer within ${ms / 1000} s`}`,
  /** `pending`: milliseconds since the name was published. */
  "site-certificate-other": ({
    names,
    host,
    pending,
  }: {
    readonly names: readonly string[];
    readonly host: string;
    readonly pending: number | undefined;
  }) => {
    const since =
      pending === undefined
        ? ""
        : `, ${spanSince(pending)} after the name was published; most are there a few hours after everyone sees the address`;
    return `the certificate there is for ${listOf(names) || "no name at all"}, not for ${host}: the right one is probably still pending${since}`;
  },
  /** Paths with their queries. */
  "site-path-lost": ({ from, to }: { readonly from: string; readonly to: string }) =>
    `the path is lost: ${from} arrives at ${to}`,
  "proof-certificate-other": ({ url, names }: { readonly url: string; readonly names: readonly string[] }) =>
    nobodyCanTell(url, `for ${names.length === 0 ? "no name" : names.slice(0, 3).join(", ")}`),
  "proof-certificate-untrusted": ({ url }: { readonly url: string }) => nobodyCanTell(url, "that is not trusted"),
  "site-caa-others": ({ at, allowed }: { readonly at: DomainName; readonly allowed: readonly string[] }) =>
    `the CAA records of ${displayName(at)} let ${allowed.length === 0 ? "nobody" : `only ${listOf(allowed)}`} issue certificates`,
  "site-caa-critical": ({ above, tag }: { readonly above: DomainName; readonly tag: string }) =>
    `${displayName(above)} has a critical CAA property “${tag}” that issuers do not know`,
  "site-caa-unrestricted": ({ above }: { readonly above: DomainName }) =>
    `the CAA records of ${displayName(above)} do not restrict who issues`,
  "site-caa-names": ({ above, issuer }: { readonly above: DomainName; readonly issuer: string }) =>
    `the CAA records of ${displayName(above)} name ${issuer}`,
  "site-caa-none": "no CAA record restricts who issues",
  "site-see-builder": "see that the site builder has the domain, and that the address is right",
  "site-no-certificate": "the server showed no certificate",
  "site-try-again": "try again",
  "site-certificate-other-mend": "wait for the certificate, or ask the site builder or issuer why it is still pending",
  "site-certificate-expired": ({ host }: { readonly host: string }) => `the certificate for ${host} has expired`,
  "site-certificate-expired-mend":
    "ask the site builder or issuer to renew it; the record that proves the domain may have been removed",
  "site-certificate-untrusted": ({ host, distrust }: { readonly host: string; readonly distrust: string }) =>
    `browsers do not trust the certificate for ${host} (${distrust})`,
  "site-certificate-untrusted-mend": "ask the site builder or issuer for a certificate that browsers trust",
  "site-certificate-covers": ({ host }: { readonly host: string }) => `the certificate covers ${host}`,
  "site-point-domain": "point the domain at the service that redirects it",
  "site-retarget": ({ target }: { readonly target: string }) => `change the redirect's target to https://${target}`,
  "site-wrong-target": ({ hostname, target }: { readonly hostname: string; readonly target: string }) =>
    `it leads to ${hostname}, not to ${target}`,
  "site-ends-unencrypted": ({ hostname }: { readonly hostname: string }) => `it ends at http://${hostname}, without encryption`,
  "site-passes-unencrypted": ({ location }: { readonly location: string }) =>
    `it goes by way of http://${location}, without encryption`,
  "site-temporary": ({ url, status }: { readonly url: string; readonly status: number }) =>
    `the redirect at ${url} is temporary (${status}), so search engines keep the old address`,
  "site-temporary-mend": "make it permanent (301 or 308)",
  "site-path-lost-mend": "let the redirect keep path and query",
  "site-see-target": "see that the target answers",
  "site-redirects": ({ target }: { readonly target: string }) =>
    `it leads for good to https://${target}, and deep links keep working`,
  "site-framed": "the page shows the other site inside a frame, so search engines and links see the wrong address",
  "site-framed-mend": "choose a permanent redirect, not one that shows the other site in a frame",
  "site-moves-after-loading": "the page moves on by itself after loading instead of redirecting",
  "site-moves-after-loading-mend": "choose a permanent redirect (301)",
  "site-no-redirect": ({ status }: { readonly status: number }) => `it answers by itself (${status}) and does not redirect`,
  "site-no-redirect-mend": ({ target }: { readonly target: string }) => `set up a permanent redirect (301) to https://${target}`,
  "site-servers-silent-mend": "try again when the name servers answer",
  "site-no-address": ({ host }: { readonly host: string }) => `${host} has no address, so visitors cannot reach it`,
  /** What to do where visitors of a host meet something else than the site. */
  "site-host-mend": ({
    host,
    asked,
    isPublished,
    other,
    builder,
    dnsHost,
    instead,
  }: HostAsked & { readonly instead: Instead }) => {
    const at = builder ?? "the site builder";
    const before = instead === "parked" ? ", and remove the record that leads to the parked page" : "";
    switch (asked) {
      case "here":
        if (isPublished === undefined)
          return "look again when the domain's own name servers answer: what they say of it is not known";
        if (!isPublished) return `publish what ${at} asks for at ${host}: zandrel draft shows it${before}`;
        switch (instead) {
          case "no-address":
            return `the record is published as ${at} asks; it is not seen everywhere yet, so look again later: zandrel watch tells when everyone sees it`;
          case "no-page":
            return `the records are right; see at ${at} that the site is published, that it has a start page, and that no password keeps visitors out`;
          default:
            return `the records are right; finish connecting ${host} at ${at}, and publish the site there`;
        }
      case "other":
        return `nothing asks for ${host} itself: set up a permanent redirect (301) from ${host} to ${other} at ${dnsHost ?? "the DNS host"}, or ask ${at} what to enter for ${host}`;
      case "nowhere":
        return instead === "no-page"
          ? "ask the person who runs the site"
          : `no site builder has asked for anything here yet: paste what its page shows into zandrel intake${before}`;
    }
  },
  "site-old-address": ({
    host,
    own,
    found,
    seconds,
  }: {
    readonly host: string;
    readonly own: readonly string[];
    readonly found: readonly string[];
    readonly seconds: number;
  }) =>
    `the domain's own name servers lead ${host} to ${own.length === 0 ? "no address" : listOf(own)}; the resolver that was asked still remembers ${found.length === 0 ? "that there is none" : listOf(found)}, for at most ${spanText(seconds)}`,
  "site-old-address-mend": "look again when that time has passed: what visitors meet until then is the old place",
  "site-no-page": ({ host, status }: { readonly host: string; readonly status: number }) =>
    status === 401 || status === 403
      ? `${host} lets no visitor in (${status})`
      : `${host} answers that there is no page (${status})`,
  "site-empty-page": ({ host }: { readonly host: string }) => `${host} shows an empty page`,
  "site-leads": ({ host, found }: { readonly host: string; readonly found: readonly string[] }) =>
    `${host} leads to ${listOf(found)}`,
  "site-leads-to-service": ({ host }: { readonly host: string }) => `${host} leads to the service's addresses`,
  "site-missing-address": ({ host, missing }: { readonly host: string; readonly missing: readonly string[] }) =>
    `${host} does not lead to ${listOf(missing)}, as the service asks`,
  "site-missing-address-mend": "publish the ask: zandrel draft shows what is in the way",
  "site-leftover-address": ({ host, address }: { readonly host: string; readonly address: string }) =>
    `${host} also has the address ${address}, which the service did not ask for: some visitors arrive there`,
  "site-leftover-address-mend": ({ address }: { readonly address: string }) =>
    `remove the ${address.includes(":") ? "AAAA" : "A"} record ${address}, if it is the previous site's`,
  "site-parked": ({ host }: { readonly host: string }) => `${host} shows a parked page, not your site`,
  "site-wrong-service": ({ host, status }: { readonly host: string; readonly status: number }) =>
    `${host} leads to a service that does not know it (${status})`,
  "site-error": ({ host, status }: { readonly host: string; readonly status: number }) =>
    `${host} answers with an error (${status})`,
  "site-error-mend": "try again, or ask the site builder",
  "site-loop": ({ looped }: { readonly looped: readonly string[] }) =>
    `${looped.join(" and ")} redirects in a circle, so that no browser gets there`,
  "site-loop-mend": "let one of the two show the site, and only the other one redirect",
  "site-both-serve": ({ apex, www }: { readonly apex: string; readonly www: string }) =>
    `${apex} and ${www} both show a site by themselves, and search engines take them for two`,
  "site-both-serve-mend":
    "choose one of the two as the main one at the site builder; the other redirects to it permanently (301)",
  "site-apart": ({
    apex,
    atApex,
    www,
    atWww,
  }: {
    readonly apex: string;
    readonly atApex: string;
    readonly www: string;
    readonly atWww: string;
  }) => `${apex} arrives at ${atApex}, and ${www} at ${atWww}`,
  "site-apart-mend": "let both arrive at one of the two names",
  "proof-see-site": "see that the site answers, then try again",
  "proof-certificate-mend": "wait for the site builder to issue the certificate, or correct where the name leads",
  "proof-redirects": ({ url, location }: { readonly url: string; readonly location: string }) =>
    `${url} redirects to ${location}, and many services do not follow`,
  "proof-redirects-mend": "let the address answer by itself, or give the service the address it redirects to",
  "proof-status": ({ url, status }: { readonly url: string; readonly status: number }) => `${url} answers with status ${status}`,
  "proof-file-address": "upload the file to exactly this address",
  "proof-login": "see that the page can be read without logging in",
  "proof-cut": ({ url }: { readonly url: string }) =>
    `${url} is longer than is read of a page, and its beginning does not hold it`,
  "proof-upload-as-given": "upload the file as the service gave it",
  "proof-cut-meta-mend": "put the meta tag at the beginning of the head",
  "proof-file-right": ({ url }: { readonly url: string }) => `${url} holds the text`,
  "proof-other-around": ({ url }: { readonly url: string }) => `${url} holds other text around it`,
  "proof-other-around-mend": "upload the file as the service gave it, not as a page of the site",
  "proof-page-instead": ({ url }: { readonly url: string }) => `${url} shows a page of the site instead of the file`,
  "proof-other-text": ({ url }: { readonly url: string }) => `${url} holds another text`,
  "proof-meta-right": ({ url }: { readonly url: string }) => `${url} has the meta tag`,
  "proof-meta-in-body": ({ url }: { readonly url: string }) =>
    `the meta tag stands in the body of ${url}, where services do not look`,
  "proof-meta-in-body-mend": "put it into the head of the page, in front of </head>",
  "proof-meta-in-comment": ({ url }: { readonly url: string }) => `the meta tag of ${url} is inside a comment`,
  "proof-meta-in-comment-mend": "take it out of the comment",
  "proof-meta-as-text": ({ url }: { readonly url: string }) => `${url} shows the meta tag as text, because the editor escaped it`,
  "proof-meta-as-text-mend": "enter it in the field for code in the head, not in the page's text",
  "proof-meta-other-content": ({ url, name }: { readonly url: string; readonly name: string }) =>
    `${url} has the meta tag ${name} with another content`,
  "proof-meta-other-content-mend": "copy the content again from the service",
  "proof-meta-missing": ({ url, name }: { readonly url: string; readonly name: string }) => `${url} has no meta tag ${name}`,
  "proof-meta-missing-mend": "put it into the head of the page, and publish the page",
  "site-may-issue": ({ title, because }: { readonly title: string; readonly because: Clause }, say) =>
    `${title} may issue a certificate: ${say(because)}`,
  "site-may-issue-mend": ({ at, issuer }: { readonly at: DomainName; readonly issuer: string }) =>
    `add this record at ${displayName(at)}: CAA 0 issue "${issuer}"`,
  "site-no-target": ({ domain }: { readonly domain: DomainName }) =>
    `it is not known where ${displayName(domain)} should redirect to`,
  "site-no-target-mend": ({ domain }: { readonly domain: DomainName }) =>
    `name it: zandrel init ${withoutRootDot(domain)} --redirect-to DOMAIN`,
  /** What was not found on the web, with the name it is about. */
  "site-web-unseen": ({ name, because }: { readonly name: string; readonly because: Clause }, say) =>
    say(because).includes(name) ? say(because) : `${name}: ${say(because)}`,
} satisfies Words;
