import type { ProveClauses } from "../../core/clause/index.ts";
import type { WordsOf } from "./words.ts";

export const PROVE: WordsOf<ProveClauses> = {
  "prove-by-hand": ({ service, ask }) =>
    `${service} cannot be asked from here: press verify on its page, then run zandrel prove ${ask} --confirmed`,
  "prove-service-unresolved": ({ title, because }, say) => `${title} could not be asked: ${say(because)}`,
  "prove-service-says": ({ title, text }) => `${title} says: ${text}`,
  "prove-recorded": ({ service, note }) => `you recorded that ${service} confirmed it${note === undefined ? "" : `: ${note}`}`,
  "prove-user-confirmed": "the user confirmed it",
  "prove-nothing-known": "nothing is known about the record",
  "prove-already": "it is proven already",
  "prove-own": "it is your own record, and no service confirms it",
  "prove-spreading":
    "some resolvers still show the old record, and the service may too: asking too early makes it remember “not found”",
  "prove-early":
    "every resolver we look from has it, but the service's own may still hold the old answer: asking too early makes it remember “not found”",
  "prove-ask-again": ({ because }, say) => `${say(because)}; its resolver may still hold what it saw before, so ask again later`,
  "prove-absent": "the name servers do not have the record, so asking the service would only make it remember “not found”",
};
