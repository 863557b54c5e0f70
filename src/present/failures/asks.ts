import type { IntakeProblem, IntakeQuestion, Leftover } from "../../core/ask/intake/index.ts";
import type { Clause } from "../../core/clause/index.ts";
import { type DomainName, displayName, withoutRootDot } from "../../core/name/index.ts";
import type { ResourceRecord } from "../../core/record/index.ts";
import type { Unsaid } from "../../core/template/index.ts";
import { choiceText, doubtText, problemText } from "../asks/intake-words.ts";
import { inWords } from "../clauses/index.ts";
import { listOf } from "../english.ts";
import { unsaidText } from "../kits/unsaid.ts";
import { shellWord, visible } from "../safe.ts";
import { type Failings, known, meant, names, problem, quote, say, type Unknown, undetermined, usage } from "./words.ts";

export const ASKS = {
  "unknown-target": usage(({ given, known: words }: Unknown) =>
    say(`${quote(given)} is not a domain or an ask of this workspace${meant(given, words)}`, "see zandrel status for both"),
  ),
  "unknown-ask": usage(({ given, known: words, option }: Unknown & { option: "only" | "instead-of" }) =>
    say(
      `--${option} ${quote(given)} is not an ask of this workspace${meant(given, words)}`,
      "see zandrel status for them",
      `--${option}`,
    ),
  ),
  "ask-needed": usage(({ known: asks }: { known: readonly string[] }) =>
    say(
      "this is about one ask, and none was named",
      asks.length === 0
        ? "save one with zandrel intake first"
        : `name one of ${listOf(asks.slice(0, 12).map(visible), "disjunction")}`,
    ),
  ),
  "ask-in-several": usage(({ ask, domains }: { ask: string; domains: readonly DomainName[] }) =>
    say(
      `${visible(ask)} is an ask of ${names(domains)}`,
      `name one of them as ${listOf(
        domains.map((domain) => `${withoutRootDot(domain)}/${visible(ask)}`),
        "disjunction",
      )}`,
    ),
  ),
  "ask-awaited": usage(({ ask, waiting, path }: { ask: string; waiting: readonly string[]; path: string }) =>
    say(
      `${listOf(waiting)} ${waiting.length === 1 ? "waits" : "wait"} for ${ask}`,
      `retire that first, or take ${ask} out of its after: list in ${path}`,
      path,
    ),
  ),
  "ask-gone": problem(({ path, ask }: { path: string; ask: string }) =>
    say(`${path} no longer has the ask ${ask}: somebody removed it meanwhile`, "see zandrel status", path),
  ),
  "confirm-one-ask": usage(() => say("--confirmed is for exactly one ask", "name the ask by its id", "--confirmed")),
  "guide-needs-terminal": usage(() =>
    say("zandrel guide is a conversation and needs a terminal", "in a script, use zandrel intake, publish, watch and prove"),
  ),
  "init-www": usage(({ given, domain }: { given: DomainName; domain: DomainName }) =>
    say(
      `${displayName(given)} is a host of ${displayName(domain)}, not a domain of its own`,
      `add the domain with zandrel init ${withoutRootDot(domain)}`,
    ),
  ),
  "page-one-domain": usage(() => say("--page shows one domain to a person", "name one domain, and leave --json out", "--page")),
  "meant-with-check": usage(() =>
    say("--meant names where what is missed was meant to go", "run it as zandrel publish --check --meant NAME", "--meant"),
  ),
  "nothing-missed": usage(({ given, missed }: { given: string; missed: readonly string[] }) =>
    say(
      `nothing is missed at ${quote(given)}`,
      missed.length === 0 ? "leave --meant out" : `name one of ${listOf([...new Set(missed)])}`,
      "--meant",
    ),
  ),
  "undo-declined": problem(() => say("nothing was taken back", "run zandrel undo again when you are sure")),
  "undo-needed": problem(({ needs }: { needs: readonly { ask: string | undefined; name: DomainName; type: string }[] }) =>
    say(
      `nothing was taken back, because ${listOf(needs.map(({ ask, name, type }) => `${ask === undefined ? "the mail that is signed today" : visible(ask)} now needs the ${type} record of ${displayName(name)}`))}`,
      "retire that ask first, or add --force to take it back all the same",
      "--force",
    ),
  ),
  "confirm-absent": problem(({ ask, because }: { ask: string; because: Clause }) =>
    say(
      `${visible(ask)} cannot be proven yet: ${visible(inWords(because))}`,
      "publish it first; where the service confirmed it all the same, add --force and say with --note what it showed",
      "--confirmed",
    ),
  ),
  "which-purpose": usage(({ records, guess }: { records: readonly ResourceRecord[]; guess: string }) =>
    say(
      `the page does not say what ${listOf(records.map(({ name, type }) => `the ${type} record of ${displayName(name)}`))} ${records.length === 1 ? "is" : "are"} for`,
      `add --purpose ${guess} if that is it; the others are in zandrel intake --help`,
      "--purpose",
    ),
  ),
  /** Services that one paste names, of which none is known to be the one it is from. */
  "several-services": usage(({ named }: { named: readonly { key: string; title: string }[] }) =>
    say(
      `the paste names ${listOf(named.map(({ title }) => visible(title)))}`,
      `paste what each of them shows by itself, or, where all of it is from one of them, name it with --service (${listOf(
        named.map(({ key }) => key),
        "disjunction",
      )})`,
      "--service",
    ),
  ),
  /** `offered` is the name of a new service that the paste looks like. */
  "which-service": usage(({ known: words, offered }: { known: readonly string[]; offered?: string }) =>
    say(
      "it is not clear which service this is from",
      words.length === 0 || offered !== undefined
        ? `add the service with --add-service ${offered === undefined ? "NAME" : shellWord(offered)}${words.length === 0 ? "" : ", or name one that is known with --service"}`
        : `name it with --service (${known(words, "")}), or add another with --add-service NAME`,
      "--service",
    ),
  ),
  "unknown-service": usage(({ given, known: words }: Unknown) =>
    say(
      `${quote(given)} is not a service of zandrel.yaml${meant(given, words)}`,
      words.length === 0
        ? `save what it asks for with zandrel intake --add-service ${JSON.stringify(visible(given))}`
        : `name one of ${known(words, "")}, or save what a new one asks for with zandrel intake --add-service ${JSON.stringify(visible(given))}`,
    ),
  ),
  "service-name": usage(({ given }: { given: string }) =>
    say(`--add-service ${quote(given)} has no letters`, "give the service's name", "--add-service"),
  ),
  "file-or-value": usage(() => say("a file and --value are two different sources", "give one of them", "--value")),
  "explain-page": usage(({ option }: { option: "kit" | "value" }) =>
    say(`--explain shows how a page was read, and --${option} has no page`, "leave one of them out", "--explain"),
  ),
  "one-file": usage(() => say("zandrel intake reads one file at a time", "give one, or - for standard input")),
  "choice-form": usage(({ given }: { given: string }) =>
    say(`--choose ${quote(given)} is not QUESTION=ANSWER`, "copy it from what zandrel intake prints", "--choose"),
  ),
  "question-left-open": usage(() => say("nothing was saved, because the question was left open", "run zandrel intake again")),
  "paste-problem": usage(({ problem }: { problem: IntakeProblem }) => {
    const { because, remedy } = problemText(problem);
    return say(problem.row === 0 ? because : `record ${problem.row} of the paste: ${because}`, remedy);
  }),
  "paste-ambiguous": usage(({ questions }: { questions: readonly IntakeQuestion[] }) =>
    say(
      `the paste leaves a question open: ${questions.map(doubtText).join(" ")}`,
      questions
        .map((question) =>
          question.choices
            .map((choice) => `add --choose ${shellWord(`${question.id}=${choice.key}`)} (${choiceText(question, choice)})`)
            .join(" or "),
        )
        .join("; "),
      "--choose",
    ),
  ),
  "paste-leftover": usage(({ leftover }: { leftover: readonly Leftover[] }) =>
    say(
      `part of the paste was not understood: ${listOf(leftover.slice(0, 4).map(({ text, line }) => `${quote(text)} on line ${line}`))}${leftover.length > 4 ? " and more" : ""}`,
      "look at it with --dry-run; where it is not a part of a record, add --accept-leftover",
      "--accept-leftover",
    ),
  ),
  "ask-differs": usage(({ ask, service, name, type }: { ask: string; service: string; name: DomainName; type: string }) =>
    say(
      `${visible(ask)} of ${visible(service)} asks for another ${type} record at ${displayName(name)} already, and only one can be there`,
      `add --instead-of ${visible(ask)} to replace it, or --id with a new id to keep both`,
      "--instead-of",
    ),
  ),
  "one-ask-only": usage(({ asks }: { asks: number }) =>
    say(
      `--id is for one ask, and the paste holds ${asks}`,
      "leave it out, or name one purpose for all of it with --purpose",
      "--id",
    ),
  ),
  "id-form": usage(({ given }: { given: string }) =>
    say(`--id ${quote(given)} cannot be an id`, "use small letters, digits and hyphens", "--id"),
  ),
  "id-taken": usage(({ id, path }: { id: string; path: string }) =>
    say(`the id ${id} is already used in ${path}`, "choose another with --id", "--id"),
  ),
  "input-left-open": usage(() => say("nothing was saved, because an input was left open", "run zandrel intake again")),
  "unknown-kit": usage(({ given, known: words }: Unknown) =>
    say(`there is no kit ${quote(given)} in the kits folder${meant(given, words)}`, "name one that is there, or a file", "--kit"),
  ),
  "template-field-form": usage(({ at, type, field }: { at: string; type: string; field: string }) =>
    say(
      `the ${visible(field)} of the ${visible(type)} record at ${at} is not what such a field holds`,
      "correct it, or ask who made the template",
      at,
    ),
  ),
  "template-field": usage(({ at, type, field, isReserved }: { at: string; type: string; field: string; isReserved: boolean }) =>
    isReserved
      ? say(
          `the ${visible(type)} record at ${at} has the variable %${visible(field)}%, and links to DNS hosts use that name themselves`,
          "give the variable another name, or ask who made the template",
          at,
        )
      : say(
          `the ${visible(type)} record at ${at} has no ${visible(field)}, which such a record needs`,
          "add it, or ask who made the template",
          at,
        ),
  ),
  "kit-unreachable": undetermined(({ url, because }: { url: string; because: Clause }) =>
    say(
      `the kit at ${quote(url)} was not fetched: ${visible(inWords(because))}`,
      "check the address, or save the kit as a file and name that",
      "--kit",
    ),
  ),
  "kit-name-taken": usage(({ name, url }: { name: string; url: string }) =>
    say(
      `the kits folder has a kit ${quote(name)} that is not from ${quote(url)}`,
      "rename that file, or name it in place of the address",
      "--kit",
    ),
  ),
  "kit-changed": problem(({ name, url, changes }: { name: string; url: string; changes: readonly string[] }) =>
    say(
      `the kit ${quote(name)} at ${quote(url)} changed since it was agreed to (${changes.length === 0 ? "the order of its lines" : listOf(changes.slice(0, 6).map(quote))}${changes.length > 6 ? ` and ${changes.length - 6} lines more` : ""})`,
      "read the changes, then run it again with --accept-kit",
      "--kit",
    ),
  ),
  "kit-unsaid": usage(({ kit, unsaid }: { kit: string; unsaid: readonly Unsaid[] }) =>
    say(
      `the template ${quote(kit)} has parts that no record can say: ${unsaid.map(unsaidText).join("; ")}`,
      "save the rest with --accept-leftover, and set these at the DNS host or the site builder yourself",
      "--kit",
    ),
  ),
  "kit-without-records": usage(({ kit, unsaid }: { kit: string; unsaid: readonly Unsaid[] }) =>
    say(
      `the template ${quote(kit)} has no record to publish${unsaid.length === 0 ? "" : `: ${unsaid.map(unsaidText).join("; ")}`}`,
      "set it at the DNS host or the site builder yourself, then look with zandrel site",
      "--kit",
    ),
  ),
  "kit-host-required": usage(({ kit }: { kit: string }) =>
    say(`the template ${quote(kit)} is for a host below the domain`, "name it with --host, such as --host shop", "--host"),
  ),
  "kit-host-outside": usage(({ given, domain }: { given: string; domain: DomainName }) =>
    say(`${quote(given)} is not below ${displayName(domain)}`, "name a host of this domain, such as --host shop", "--host"),
  ),
  "kit-blank": usage(({ path, ask, blank }: { path: string; ask: string; blank: string }) =>
    say(
      `${path}: the ask ${ask} has the blank {${visible(blank)}}, which is not an input of the kit`,
      "add the input, or correct the blank",
      path,
    ),
  ),
  "kit-after": usage(({ path, ask, after }: { path: string; ask: string; after: string }) =>
    say(`${path}: the ask ${ask} waits for ${quote(after)}, which is not an ask of this kit`, "correct the id", path),
  ),
  "kit-input-form": usage(({ given, inputs }: { given: string; inputs: readonly string[] }) =>
    say(`--input ${quote(given)} is not NAME=VALUE`, `the names are ${known(inputs, "none")}`, "--input"),
  ),
  "kit-input-missing": usage(({ kit, input, explain }: { kit: string; input: string; explain: string }) =>
    say(`the kit ${visible(kit)} needs ${input} (${visible(explain)})`, `give it with --input ${input}=…`, "--input"),
  ),
  "kit-input-malformed": usage(
    ({ kit, input, explain, example }: { kit: string; input: string; explain: string; example: string | undefined }) =>
      say(
        `--input ${input} does not have the form that the kit ${visible(kit)} needs (${visible(explain)}${example === undefined ? "" : `; such as ${visible(example)}`})`,
        "copy it again",
        "--input",
      ),
  ),
  "kit-input-unknown": usage(({ kit, given, known: words }: Unknown & { kit: string }) =>
    say(
      `the kit ${visible(kit)} has no input ${quote(given)}${meant(given, words)}`,
      `its inputs are ${known(words, "none")}`,
      "--input",
    ),
  ),
  "kit-records": usage(({ kit, ask, because }: { kit: string; ask: string; because: Clause }) =>
    say(
      `the ask ${ask} of the kit ${visible(kit)} does not give valid records: ${visible(inWords(because))}`,
      "correct the kit or the input",
    ),
  ),
} satisfies Failings;
