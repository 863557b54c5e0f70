import type { StateClauses } from "../../core/clause/index.ts";
import { allOf, listOf } from "../english.ts";
import type { WordsOf } from "./words.ts";

export const STATE: WordsOf<StateClauses> = {
  "state-was-proven": ({ because }, say) => `it was proven, and now ${say(because)}`,
  "state-was-settled": ({ because }, say) => `every resolver had it, and now ${say(because)}`,
  "state-was-there": ({ because }, say) => `it was there, and now ${say(because)}`,
  "state-contradicted": ({ because }, say) => `it is there, but ${say(because)}`,
  "state-but": ({ because }, say) => `every name server has it, but ${say(because)}`,
  "state-spreading": ({ old }) => `every name server has it; ${allOf(old, "still shows", "still show")} the old record`,
  "state-some-lack": ({ lacking, what }) => `${allOf(lacking, "does", "do")} not have ${listOf(what)} as asked`,
  "state-web-unseen": "a proof on the web cannot be looked at in zone files",
  "state-own": "it is your own record, and everyone sees it",
  "state-waiting": ({ waitingFor }) => `${listOf(waitingFor)} must be proven first`,
  "state-no-records": "it names no records",
  "state-unresolved": "no server could be asked",
  "state-still-there": ({ what }) =>
    `${allOf(what, "is", "are")} still there, and the service's page says to remove ${what.length === 1 ? "it" : "them"}`,
  "state-lacking": ({ what }) => `the name servers do not have ${listOf(what)} as asked`,
  "state-still-proven": "the service confirmed it, and it is still there",
  "state-everywhere": "every name server and every resolver we look from has it",
  "state-every-server": "every name server has it",
};
