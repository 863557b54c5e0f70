import type { DomainName } from "../name/index.ts";
import type { Clause } from "./index.ts";
import type { Nothing } from "./nothing.ts";

/** What is said of messages. */
export interface MessageClauses {
  /** What a test message says; `at` in milliseconds since 1970. */
  "test-message-subject": { readonly domain: DomainName };
  "test-message-from": { readonly domain: DomainName; readonly at: number };
  "test-message-arrived": Nothing;
  "message-empty": Nothing;
  "message-header-too-large": { readonly octets: number };
  "mailbox-open-quote": Nothing;
  "mailbox-open-comment": Nothing;
  "mailbox-open-bracket": Nothing;
  "mailbox-open-group": Nothing;
  "mailbox-no-address": { readonly found: string };
  "mailbox-no-domain": { readonly found: string };
  "mailbox-no-group": Nothing;
  "mailbox-no-comma": Nothing;
  "message-not-sent": { readonly lacks: readonly string[] };
  "message-yours-lacks": { readonly lacks: readonly string[] };
  "message-fails": { readonly result: string; readonly because: Clause };
  "message-yours-but": { readonly because: Clause };
  "message-has-it": { readonly because: Clause };
  "message-envelope-unknown": Nothing;
  "message-line-ends": Nothing;
  "message-stray-lines": { readonly lines: number; readonly first: string | undefined };
  "message-nul": Nothing;
  "message-not-ascii": Nothing;
  "message-signatures-ignored": { readonly ignoredSignatures: number };
  "message-dns-unresolved": Nothing;
  "message-refused": Nothing;
  "message-maybe-taken": Nothing;
  "message-came-back": Nothing;
  "message-spam": Nothing;
  "message-unjudged": Nothing;
  "message-in-folder": { readonly folder: string };
  "message-ready": Nothing;
  "message-gone-quiet": Nothing;
  "message-still": { readonly state: string };
  "message-unseen": Nothing;
  "message-not-ready": Nothing;
  "message-maybe-taken-followed": Nothing;
}
