import type { NoticeClauses } from "../../core/clause/index.ts";
import type { WordsOf } from "./words.ts";

export const NOTICE: WordsOf<NoticeClauses> = {
  "notice-http-status": ({ host, status }) => `${host} answered with HTTP status ${status}`,
  "notice-no-answer": ({ host, seconds }) => `${host} did not answer within ${seconds} s`,
  "notice-unreachable": ({ host, why }) => `${host} cannot be reached (${why})`,
  "notice-way-post": ({ host }) => `POST to ${host}`,
  "notice-way-program": ({ command }) => `program ${command}`,
  "notice-way-mail": ({ to }) => `mail to ${to}`,
  "notice-way-shown": "shown by the command itself",
};
