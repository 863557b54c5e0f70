import type { AdviceClauses } from "../../core/clause/index.ts";
import { listOf } from "../english.ts";
import { sourceName } from "../source-names.ts";
import type { WordsOf } from "./words.ts";

/** Unknown senders named in one sentence. */
const MAX_NAMED = 3;

const number = (count: number): string => count.toLocaleString("en");

/** What is wrong with the mail of a known sender. */
function repair({ title, reason, signer, envelope }: AdviceClauses["advice-repair"]): string {
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

function mend({ title, reason, service }: AdviceClauses["advice-repair-mend"]): string {
  const take =
    service === undefined
      ? "save its records with zandrel intake --add-service"
      : `save its records with zandrel intake --service ${service}`;
  if (reason === "nothing-passes" || reason === "forwarded")
    return `${take}, publish them, and see with zandrel dkim check and zandrel spf test whether they work`;
  const path = reason === "wrong-return-path" ? ", or a return path below it" : "";
  return `turn on signing with your own domain at ${title}${path}, and ${take}`;
}

export const ADVICE: WordsOf<AdviceClauses> = {
  "advice-partly-yours": ({ aligned, messages }) =>
    `${number(aligned)} of its ${number(messages)} messages ${aligned === 1 ? "is" : "are"} proven to be yours, so the rest may be yours, too`,
  "advice-next-to": ({ nextTo }) => `it sends from addresses right next to ${nextTo}'s`,
  "advice-repair": repair,
  "advice-repair-mend": mend,
  "advice-own-stopped": ({ sources }) => `your own mail through ${listOf(sources)} would be stopped`,
  "advice-unresolved": ({ names }) => `${listOf(names)} could not be looked up, so it is not known who sends for you`,
  "advice-too-early": ({ days, reports, needed }) =>
    `the reports cover ${days} ${days === 1 ? "day" : "days"} (${reports} reports); ${needed} days are needed, because not everyone sends daily`,
  "advice-may-be-yours": ({ sources }) => {
    const more = sources.length - MAX_NAMED;
    return `${listOf([...sources.slice(0, MAX_NAMED).map(sourceName), ...(more > 0 ? [`${more} more`] : [])])} may be yours`;
  },
  "advice-not-at-once": ({ first }) => `use ${first} first, and watch the reports for two weeks`,
  "advice-none-seen": "none of your known senders was seen; mail that fails is not known to be yours",
  "advice-safe": ({ repaired, weeks }) => {
    const since =
      repaired.length === 0
        ? ""
        : `; ${listOf(repaired)} failed earlier and ${repaired.length === 1 ? "has" : "have"} passed for ${weeks} weeks`;
    return `all your known senders pass; mail that fails is not known to be yours${since}`;
  },
};
