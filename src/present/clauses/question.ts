import type { QuestionClauses } from "../../core/clause/index.ts";
import type { WordsOf } from "./words.ts";

const HOST: Readonly<Record<QuestionClauses["question-host"]["field"], string>> = {
  file: "The zone file, from the folder of the workspace:",
  server: "The address of the primary server, such as 192.0.2.53:",
  keyName: "The name of the TSIG key:",
  secret: "Where its secret is kept, env:NAME or file:PATH (never the secret itself):",
  command: "The helper program with its arguments, such as node helpers/zonemarrow.mjs:",
};

export const QUESTION: WordsOf<QuestionClauses> = {
  "question-kit-input": ({ input, explain, example }) =>
    `${explain}${example === undefined ? "" : ` (such as ${example})`}\n${input}:`,
  "question-field": ({ field, was }) => `${field} [${was}]:`,
  "question-service-title": ({ offered }) => `What is the service called?${offered === undefined ? "" : ` [${offered}]`}`,
  "question-host": ({ field }) => HOST[field],
};
