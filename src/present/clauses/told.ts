import type { ToldClauses } from "../../core/clause/index.ts";
import { displayName } from "../../core/name/index.ts";
import { listOf } from "../english.ts";
import type { WordsOf } from "./words.ts";

const domainsOf = (domains: number): string => (domains === 1 ? "1 domain" : `${domains} domains`);

export const TOLD: WordsOf<ToldClauses> = {
  "history-as-it-was": ({ at }) => `as it was ${new Date(at).toISOString()}, as far as the journal knows`,
  "page-close-window": "You may close this window, and go back to the terminal.",
  "told-not-shown-yet": ({ to }) => `${to} accepted the changes, but its zone does not show them yet; checking again.`,
  "told-paste-now": "Paste what the service shows, then press Ctrl-D on an empty line:",
  "told-input-form": "That does not have the form it needs.",
  "told-kit-before": ({ name, because }, say) =>
    `The kit ${name} could not be fetched again (${say(because)}); the one that was used before is taken.`,
  "told-sweep-part": ({ sweep, done, domains }) => `Joining ${sweep}: ${done} of ${domainsOf(domains)} are done.`,
  "told-sweep-on": ({ sweep, done, domains }) => `Resuming ${sweep}: ${done} of ${domainsOf(domains)} are done.`,
  "told-sweep-rests": ({ domains, ms }) =>
    `${domainsOf(domains)} could not be asked about everything; looking again in ${Math.ceil(ms / 1000)} s.`,
  "told-lock": ({ what }) => `Another zandrel is writing to ${what} at this moment; waiting until it is done.`,
  "told-database-away": ({ place }) => `The database at ${place} cannot be reached; waiting for it.`,
  "told-figures-at": ({ url }) => `Figures are at ${url}.`,
  "told-listening": ({ url, services }) => `Listening at ${url} for ${listOf(services)}; Ctrl-C ends it.`,
  "told-events": ({ taken }) => `${taken === 1 ? "1 event was" : `${taken} events were`} received.`,
  "told-looking": ({ domain, nth, of }) => `Looking at ${displayName(domain)}${of > 1 ? `, ${nth} of ${of}` : ""} …`,
  "told-message-state": ({ state }) => `The service says: ${state}.`,
  "told-site-open": ({ open }) => `${open} not right yet; looking again.`,
  "told-reports-read": ({ reports, setAside }) => `${reports} reports read, ${setAside} set aside.`,
};
