import type { SeenRight } from "../../core/audit/index.ts";
import { displayName } from "../../core/name/index.ts";
import { MAX_LOOKUPS } from "../../core/spf/index.ts";
import { allOf, listOf } from "../english.ts";

/** What is said of an area in which nothing is wrong, without a full stop. */
export const RIGHT: { readonly [A in keyof SeenRight]: (seen: SeenRight[A], plain: string) => string } = {
  delegation: ({ servers }) => `${servers} name servers answer for the domain, and give the same answers`,
  wildcard: () => "no wildcard record answers for names that do not exist",
  ownership: ({ asks }) =>
    asks === 1 ? "the one ask of a service is where it should be" : `all ${asks} asks of services are where they should be`,
  "mail-in": ({ exchanges }) =>
    `mail goes to ${listOf(exchanges.map(displayName))}, ${exchanges.length === 1 ? "which has an address" : "and each has an address"}`,
  spf: ({ lookups }) => `there is one SPF record, it can be read, and costs ${lookups} of ${MAX_LOOKUPS} lookups`,
  dkim: ({ selectors }) => `mail can be signed: ${allOf(selectors, "holds a key that works", "hold keys that work")}`,
  dmarc: ({ policy }) => `there is a DMARC policy, p=${policy}`,
  reports: ({ destinations }) => `DMARC reports go to ${listOf(destinations.map(displayName))}, where mail is accepted`,
  site: ({ visited }, plain) =>
    visited
      ? `${plain} and www.${plain} lead visitors where they should, over HTTPS`
      : `${plain} and www.${plain} have addresses`,
  certificate: ({ values }) => `who may issue certificates is said: ${values.join(", ")}`,
  transport: () => "encrypted delivery is asked for, and failures are reported",
};
