import type { DomainName } from "../name/index.ts";
import type { Clause } from "./index.ts";
import type { Nothing } from "./nothing.ts";

/** Who was asked, as people write it: an address with its port, or a URL. */
interface Asked {
  readonly server: string;
}

/** Why a question to the DNS has no answer, and what is known of a domain's servers. */
export interface AnswerClauses {
  /** `why` as the system says it, such as ECONNREFUSED. */
  "answer-unreachable": Asked & { readonly why: string };
  "answer-late": Asked & { readonly ms: number };
  "answer-hung-up": Asked & { readonly before: "answer" | "zone" };
  "answer-http-status": Asked & { readonly status: number };
  "answer-no-dns-message": Asked;
  "answer-too-long": Asked;
  "answer-not-again": Asked;
  "answer-unreadable": Asked & { readonly what: "answer" | "zone"; readonly error: Clause };
  "answer-other-question": Asked;
  /** A response code, and what the server says of it besides (RFC 8914). */
  "answer-code": Asked & { readonly code: string; readonly name: DomainName; readonly says: readonly string[] };
  "answer-bogus": Asked & { readonly name: DomainName; readonly says: readonly string[] };
  "answer-contradicts": Asked & { readonly name: DomainName };
  /** `server` where one answered with all of the aliases. */
  "answer-ring": { readonly server: string | undefined; readonly name: DomainName };
  "answer-delegates": Asked & { readonly name: DomainName; readonly to: readonly DomainName[] };
  "answer-leads-out": Asked & { readonly name: DomainName; readonly target: DomainName };
  "answer-neither": Asked & { readonly name: DomainName };
  "answer-without-signatures": Asked;
  "answer-nobody-asked": Nothing;
  "answer-no-resolver": Nothing;
  "answer-nobody-answers": Nothing;
  "answer-no-name": { readonly host: string };
  "answer-outside-files": { readonly name: DomainName };
  "answer-below-cut": { readonly name: DomainName; readonly zone: DomainName };
  "answer-alias-without-target": { readonly name: DomainName };
  "transfer-by-url": Asked;
  "transfer-late": Asked & { readonly zone: DomainName; readonly ms: number };
  /** `why` where the server said more than that. */
  "transfer-refused": Asked & { readonly why: string | undefined };
  "transfer-signature": Asked & {
    readonly why: "unsigned" | "other-key" | "bad-key" | "bad-signature" | "forged" | "bad-time" | "malformed";
  };
  "transfer-end-unsigned": Asked;
  "transfer-octets": Asked & { readonly mebioctets: number };
  "transfer-records": Asked & { readonly records: number };
  "authority-none-above": { readonly domain: DomainName };
  "authority-not-delegated": { readonly parent: DomainName; readonly domain: DomainName };
  "authority-no-servers": { readonly domain: DomainName };
  "authority-part-of": { readonly domain: DomainName; readonly zone: DomainName };
  "authority-no-address": { readonly server: DomainName };
  "authority-not-in-files": { readonly domain: DomainName };
}
