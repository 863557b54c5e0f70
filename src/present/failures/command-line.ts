import { nearest } from "../../core/nearest.ts";
import { listOf } from "../english.ts";
import { visible } from "../safe.ts";
import { type Failings, known, meant, quote, say, size, type Unknown, usage } from "./words.ts";

export const COMMAND_LINE = {
  "option-empty": usage(({ option }: { option: string }) =>
    say(`--${option} has an empty value`, "give it a value, or leave the option out", `--${option}`),
  ),
  "option-choice": usage(({ option, value, values }: { option: string; value: string; values: readonly string[] }) =>
    say(`--${option} cannot be ${quote(value)}${meant(value, values)}`, `choose ${known(values, "")}`, `--${option}`),
  ),
  "option-number": usage(
    ({
      option,
      value,
      min,
      max,
      whole,
    }: {
      option: string;
      value: string;
      min: number;
      max: number | undefined;
      whole: boolean;
    }) =>
      say(
        `--${option} ${quote(value)} is not a ${whole ? "whole " : ""}number ${max === undefined ? `of ${min} or more` : `from ${min} to ${max}`}`,
        "correct it",
        `--${option}`,
      ),
  ),
  "option-time": usage(({ option, value }: { option: string; value: string }) =>
    say(`--${option} ${quote(value)} is not a time`, "write it as 2026-03-02T09:00Z", `--${option}`),
  ),
  "option-span": usage(({ option, value }: { option: string; value: string }) =>
    say(`--${option} ${quote(value)} is not a span of time`, "write it as 90s, 15m or 1h30m", `--${option}`),
  ),
  "option-twice": usage(({ option }: { option: string }) =>
    say(`--${option} is given twice, and takes one value`, "give it once", `--${option}`),
  ),
  "option-value-missing": usage(({ command, option }: { command: string; option: string }) =>
    say(`--${option} needs a value after it`, `see zandrel ${command} --help`, `--${option}`),
  ),
  "option-missing": usage(({ option, all }: { option: string; all: readonly string[] }) =>
    say(
      `--${option} is missing`,
      option === "queue"
        ? "name the database, such as --queue env:ZANDREL_QUEUE"
        : `give ${listOf(all.map((one) => `--${one}`))}`,
      `--${option}`,
    ),
  ),
  "unknown-command": usage(({ given, known: words }: Unknown) =>
    say(`there is no command ${quote(given)}${meant(given, words)}`, "run zandrel --help to see them all"),
  ),
  "unknown-term": usage(({ given, known: words }: Unknown) =>
    say(`${quote(given)} is not in the glossary${meant(given, words)}`, "run zandrel words to see every term"),
  ),
  "unknown-option": usage(({ command, given, known: words }: Unknown & { command: string }) => {
    const near = nearest(given, words);
    return say(
      `zandrel ${command} has no option --${visible(given)}${near === undefined ? "" : `; did you mean --${near}?`}`,
      `run zandrel ${command} --help to see its options`,
      `--${visible(given)}`,
    );
  }),
  "subcommand-needed": usage(
    ({ command, known: words, given }: { command: string; known: readonly string[]; given: string | undefined }) =>
      say(
        `zandrel ${command} needs a subcommand: ${known(words, "")}${given === undefined ? "" : meant(given, words)}`,
        `run zandrel ${command} --help to see what each does`,
      ),
  ),
  usage: usage(({ command, because }: { command: string; because: string }) =>
    say(`zandrel ${command}: ${visible(because.replace(/\s+/g, " "))}`, `run zandrel ${command} --help to see its options`),
  ),
  operands: usage(({ command, operands, example }: { command: string; operands: string; example: string }) =>
    say(`zandrel ${command} ${operands === "" ? "takes no names" : `needs ${operands}`}`, `for example: ${example}`),
  ),
  "no-json": usage(({ command, because }: { command: string; because: string }) =>
    say(`zandrel ${command} has no --json, because ${because}`, "leave --json out", "--json"),
  ),
  "input-too-large": usage(({ octets }: { octets: number }) =>
    say(`standard input is larger than ${size(octets)}`, "give only the part that matters", "standard input"),
  ),
  "clock-form": usage(() =>
    say("ZANDREL_CLOCK is not the clock of a lab", "unset it, or copy it whole from what zandrel lab prints", "ZANDREL_CLOCK"),
  ),
} satisfies Failings;
