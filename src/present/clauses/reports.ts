import type { Clause } from "../../core/clause/index.ts";
import { type DomainName, displayName } from "../../core/name/index.ts";
import { listOf } from "../english.ts";
import { sourceName } from "../source-names.ts";
import type { Words } from "./words.ts";

const dayOf = (seconds: number): string => new Date(Math.min(seconds, 8e12) * 1000).toISOString().slice(0, 10);

const UNREADABLE: Readonly<Record<string, string>> = {
  special: "it is a pipe or a device and no file",
  ENOENT: "it is a link that leads nowhere",
  ELOOP: "it is a link that leads in a circle",
  EACCES: "it may not be read",
};

type Repaired = {
  readonly title: string;
  readonly reason: "wrong-signer" | "wrong-return-path" | "nothing-passes" | "forwarded" | "spf-only";
  /** Who signs, and whose return path it is, as far as reports say. */
  readonly signer: string | undefined;
  readonly envelope: string | undefined;
  /** The service by its key, where it is one of the workspace. */
  readonly service: string | undefined;
};

/** What “advice-repair” needs. */
type AdviceRepair = Repaired;

/** What “advice-repair-mend” needs. */
type AdviceRepairMend = Repaired;

/** Unknown senders named in one sentence. */
const MAX_NAMED = 3;

const number = (count: number): string => count.toLocaleString("en");

/** What is wrong with the mail of a known sender. */
function repair({ title, reason, signer, envelope }: AdviceRepair): string {
  switch (reason) {
    case "wrong-signer":
      return `${title} signs with ${signer ?? "its own name"} instead of your domain`;
    case "wrong-return-path":
      return `${title} sends with the return path of ${envelope ?? "its own domain"}, and does not sign in your name`;
    case "spf-only":
      return `${title} is proven by SPF alone, which breaks as soon as mail is forwarded`;
    default:
      return `neither SPF nor DKIM passes for mail of ${title}`;
  }
}

function mend({ title, reason, service }: AdviceRepairMend): string {
  const take =
    service === undefined
      ? "save its records with zandrel intake --add-service"
      : `save its records with zandrel intake --service ${service}`;
  if (reason === "nothing-passes" || reason === "forwarded")
    return `${take}, publish them, and see with zandrel dkim check and zandrel spf test whether they work`;
  const path = reason === "wrong-return-path" ? ", or a return path below it" : "";
  return `turn on signing with your own domain at ${title}${path}, and ${take}`;
}

/** What is said of reports of receivers, and of advice drawn from them. */
export const REPORTS = {
  "report-doctype": "it declares a document type, and reports have none",
  "report-no-server": "a row names no sending server",
  "report-no-from": "a row names no From domain",
  "report-empty": "it is empty",
  "report-no-domain": "it does not say which domain it is about",
  "report-no-receiver": "it does not say who reports, or under which number",
  "report-no-time": "it does not say which time it is about",
  "report-cut": "it ends before its XML does",
  "report-not-xml": ({ message }: { readonly message: string }) => `it is not well-formed XML: ${message}`,
  /** `most` in MiB. */
  "report-too-long": ({ most }: { readonly most: number }) => `it is longer than ${most} MiB when it is unpacked`,
  "report-long-piece": ({ most }: { readonly most: number }) => `an element in it is longer than ${most} MiB`,
  "report-long-element": ({ element, most }: { readonly element: string; readonly most: number }) =>
    `the element “${element}” is longer than ${most} characters`,
  "report-begins-otherwise": ({ element }: { readonly element: string }) => `it begins with “${element}” and not with “feedback”`,
  "report-too-deep": ({ most }: { readonly most: number }) => `its elements are nested more than ${most} deep`,
  "report-too-many-rows": ({ most }: { readonly most: number }) => `it has more than ${most} rows`,
  "report-long-list": ({ what, most }: { readonly what: string; readonly most: number }) => `a row has more than ${most} ${what}`,
  "report-bad-address": ({ address }: { readonly address: string }) => `“${address}” is not an address`,
  "report-bad-count": ({ count }: { readonly count: string }) =>
    `a row has the count “${count}”, which is not a number of messages`,
  "report-impossible-time": ({ begin, end }: { readonly begin: number; readonly end: number }) =>
    `it is about ${dayOf(begin)} to ${dayOf(end)}, which cannot be`,
  "report-other-domain": ({ domain }: { readonly domain: DomainName }) =>
    `it is about ${displayName(domain)}, which is not a domain of this workspace`,
  "report-other-sender": ({ says, mailedBy }: { readonly says: DomainName; readonly mailedBy: DomainName }) =>
    `it says it is from ${displayName(says)}, and was mailed by ${displayName(mailedBy)}`,
  "report-not-unpacked": ({ why }: { readonly why: Clause }, say) => `it cannot be unpacked: ${say(why)}`,
  "packed-checksum": "its checksum (CRC) is wrong, so that it was damaged on the way",
  "packed-zip-unreadable": ({ why }: { readonly why: string | undefined }) =>
    `the ZIP archive cannot be read${why === undefined ? "" : `: ${why}`}`,
  "packed-zip-empty": "the ZIP archive is empty",
  "packed-zip-too-many": ({ most }: { readonly most: number }) => `the ZIP archive has more than ${most} files`,
  "packed-archive-inside": "an archive inside an archive is not a report",
  "packed-unknown": "it is neither XML nor gzip nor ZIP",
  /** `most` in MiB. */
  "packed-mail-too-large": ({ most }: { readonly most: number }) => `the mail is larger than ${most} MiB`,
  "packed-mail-unreadable": "the mail cannot be read",
  /** `type`: what it calls itself. */
  "failure-other-feedback": ({ type }: { readonly type: string | undefined }) =>
    `it is a report of ${type === undefined ? "an unknown kind" : `the kind “${type}”`}, and not one about mail that failed`,
  "failure-no-domain": "it does not say which domain the message was from",
  "packed-none-attached": "no report is attached to the mail",
  "packed-ring": "it is a link to a folder that holds it",
  /** `code` is what the operating system says, or `special` where it is not a file. */
  "packed-unreadable": ({ code }: { readonly code: string }) => UNREADABLE[code] ?? `it cannot be read (${code})`,
  "advice-partly-yours": ({ aligned, messages }: { readonly aligned: number; readonly messages: number }) =>
    `${number(aligned)} of its ${number(messages)} messages ${aligned === 1 ? "is" : "are"} proven to be yours, so the rest may be yours, too`,
  "advice-next-to": ({ nextTo }: { readonly nextTo: string }) => `it sends from addresses right next to ${nextTo}'s`,
  "advice-repair": repair,
  "advice-repair-mend": mend,
  "advice-own-stopped": ({ sources }: { readonly sources: readonly string[] }) =>
    `your own mail through ${listOf(sources)} would be stopped`,
  "advice-unresolved": ({ names }: { readonly names: readonly string[] }) =>
    `${listOf(names)} could not be looked up, so it is not known who sends for you`,
  "advice-too-early": ({ days, reports, needed }: { readonly days: number; readonly reports: number; readonly needed: number }) =>
    `the reports cover ${days} ${days === 1 ? "day" : "days"} (${reports} reports); ${needed} days are needed, because not everyone sends daily`,
  "advice-may-be-yours": ({ sources }: { readonly sources: readonly string[] }) => {
    const more = sources.length - MAX_NAMED;
    return `${listOf([...sources.slice(0, MAX_NAMED).map(sourceName), ...(more > 0 ? [`${more} more`] : [])])} may be yours`;
  },
  "advice-not-at-once": ({ first }: { readonly first: "none" | "quarantine" | "reject" }) =>
    `use ${first} first, and watch the reports for two weeks`,
  "advice-none-seen": "none of your known senders was seen; mail that fails is not known to be yours",
  "advice-safe": ({ repaired, weeks }: { readonly repaired: readonly string[]; readonly weeks: number }) => {
    const since =
      repaired.length === 0
        ? ""
        : `; ${listOf(repaired)} failed earlier and ${repaired.length === 1 ? "has" : "have"} passed for ${weeks} weeks`;
    return `all your known senders pass; mail that fails is not known to be yours${since}`;
  },
} satisfies Words;
