import type { DomainName } from "../name/index.ts";
import type { Clause } from "./index.ts";
import type { Nothing } from "./nothing.ts";

/** What is said of a site, its redirects and certificates, and of proofs on the web. */
export interface SiteClauses {
  /** A page that was not had: `host` as it was asked for, at one of its addresses. */
  "page-no-address": { readonly host: string };
  "page-broken-off": { readonly host: string; readonly address: string };
  /** `why` as the system says it; undefined where nothing came in time. */
  "page-unreachable": {
    readonly host: string;
    readonly address: string;
    readonly secure: boolean;
    readonly why: string | undefined;
    readonly ms: number;
  };
  /** `pending`: milliseconds since the name was published. */
  "site-certificate-other": { readonly names: readonly string[]; readonly host: string; readonly pending: number | undefined };
  /** Paths with their queries. */
  "site-path-lost": { readonly from: string; readonly to: string };
  "proof-certificate-other": { readonly url: string; readonly names: readonly string[] };
  "proof-certificate-untrusted": { readonly url: string };
  "site-caa-others": { readonly at: DomainName; readonly allowed: readonly string[] };
  "site-caa-critical": { readonly above: DomainName; readonly tag: string };
  "site-caa-unrestricted": { readonly above: DomainName };
  "site-caa-names": { readonly above: DomainName; readonly issuer: string };
  "site-caa-none": Nothing;
  "site-see-builder": Nothing;
  "site-no-certificate": Nothing;
  "site-try-again": Nothing;
  "site-certificate-other-mend": Nothing;
  "site-certificate-expired": { readonly host: string };
  "site-certificate-expired-mend": Nothing;
  "site-certificate-untrusted": { readonly host: string; readonly distrust: string };
  "site-certificate-untrusted-mend": Nothing;
  "site-certificate-covers": { readonly host: string };
  "site-point-domain": Nothing;
  "site-retarget": { readonly target: string };
  "site-wrong-target": { readonly hostname: string; readonly target: string };
  "site-ends-unencrypted": { readonly hostname: string };
  "site-passes-unencrypted": { readonly location: string };
  "site-temporary": { readonly url: string; readonly status: number };
  "site-temporary-mend": Nothing;
  "site-path-lost-mend": Nothing;
  "site-see-target": Nothing;
  "site-redirects": { readonly target: string };
  "site-framed": Nothing;
  "site-framed-mend": Nothing;
  "site-moves-after-loading": Nothing;
  "site-moves-after-loading-mend": Nothing;
  "site-no-redirect": { readonly status: number };
  "site-no-redirect-mend": { readonly target: string };
  "site-servers-silent-mend": Nothing;
  "site-no-address": { readonly host: string };
  "site-no-address-mend": { readonly host: string };
  "site-leads": { readonly host: string; readonly found: readonly string[] };
  "site-leads-to-service": { readonly host: string };
  "site-missing-address": { readonly host: string; readonly missing: readonly string[] };
  "site-missing-address-mend": Nothing;
  "site-leftover-address": { readonly host: string; readonly address: string };
  "site-leftover-address-mend": { readonly address: string };
  "site-parked": { readonly host: string };
  "site-parked-mend": Nothing;
  "site-wrong-service": { readonly host: string; readonly status: number };
  "site-wrong-service-mend": Nothing;
  "site-error": { readonly host: string; readonly status: number };
  "site-error-mend": Nothing;
  "site-loop": { readonly looped: readonly string[] };
  "site-loop-mend": Nothing;
  "site-both-serve": { readonly apex: string; readonly www: string };
  "site-both-serve-mend": Nothing;
  "site-apart": { readonly apex: string; readonly atApex: string; readonly www: string; readonly atWww: string };
  "site-apart-mend": Nothing;
  "proof-see-site": Nothing;
  "proof-certificate-mend": Nothing;
  "proof-redirects": { readonly url: string; readonly location: string };
  "proof-redirects-mend": Nothing;
  "proof-status": { readonly url: string; readonly status: number };
  "proof-file-address": Nothing;
  "proof-login": Nothing;
  "proof-cut": { readonly url: string };
  "proof-upload-as-given": Nothing;
  "proof-cut-meta-mend": Nothing;
  "proof-file-right": { readonly url: string };
  "proof-other-around": { readonly url: string };
  "proof-other-around-mend": Nothing;
  "proof-page-instead": { readonly url: string };
  "proof-other-text": { readonly url: string };
  "proof-meta-right": { readonly url: string };
  "proof-meta-in-body": { readonly url: string };
  "proof-meta-in-body-mend": Nothing;
  "proof-meta-in-comment": { readonly url: string };
  "proof-meta-in-comment-mend": Nothing;
  "proof-meta-as-text": { readonly url: string };
  "proof-meta-as-text-mend": Nothing;
  "proof-meta-other-content": { readonly url: string; readonly name: string };
  "proof-meta-other-content-mend": Nothing;
  "proof-meta-missing": { readonly url: string; readonly name: string };
  "proof-meta-missing-mend": Nothing;
  "site-may-issue": { readonly title: string; readonly because: Clause };
  "site-may-issue-mend": { readonly at: DomainName; readonly issuer: string };
  "site-no-target": { readonly domain: DomainName };
  "site-no-target-mend": { readonly domain: DomainName };
  /** What was not found on the web, with the name it is about. */
  "site-web-unseen": { readonly name: string; readonly because: Clause };
}
