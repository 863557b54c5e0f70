import type { Clause } from "../../core/clause/index.ts";
import { type DomainName, displayName } from "../../core/name/index.ts";
import { listOf } from "../english.ts";
import type { Words } from "./words.ts";

const day = (at: number): string => new Date(at).toISOString().slice(0, 10);
const kib = (octets: number): string => `${(octets / 1024).toFixed(1)} kB`;
type Element = { readonly element: string };

/** What is said of the logo beside the name: its record, its drawing, the evidence for it. */
export const LOGO = {
  "logo-policy-unseen": ({ because }: { readonly because: Clause }, say) =>
    `the DMARC policy could not be asked for: ${say(because)}`,
  "logo-policy-missing": "there is no DMARC policy, and no provider shows a logo without one that is enforced",
  "logo-policy-none": ({ at }: { readonly at: DomainName }) =>
    `the DMARC policy of ${displayName(at)} is p=none: mail that is not proven is let through, and no logo is shown`,
  "logo-policy-testing": ({ at }: { readonly at: DomainName }) =>
    `the DMARC policy of ${displayName(at)} is only tried out (t=y)`,
  "logo-policy": ({ policy }: { readonly policy: string }) => `the DMARC policy is enforced (p=${policy})`,
  "logo-subdomains-none": "the policy leaves subdomains out (sp=none), and it has to hold for them too",
  "logo-subdomains": ({ policy }: { readonly policy: string }) => `it holds for subdomains too (${policy})`,
  "logo-percent": ({ percent }: { readonly percent: number }) =>
    `the policy holds for ${percent} % of the mail (pct=${percent}), and has to hold for all`,
  "logo-percent-whole": "it holds for all mail",
  "logo-record-unseen": ({ at, because }: { readonly at: DomainName; readonly because: Clause }, say) =>
    `the record at ${displayName(at)} could not be asked for: ${say(because)}`,
  "logo-record-missing": ({ at }: { readonly at: DomainName }) => `there is no logo record at ${displayName(at)}`,
  "logo-record-twice": ({ at, records }: { readonly at: DomainName; readonly records: number }) =>
    `there are ${records} logo records at ${displayName(at)}, and one is allowed`,
  "logo-record-wrong": ({ at }: { readonly at: DomainName }) => `the record at ${displayName(at)} has mistakes`,
  "logo-record-declines": ({ at }: { readonly at: DomainName }) =>
    `the record at ${displayName(at)} declines: it says that no logo is to be shown`,
  "logo-record": ({ at }: { readonly at: DomainName }) => `the record at ${displayName(at)} can be read`,
  "logo-first": ({ what }: { readonly what: string }) => `not looked at: first the ${what}`,
  "logo-own-file": ({ path }: { readonly path: string }) => `not looked at: ${path} is judged in place of it`,
  "logo-web-unseen": "nothing on the web can be looked at here",
  "logo-not-https": ({ what }: { readonly what: string }) => `the address of the ${what} does not begin with https://`,
  "logo-redirect-unencrypted": ({ host }: { readonly host: string }) => `it is led on to ${host} without encryption`,
  "logo-redirect-elsewhere": ({ host }: { readonly host: string }) => `it is led on to ${host}, which belongs to somebody else`,
  "logo-certificate-untrusted": ({ host, why }: { readonly host: string; readonly why: string }) =>
    `the certificate of ${host} is not trusted (${why})`,
  "logo-certificate-ended": ({ host }: { readonly host: string }) => `the certificate of ${host} has ended`,
  "logo-certificate-name": ({ host }: { readonly host: string }) => `the certificate is not for ${host}`,
  "logo-status": ({ status }: { readonly status: number }) => `the server answers with ${status} instead of 200`,
  "logo-type": ({ type }: { readonly type: string | undefined }) =>
    `the server calls it ${type ?? "nothing"}, and image/svg+xml is wanted`,
  "logo-cut": "it is far larger than any logo",
  "logo-address": ({ what, host }: { readonly what: string; readonly host: string }) => `${host} serves the ${what} as it should`,
  "logo-address-wrong": ({ what }: { readonly what: string }) => `the ${what} is not served as it has to be`,
  "logo-drawing": ({ title, size }: { readonly title: string; readonly size: number }) =>
    `the drawing “${title}” keeps to the profile (${kib(size)})`,
  "logo-drawing-wrong": ({ offences }: { readonly offences: number }) =>
    `the drawing does not keep to the profile, in ${offences === 1 ? "one place" : `${offences} places`}`,
  "logo-evidence-none":
    "the record names no evidence: some mailbox providers show logos without it, others only with a certificate for it, which costs money and takes weeks",
  "logo-evidence": ({ issuer, until }: { readonly issuer: string; readonly until: number }) =>
    `the evidence, issued by ${issuer}, holds the same drawing, and is good until ${day(until)}; whose roots a provider trusts is for it to say`,
  "logo-evidence-wrong": "the evidence cannot be relied on",
  "logo-record-unreadable": ({ text, message }: { readonly text: string; readonly message: Clause }, say) =>
    `“${text}” cannot be read: ${say(message)}`,
  "logo-record-several": ({ tag }: { readonly tag: string }) => `${tag}= names several addresses, and only one counts`,
  "logo-record-address": ({ tag, value }: { readonly tag: string; readonly value: string }) =>
    `${tag}=${value} is no web address`,
  "logo-record-not-https": ({ tag, value }: { readonly tag: string; readonly value: string }) =>
    `${tag}=${value} does not begin with https://`,
  "logo-record-no-drawing": "l= is missing, which says where the drawing is",
  "logo-record-evidence-alone": "a= names evidence, and l= names no drawing",
  "logo-record-preference": ({ value }: { readonly value: string }) => `avp=${value} is neither brand nor personal`,
  "drawing-too-large": ({ size }: { readonly size: number }) => `it has ${kib(size)}, and 32 kB are the limit`,
  "drawing-not-xml": ({ message }: { readonly message: string }) =>
    `it is not well formed${message === "" ? "" : `: ${message}`}`,
  "drawing-doctype": "it has a document type (<!DOCTYPE>), which is refused because of the entities in it",
  "drawing-too-deep": ({ most }: { readonly most: number }) => `elements are nested more than ${most} deep`,
  "drawing-too-many": ({ most }: { readonly most: number }) => `it has more than ${most} elements`,
  "drawing-not-svg": ({ element }: Element) => `it begins with <${element}>, and not with an <svg> of the SVG namespace`,
  "drawing-version": ({ version }: { readonly version: string | undefined }) =>
    `version="1.2" is wanted on <svg>${version === undefined ? "" : `, and it says "${version}"`}`,
  "drawing-profile": ({ profile }: { readonly profile: string | undefined }) =>
    `baseProfile="tiny-ps" is wanted on <svg>${profile === undefined ? "" : `, and it says "${profile}"`}`,
  "drawing-root-place": ({ attribute }: { readonly attribute: string }) => `<svg> has ${attribute}=, which is not allowed there`,
  "drawing-no-view-box": "<svg> has no viewBox with four numbers",
  "drawing-not-square": ({ width, height }: { readonly width: number; readonly height: number }) =>
    `its viewBox is ${width} by ${height}, and a square is wanted`,
  "drawing-no-title": "there is no <title> right below <svg>",
  "drawing-long-title": ({ most }: { readonly most: number }) => `its <title> has more than ${most} characters`,
  "drawing-script": "it has a script",
  "drawing-script-attribute": ({ attribute }: { readonly attribute: string }) => `${attribute}= is a script`,
  "drawing-animated": ({ element }: Element) => `<${element}> moves something`,
  "drawing-interactive": ({ element }: Element) => `<${element}> reacts to the reader`,
  "drawing-raster": ({ element }: Element) => `<${element}> puts a picture or a film into the drawing`,
  "drawing-foreign-object": "<foreignObject> puts something into the drawing that is no drawing",
  "drawing-style-sheet": "<style> is a style sheet, and only attributes are allowed",
  "drawing-style-attribute": ({ element }: Element) => `<${element}> has style=, and only attributes are allowed`,
  "drawing-element": ({ element }: Element) => `<${element}> is not in the profile`,
  "drawing-foreign": ({ element }: Element) => `<${element}> is of another language than SVG`,
  "drawing-data": ({ element }: Element) => `<${element}> has data in its address`,
  "drawing-outside": ({ element }: Element) => `<${element}> refers to something outside the drawing`,
  "prepared-profile": 'version="1.2" and baseProfile="tiny-ps" were set',
  "prepared-root-place": "the place of <svg> was left out, which nobody looks at",
  "prepared-square": ({ width, height }: { readonly width: number; readonly height: number }) =>
    `the drawing of ${width} by ${height} got an empty margin, so that it is square`,
  "prepared-title": ({ title }: { readonly title: string }) => `the title “${title}” was added`,
  "prepared-dropped": ({ what }: { readonly what: string }) => `${what} was left out, which draws nothing`,
  "prepared-comments": "comments were left out",
  "prepared-style": "styles became attributes",
  "evidence-no-certificate": "there is no certificate in it (PEM)",
  "evidence-too-many": ({ most }: { readonly most: number }) => `there are more than ${most} certificates in it`,
  "evidence-unreadable": ({ number }: { readonly number: number }) => `certificate ${number} in it cannot be read`,
  "evidence-not-yet": ({ from }: { readonly from: number }) => `it is good from ${day(from)} on only`,
  "evidence-expired": ({ until }: { readonly until: number }) => `it ended on ${day(until)}`,
  "evidence-order": ({ number }: { readonly number: number }) =>
    `certificate ${number} is not signed by the one behind it: the domain's own comes first, then who issued it, and so on`,
  "evidence-above-expired": ({ number }: { readonly number: number }) => `certificate ${number}, of an issuer, is not good today`,
  "evidence-alone": "the certificates of its issuers are not in it",
  "evidence-not-for-logos": "its certificate is not one for logos in mail",
  "evidence-other-domain": ({ names }: { readonly names: readonly DomainName[] }) =>
    names.length === 0 ? "it is for no domain" : `it is for ${listOf(names.map(displayName))}`,
  "evidence-no-log": "no public log of certificates has it",
  "evidence-no-drawing": "there is no drawing in it",
  "evidence-other-drawing": "the drawing in it is another one than the one that is shown",
  "evidence-hash": "the drawing in it does not fit the hash beside it",
} satisfies Words;
