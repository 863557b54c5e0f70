import type { Clause } from "./index.ts";
import type { Nothing } from "./nothing.ts";

/** What record data or a zone file has to say at a place; each completes “expected …”. */
export interface ExpectedClauses {
  /** The same as a sentence of its own. */
  "expected-here": { readonly said: Clause };
  /** A whole number from 0 to `most`. */
  /** What a value of a file has to be. */
  "expected-form": {
    readonly form: "key" | "pattern" | "kit-version" | "one-ask" | "template-id" | "one-line" | "one-record";
  };
  "expected-one-of": { readonly values: readonly string[] };
  "expected-number": { readonly most: number };
  "expected-time": Nothing;
  "expected-name": Nothing;
  /** `because` says what is wrong with the one that is there. */
  "expected-other-name": { readonly because: Clause };
  "expected-name-not-address": Nothing;
  "expected-ipv4": Nothing;
  "expected-ipv6": Nothing;
  "expected-escape": Nothing;
  "expected-text": Nothing;
  "expected-quoted-text": Nothing;
  /** Both in octets. */
  "expected-shorter-text": { readonly most: number; readonly octets: number };
  "expected-word": Nothing;
  "expected-hexadecimal": Nothing;
  "expected-hexadecimal-of": { readonly octets: number };
  "expected-base64": Nothing;
  "expected-type": Nothing;
  "expected-type-such-as": Nothing;
  "expected-moment": Nothing;
  "expected-salt": Nothing;
  "expected-hash": Nothing;
  "expected-generic-form": { readonly type: string };
  /** `detail` is what the reader of the wire says. */
  "expected-octets-of": { readonly type: string; readonly detail: Clause };
  "expected-end-of": { readonly type: string };
  "expected-close-before-open": Nothing;
  "expected-open-before-close": Nothing;
  "expected-close": Nothing;
  "expected-closing-quote": Nothing;
  "expected-argument": { readonly directive: string };
  /** `included` where an included file has the line. */
  "expected-directive": { readonly included: boolean };
  "expected-no-loop-of-files": Nothing;
  "expected-fewer-files": { readonly most: number };
  "expected-smaller-files": { readonly octets: number };
  "expected-readable-file": Nothing;
  "expected-allowed-file": Nothing;
  "expected-web-address": Nothing;
  "expected-owner": Nothing;
  "expected-class-in": Nothing;
  "expected-ttl": Nothing;
}
