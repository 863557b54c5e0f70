import type { ProgramClauses } from "../../core/clause/index.ts";
import type { WordsOf } from "./words.ts";

export const PROGRAM: WordsOf<ProgramClauses> = {
  "program-helper": ({ command }) => `the helper ${command}`,
  "program-named": ({ command }) => `the program ${command}`,
  "program-took-notices": ({ program }, say) => `${say(program)} took them`,
  "program-no-answer": ({ program, seconds }, say) => `${say(program)} did not answer within ${seconds} s`,
  "program-output-too-long": ({ program, mebibytes }, say) => `${say(program)} printed more than ${mebibytes} MiB`,
  "program-not-started": ({ program, why }, say) => `${say(program)} cannot be started (${why})`,
  "program-ended": ({ program, how, said }, say) => `${say(program)} ended with ${how}${said === undefined ? "" : ` (${said})`}`,
  "program-not-json": ({ program }, say) => `${say(program)} did not answer with JSON`,
  "program-other-form": ({ program, at, message }, say) =>
    `${say(program)} answered in another form than docs/helpers.md describes (${at}: ${say(message)})`,
};
