import type { GuardClauses } from "../../core/clause/index.ts";
import { displayName } from "../../core/name/index.ts";
import { count, listOf } from "../english.ts";
import { sourceName } from "../source-names.ts";
import type { WordsOf } from "./words.ts";

const DAY = 86_400_000;
const dayOf = (at: number): string => new Date(at).toISOString().slice(0, 10);

export const GUARD: WordsOf<GuardClauses> = {
  "guard-certificate-ends": ({ name, at }) => `the certificate for ${name} ends on ${dayOf(at)}`,
  "guard-name-servers": ({ names }) => `the name servers are ${listOf(names.map(displayName).sort())}`,
  "guard-ds": ({ keyTags }) =>
    keyTags.length === 0
      ? "there is no DNSSEC record (DS) at the registrar"
      : `the DNSSEC records (DS) at the registrar are for the ${keyTags.length === 1 ? "key" : "keys"} ${listOf(keyTags.map(String))}`,
  "guard-signatures-good": ({ until }) => `the DNSSEC signatures are good until ${new Date(until).toISOString()}`,
  "guard-not-signed": "the domain is not signed (DNSSEC)",
  "guard-include-leads": ({ term }) => `${term} leads to an SPF record`,
  "guard-addresses-named": ({ term }) => `your SPF record names the addresses of ${term}`,
  "guard-newest-report": ({ day }) => `the newest DMARC report is about ${dayOf(day * DAY)}`,
  "guard-senders-unresolved": ({ unseen }) => `we could not find out who ${unseen} allows to send`,
  "guard-unknown-sender": ({ messages, title, domain, aligned, nextTo }) => {
    const proven = aligned === 0 ? "none of them is" : `${aligned} of them are`;
    const near = nextTo === undefined ? "" : ` (it is next to the addresses of ${nextTo}, and not one of them)`;
    return `${count(messages, "message")} came from ${sourceName(title)} with ${displayName(domain)} as the sender, and ${proven} proven to be yours${near}`;
  },
  "guard-certificate-renew": "it should have been renewed by now; ask the site builder or issuer why it was not",
  "guard-registration-ended": "ask the registrar whether the registration has ended",
  "guard-ask-service": "ask the service where it sends from now",
  "guard-newest-event": ({ title, day }) => `the newest event ${title} reported is from ${dayOf(day * DAY)}`,
};
