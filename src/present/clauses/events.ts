import type { EventsClauses } from "../../core/clause/index.ts";
import type { WordsOf } from "./words.ts";

const percent = (share: number): string => `${(share * 100).toFixed(share < 0.01 ? 2 : 1).replace(/\.?0+$/, "")} %`;

const WHAT = { bounces: "came back", complaints: "were reported as spam by those who got them" } as const;
const MEND = {
  bounces: "take the addresses whose mail came back off the list before the next mailing",
  complaints: "write only to people who asked for it, and make leaving the list one click",
} as const;

export const EVENTS: WordsOf<EventsClauses> = {
  "events-over-limit": ({ kind, share, messages, limit }) =>
    `${percent(share)} of ${messages.toLocaleString("en")} messages ${WHAT[kind]}, the usual limit is ${percent(limit)}`,
  "events-over-limit-mend": ({ kind }) => MEND[kind],
};
