import type { IntakeJson } from "../../app/asks/intake-schema.ts";
import type { Intake, NewAsk } from "../../app/asks/new-ask.ts";
import { wantedCount } from "../../core/ask/index.ts";
import { type PageLine, passedOver } from "../../core/ask/intake/index.ts";
import { type DomainName, displayName, withoutRootDot } from "../../core/name/index.ts";
import { decodeUtf8, printData, type ResourceRecord, recordJson, txtValue } from "../../core/record/index.ts";
import { inWords } from "../clauses/index.ts";
import { listOf } from "../english.ts";
import { columns, count, sentence, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";
import { choiceText, doubtText, layoutText, problemText, repairReason } from "./intake-words.ts";

/** The value of a record as a person compares it with the page: a text without its quotation marks, a name without its dot. */
function valueText({ type, data }: ResourceRecord): string {
  if ("strings" in data) return decodeUtf8(txtValue(data));
  return printData(type, data).replace(/\.$/, "");
}

const MAX_SHOWN = 200;
const short = (text: string): string =>
  visible(text.length > MAX_SHOWN ? `${text.slice(0, MAX_SHOWN)}… (${text.length} characters)` : text);

const recordRow = (record: ResourceRecord): string[] => [record.type, displayName(record.name), short(valueText(record))];

/** What an ask wants, a line each. */
function wantedLines({ records, spf, dmarc, web }: NewAsk): string[] {
  return [
    ...columns(records.map(recordRow)).map((line) => `  ${line}`),
    ...(spf === undefined
      ? []
      : [`  SPF (which servers may send): add ${visible(termsOf(spf).terms)} to the domain's one record${endText(spf)}`]),
    ...(dmarc === undefined ? [] : [`  DMARC (what receivers do with mail that is not proven): at least p=${dmarc}`]),
    ...(web === undefined
      ? []
      : web.kind === "meta"
        ? [`  a tag in the head of ${visible(web.url)}: name “${visible(web.name)}”, content “${short(web.content)}”`]
        : [`  a file at ${visible(web.url)} that says “${short(web.text)}”`]),
  ];
}

/** What the page says of everyone else, beside what becomes of it. */
function endText(spf: string): string {
  const { end } = termsOf(spf);
  return end === undefined
    ? ""
    : `; the page ends its record with ${visible(end)}, which counts only where there is no SPF record yet`;
}

/** What was understood, as a table to compare with the page. */
export function understoodText(intake: Intake, { style, width }: Layout): string {
  const { asks, read, before, later, newerThan, assumed } = intake;
  const careful = (label: string, text: string) =>
    `  ${style.careful(label)}  ${wrap(text, width - label.length - 4, " ".repeat(label.length + 4))}`;
  const lines = [
    ...asks.flatMap((ask) => [
      style.title(
        `${ask.id}: ${ask.service === "" ? "service not known yet (--service)" : ask.service}, ${ask.purpose}, for ${displayName(ask.domain)}`,
      ),
      ...wantedLines(ask),
    ]),
    ...(read?.remove ?? []).map((record) => careful("to remove", `${recordRow(record).join("  ")}, as the page says`)),
    ...(intake.insteadOf.length === 0 ? [] : asks.flatMap(({ remove = [] }) => remove))
      .filter((record) => !(read?.remove ?? []).includes(record))
      .map((record) => careful("to remove", `${recordRow(record).join("  ")}, which ${listOf(intake.insteadOf)} wanted`)),
    ...(read === undefined || read.nameServers.length === 0
      ? []
      : [
          careful(
            "name servers",
            `the page asks for ${listOf(read.nameServers.map((name) => displayName(name)))}: that moves the whole domain to another DNS host`,
          ),
        ]),
    ...(read?.forwards ?? []).map(({ from, to, permanent }) =>
      careful(
        "forwarding",
        `${visible(from)} to ${visible(to)}${permanent === undefined ? "" : permanent ? ", permanently" : ", for a while"}: set it where the site is served or at the DNS host, it is not a record`,
      ),
    ),
    ...(read?.elsewhere ?? []).map(({ domain, fields }) =>
      careful(
        "left out",
        `${visible(fields.host ?? "@")} ${visible(fields.type ?? "")}: it is for ${displayName(domain)}; paste it again with --domain ${withoutRootDot(domain)}`,
      ),
    ),
    ...(read?.repairs ?? []).map((repair) =>
      careful(
        "repaired",
        `${repair.was === "" ? "left empty, " : `“${short(repair.was)}” `}${repair.is === "" ? "was left out" : `is now “${short(repair.is.replace(/\.$/, ""))}”`}: ${repairReason(repair)}`,
      ),
    ),
    ...(read?.records ?? []).flatMap(({ record }) =>
      passedOver(record).map(({ text, message, meant }) =>
        careful(
          "mistake",
          `receivers pass over “${short(text)}” of ${displayName(record.name)}: ${inWords(message)}${meant === undefined ? "" : `; perhaps “${short(meant)}” is meant`}`,
        ),
      ),
    ),
    ...assumed.map((purpose) =>
      careful("assumed", `that it is for the purpose “${purpose}”, because the page does not say; --purpose names another`),
    ),
    ...newerThan.map((id) =>
      careful(
        "newer",
        `this looks like a newer ${id}, and both are kept; to put it in the place of the old one, do the same again with --instead-of ${id}`,
      ),
    ),
    ...intake.insteadOf.map((id) => careful("replaced", `${id}: what nobody else asks for of it goes when this is published`)),
    ...(read?.leftover ?? []).map(({ text, line }) =>
      careful("left over", `“${short(text)}” on line ${line} was skipped, and looks like a part of a record: does it matter?`),
    ),
    ...(read?.questions ?? []).flatMap((question) => [
      careful("question", doubtText(question)),
      ...question.choices.map(
        (choice) => `            --choose ${visible(question.id)}=${visible(choice.key)}  ${choiceText(question, choice)}`,
      ),
    ]),
    ...before.map((one) => careful("first", visible(one))),
    ...later.map(
      (one) => `  ${style.quiet(`later  ${one} needs what the service shows after the first proof; use the kit again then`)}`,
    ),
  ];
  return lines.map((line) => `${line}\n`).join("");
}

const REST_TEXT: Readonly<Record<PageLine["rest"], string>> = {
  label: "a label",
  button: "a button or a state",
  layout: "read with the record",
  leftover: "looks like a part of a record, and was not understood",
  "passed-over": "no part of a record",
};

/** The page as it was read: each line, and below it what it was taken for. */
function explainText({ read }: Intake, { style, width }: Layout): string {
  const lines = (read?.page ?? []).flatMap(({ number, text, taken, rest }) => [
    `${String(number).padStart(4)}  ${wrap(visible(text.replaceAll("\t", "  ")), width - 6, "      ")}`,
    `      ${style.quiet(taken.length === 0 ? REST_TEXT[rest] : listOf(taken.map((part) => `${FIELD[part.as] ?? part.as} ${short(part.text)}`)))}`,
  ]);
  const problems = (read?.problems ?? []).map(
    (problem) => `  ${style.careful("problem")}  ${sentence(problemText(problem).because)}`,
  );
  return `${style.title("How the page was read")}\n${[...lines, ...problems].join("\n")}\n\n`;
}

/** The fields of a record as a page calls them. */
const FIELD: Readonly<Partial<Record<string, string>>> = {
  type: "type",
  host: "host",
  value: "value",
  priority: "priority",
  ttl: "TTL",
  oldValue: "the value until now",
  nameServer: "name server",
  other: "remark",
  action: "what to do",
  forwardKind: "kind of redirect",
};

/** What was understood from a paste, a kit or options, and what became of it, for people. */
export function intakeText(intake: Intake, layout: Layout): string {
  const { asks, already, written, read, declined, redirectTo } = intake;
  const { style } = layout;
  const next = (text: string) => style.command(text);
  const page = intake.explain === true ? explainText(intake, layout) : "";
  const shown = declined === true ? "" : `${page}${understoodText(intake, layout)}`;
  const [first] = asks;
  const unsaved = `nothing was saved, because of ${intake.explain === true ? "--explain" : "--dry-run"}.`;
  const known = already.length === 0 ? "" : `Already saved as ${listOf(already)}.`;
  if (declined === true) return `Nothing was saved. Next: ${next("zandrel intake")}\n`;
  if (first === undefined) {
    const [server] = read?.nameServers ?? [];
    const then =
      redirectTo !== undefined
        ? written
          ? `Saved: this domain redirects to ${displayName(redirectTo)}. Set the redirect where the page says, then check it. Next: ${next(`zandrel site ${withoutRootDot(intake.domain)}`)}`
          : `It would be saved that this domain redirects to ${displayName(redirectTo)}; ${unsaved}`
        : read?.forwards.length === 1 && read.records.length === 0
          ? `Nothing was saved: a redirect is not a record. Set it where the page says, then check it. Next: ${next(`zandrel site ${withoutRootDot(intake.domain)}`)}`
          : already.length > 0
            ? `${known} Next: ${next(intake.insteadOf.length > 0 ? `zandrel draft ${withoutRootDot(intake.domain)}` : "zandrel status")}`
            : (read?.questions.length ?? 0) > 0
              ? "Nothing was saved: answer the question above with the --choose that fits."
              : server !== undefined
                ? `Nothing was saved: name servers are set at the registrar. Next: ${next("zandrel relocate --help")}`
                : "Nothing was saved: there is no record to publish.";
    return `${shown}${then}\n`;
  }
  const records = asks.reduce((sum, ask) => sum + wantedCount(ask), 0);
  const removals = asks.reduce((sum, { remove = [] }) => sum + remove.length, 0);
  const size = [
    ...(records > 0 ? [count(records, "record")] : []),
    ...(removals > 0 ? [`${count(removals, "record")} to remove`] : []),
  ];
  const summary = `${listOf(size)} in ${count(asks.length, "ask")} read as ${visible(layoutText(intake.layout))}`;
  const proof = asks.every(({ web }) => web !== undefined) ? first.web : undefined;
  const place = proof?.kind === "meta" ? "put the tag into the head of that page" : "put the file there";
  const then = !written
    ? unsaved
    : proof !== undefined
      ? `saved. Next: ${place}, and then ${next(`zandrel prove ${first.id}`)}`
      : `saved. Next: ${next(`zandrel draft ${withoutRootDot(first.domain)}`)}`;
  const approval =
    intake.approvable === true
      ? `Some DNS hosts know these as a template, and enter them after one click: ${next(`zandrel host find ${withoutRootDot(first.domain)}`)} says whether yours does.\n`
      : "";
  return `${shown}${known === "" ? "" : `${known}\n`}${summary}; ${then}\n${approval}`;
}

/** SPF terms and what the record they are from says of everyone else. */
function termsOf(spf: string): { readonly terms: string; readonly end: string | undefined } {
  const words = spf.split(" ");
  const isEnd = (word: string) => /^[+?~-]?all$/i.test(word);
  return { terms: words.filter((word) => !isEnd(word)).join(" "), end: words.find(isEnd) };
}

const NONE = {
  problems: [],
  repairs: [],
  questions: [],
  leftover: [],
  remove: [],
  nameServers: [] as readonly DomainName[],
  forwards: [],
  web: [],
  elsewhere: [],
  records: [],
};

/** What was understood, as JSON. */
export function intakeJson(intake: Intake): IntakeJson {
  const { asks, already, newerThan, redirectTo, written, layout, read, before, later, explain } = intake;
  const { repairs, questions, leftover, remove, nameServers, forwards, web, elsewhere, records, problems } = read ?? NONE;
  return {
    before: [...before],
    later: [...later],
    written,
    already: already[0] ?? null,
    newerThan: [...newerThan],
    layout: layout === undefined ? null : layoutText(layout),
    redirectTo: redirectTo ?? null,
    page:
      explain === true && read !== undefined
        ? read.page.map(({ number, taken, ...line }) => ({ line: number, ...line, taken: [...taken] }))
        : null,
    pasted: records.map(({ fields: { type = null, host = null, value = null }, evidence }) => ({ type, host, value, evidence })),
    asks: asks.map(({ id, service, purpose, domain, records: wanted, spf, dmarc }) => ({
      id,
      service,
      purpose,
      domain,
      records: wanted.map(recordJson),
      spf: spf === undefined ? null : termsOf(spf).terms,
      spfEnd: spf === undefined ? null : (termsOf(spf).end ?? null),
      dmarc: dmarc ?? null,
    })),
    passedOver: records.flatMap(({ record }) =>
      passedOver(record).map(({ text, message, meant = null }) => ({
        name: record.name,
        text,
        because: inWords(message),
        meant,
      })),
    ),
    repairs: repairs.map((repair) => ({ ...repair, because: repairReason(repair) })),
    problems: problems.map((problem) => ({ code: problem.code, ...problemText(problem) })),
    questions: questions.map((question) => ({
      id: question.id,
      question: doubtText(question),
      choices: question.choices.map((choice) => ({ key: choice.key, meaning: choiceText(question, choice) })),
    })),
    leftover: leftover.map((one) => ({ ...one })),
    remove: remove.map(recordJson),
    nameServers: [...nameServers],
    forwards: forwards.map(({ from, to, permanent = null }) => ({ from, to, permanent })),
    web: web.map((proof) => ({ ...proof })),
    elsewhere: elsewhere.map(({ domain, fields: { type = null, host = null, value = null } }) => ({ domain, type, host, value })),
  };
}
