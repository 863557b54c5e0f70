import type { Clause } from "../../core/clause/index.ts";
import { DAY_MS } from "../../core/day.ts";
import { type DomainName, displayName } from "../../core/name/index.ts";
import { spanText } from "../../core/spread/index.ts";
import { count, listOf } from "../english.ts";
import { sourceName } from "../source-names.ts";
import type { Words } from "./words.ts";

const dayOf = (at: number): string => new Date(at).toISOString().slice(0, 10);

const domainsOf = (domains: number): string => (domains === 1 ? "1 domain" : `${domains} domains`);

/** What is said of many domains: the guard, sweeps, dossiers, and what is told on the way. */
export const FLEET = {
  "guard-nothing-missed": "nothing that stood beside what was published is missing",
  "guard-missed": ({ of, because }: { readonly of: number; readonly because: Clause }, say) =>
    `${say(because)}${of === 1 ? "" : `; and ${of - 1} more`}`,
  "guard-certificate-ends": ({ name, at }: { readonly name: string; readonly at: number }) =>
    `the certificate for ${name} ends on ${dayOf(at)}`,
  "guard-name-servers": ({ names }: { readonly names: readonly DomainName[] }) =>
    `the name servers are ${listOf(names.map(displayName).sort())}`,
  "guard-ds": ({ keyTags }: { readonly keyTags: readonly number[] }) =>
    keyTags.length === 0
      ? "there is no DNSSEC record (DS) at the registrar"
      : `the DNSSEC records (DS) at the registrar are for the ${keyTags.length === 1 ? "key" : "keys"} ${listOf(keyTags.map(String))}`,
  "guard-signatures-good": ({ until }: { readonly until: number }) =>
    `the DNSSEC signatures are good until ${new Date(until).toISOString()}`,
  "guard-not-signed": "the domain is not signed (DNSSEC)",
  "guard-include-leads": ({ term }: { readonly term: string }) => `${term} leads to an SPF record`,
  "guard-addresses-named": ({ term }: { readonly term: string }) => `your SPF record names the addresses of ${term}`,
  "guard-newest-report": ({ day }: { readonly day: number }) => `the newest DMARC report is about ${dayOf(day * DAY_MS)}`,
  "guard-senders-unresolved": ({ unseen }: { readonly unseen: string }) => `we could not find out who ${unseen} allows to send`,
  "guard-unknown-sender": ({
    messages,
    title,
    domain,
    aligned,
    nextTo,
  }: {
    readonly messages: number;
    readonly title: string;
    readonly domain: DomainName;
    readonly aligned: number;
    /** The known sender whose addresses it is next to. */
    readonly nextTo: string | undefined;
  }) => {
    const proven = aligned === 0 ? "none of them is" : `${aligned} of them are`;
    const near = nextTo === undefined ? "" : ` (it is next to the addresses of ${nextTo}, and not one of them)`;
    return `${count(messages, "message")} came from ${sourceName(title)} with ${displayName(domain)} as the sender, and ${proven} proven to be yours${near}`;
  },
  "guard-certificate-renew": "it should have been renewed by now; ask the site builder or issuer why it was not",
  "guard-registration-ended": "ask the registrar whether the registration has ended",
  "guard-ask-service": "ask the service where it sends from now",
  "guard-newest-event": ({ title, day }: { readonly title: string; readonly day: number }) =>
    `the newest event ${title} reported is from ${dayOf(day * DAY_MS)}`,
  "notice-http-status": ({ host, status }: { readonly host: string; readonly status: number }) =>
    `${host} answered with HTTP status ${status}`,
  "notice-no-answer": ({ host, seconds }: { readonly host: string; readonly seconds: number }) =>
    `${host} did not answer within ${seconds} s`,
  "notice-unreachable": ({ host, why }: { readonly host: string; readonly why: string }) => `${host} cannot be reached (${why})`,
  "notice-way-post": ({ host }: { readonly host: string }) => `POST to ${host}`,
  "notice-way-program": ({ command }: { readonly command: string }) => `program ${command}`,
  "notice-way-mail": ({ to }: { readonly to: string }) => `mail to ${to}`,
  "notice-way-shown": "shown by the command itself",
  "sweep-workers-lost": ({ workers }: { readonly workers: number }) => `${workers} workers were lost while they looked at it`,
  "dossier-spf": "the SPF record",
  "dossier-dmarc": "the DMARC policy",
  "dossier-senders": "who sends",
  "dossier-record": ({ name, type }: { readonly name: DomainName; readonly type: string }) => `${type} ${displayName(name)}`,
  /** The remark in a zone file of an earlier day; `at` in milliseconds since 1970. */
  "history-as-it-was": ({ at }: { readonly at: number }) =>
    `as it was ${new Date(at).toISOString()}, as far as the journal knows`,
  /** What a browser shows when its work is done. */
  "page-close-window": "You may close this window, and go back to the terminal.",
  /** Changes were accepted, and the zone does not show them yet. */
  "told-not-shown-yet": ({ to }: { readonly to: string }) =>
    `${to} accepted the changes, but its zone does not show them yet; checking again.`,
  "told-paste-now": "Paste what the service shows, then press Ctrl-D on an empty line:",
  "told-input-form": "That does not have the form it needs.",
  "told-kit-before": ({ name, because }: { readonly name: string; readonly because: Clause }, say) =>
    `The kit ${name} could not be fetched again (${say(because)}); the one that was used before is taken.`,
  "told-sweep-part": ({ sweep, done, domains }: { readonly sweep: string; readonly done: number; readonly domains: number }) =>
    `Joining ${sweep}: ${done} of ${domainsOf(domains)} are done.`,
  "told-sweep-on": ({ sweep, done, domains }: { readonly sweep: string; readonly done: number; readonly domains: number }) =>
    `Resuming ${sweep}: ${done} of ${domainsOf(domains)} are done.`,
  "told-sweep-rests": ({ domains, ms }: { readonly domains: number; readonly ms: number }) =>
    `${domainsOf(domains)} could not be asked about everything; looking again in ${Math.ceil(ms / 1000)} s.`,
  /** Another process holds a lock: to what it writes. */
  "told-lock": ({ what }: { readonly what: string }) =>
    `Another zandrel is writing to ${what} at this moment; waiting until it is done.`,
  "told-database-away": ({ place }: { readonly place: string }) => `The database at ${place} cannot be reached; waiting for it.`,
  "told-clock-set": ({ seconds }: { readonly seconds: number }) =>
    `The clock of this machine was set ${spanText(Math.abs(seconds))} ${seconds > 0 ? "ahead" : "back"}: everything is looked at now.`,
  "told-figures-at": ({ url }: { readonly url: string }) => `Figures are at ${url}.`,
  "told-listening": ({ url, services }: { readonly url: string; readonly services: readonly string[] }) =>
    `Listening at ${url} for ${listOf(services)}; Ctrl-C ends it.`,
  "told-events": ({ taken }: { readonly taken: number }) => `${taken === 1 ? "1 event was" : `${taken} events were`} received.`,
  /** One of several domains is looked at. */
  "told-looking": ({ domain, nth, of }: { readonly domain: DomainName; readonly nth: number; readonly of: number }) =>
    `Looking at ${displayName(domain)}${of > 1 ? `, ${nth} of ${of}` : ""} …`,
  "told-message-state": ({ state }: { readonly state: string }) => `The service says: ${state}.`,
  "told-site-open": ({ open }: { readonly open: number }) => `${open} not right yet; looking again.`,
  "told-reports-read": ({ reports, setAside }: { readonly reports: number; readonly setAside: number }) =>
    `${reports} reports read, ${setAside} set aside.`,
} satisfies Words;
