import type { Nothing } from "./nothing.ts";

/** Why a text is not a domain name. */
export interface NameClauses {
  "name-empty": Nothing;
  "name-starts-with-dot": Nothing;
  "name-nothing-between-dots": Nothing;
  "name-dot-without-neighbour": Nothing;
  /** `digits` are the three behind the backslash. */
  "name-no-octet": { readonly digits: string };
  "name-half-escape": Nothing;
  "name-no-a-label": { readonly label: string };
  /** Both in octets. */
  "name-label-too-long": { readonly most: number; readonly octets: number };
  /** Both in octets on the wire. */
  "name-too-long": { readonly most: number; readonly octets: number };
  "name-one-part": Nothing;
  "name-is-address": Nothing;
  "name-foreign-character": { readonly character: string };
}
