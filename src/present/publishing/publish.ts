import type { Published, PublishResult } from "../../app/publishing/publish.ts";
import type { SheetEntry } from "../../core/change/index.ts";
import { displayName, relativeText, withoutRootDot } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { listOf } from "../english.ts";
import { count, deadline, sentence, sheetMarkdown, sheetPage, sheetText, visible, wrap } from "../index.ts";
import { thereText } from "../judgement.ts";
import type { Layout } from "../layout.ts";
import { dataList } from "../lines.ts";
import { shellWord } from "../safe.ts";

export function presentPublished(
  { domain, way, changed, to, because, visible: seen, verifiers, sheet, failed }: Published,
  now: number,
  { style, width }: Layout,
  kind: "publish" | "take-back" | "lower-ttl" = "publish",
): string {
  const own = withoutRootDot(domain);
  const title = displayName(domain);
  if (changed === 0) return `${style.title(title)}  nothing to do: ${inWords(because)}.`;
  if (way === "by-hand" || sheet.length > 0)
    return `${style.title(title)}  ${visible(inWords(because))}\n\n${sheetText(sheet as SheetEntry[], style)}\n\nNext: when everything is entered and saved, ${style.command(`zandrel publish ${own} --check`)}${way === "approval" && failed === true ? "\nOr run the same command once more, and approve it." : ""}`;
  const by =
    seen.latest === null
      ? ""
      : `\nEveryone sees it by ${style.strong(deadline(seen.latest, now))} at the latest:\n${wrap(sentence(visible(inWords(seen.because))), width)}`;
  if (kind === "lower-ttl" && seen.latest !== null)
    return `${style.title(title)}  ${style.good(`the TTL of ${count(changed, "record set")} lowered`)} at ${visible(to)}\nNext: after ${style.strong(deadline(seen.latest, now))}, publish the change itself with ${style.command(`zandrel publish ${own}`)}; it is seen within minutes then.`;
  // What Zandrel composed is verified by nobody.
  const patience =
    verifiers.length === 0
      ? ""
      : `Do not press verify at ${listOf(verifiers.map(visible))} ${seen.latest === null ? "yet" : `before ${style.strong(deadline(seen.latest, now))}`}. `;
  const next =
    kind === "take-back"
      ? `\nOthers may still see the old records until then. Next: ${style.command(`zandrel status ${own}`)}`
      : `\n${patience}Next: ${style.command(`zandrel watch ${own} --until proven`)}`;
  return `${style.title(title)}  ${style.good(`${count(changed, "record set")} published`)} at ${visible(to)}\n${wrap(sentence(visible(inWords(because))), width)}${by}${next}`;
}

/** The result of {@link publish} for people. */
export function publishText(
  { published: all, check, lost, compared, at, lowered, judgements }: PublishResult,
  context: Layout,
): string {
  const { style, width } = context;
  const checks = check.map(({ ask, entered, because, causes }) =>
    [
      `${entered === null ? style.careful("? could not be asked") : entered ? style.good("✓ there ") : style.bad("✗ not there")}  ${style.strong(ask)}`,
      ...(entered === true && causes.length > 0 ? [`  ${wrap(visible(inWords(because)), width - 2, "  ")}`] : []),
      ...(entered === true
        ? []
        : causes.flatMap((cause) => [
            `  ${wrap(visible(inWords(cause.because)), width - 2, "  ")}`,
            `  ${style.careful("do:")} ${wrap(visible(inWords(cause.remedy)), width - 6, "      ")}`,
          ])),
      ...(entered === null
        ? [`  ${wrap(visible(inWords(because)), width - 2, "  ")}; run it again when the name servers answer`]
        : []),
      ...(entered === false && causes.length === 0 ? ["  no trace of it was found; perhaps the form was not saved"] : []),
    ].join("\n"),
  );
  const gone = lost.map((loss) => lossText(loss, context));
  const there = check.length > 0 ? thereText(judgements, compared) : undefined;
  const wrong = [...check.filter(({ entered }) => entered === false), ...lost].map(({ domain }) => withoutRootDot(domain));
  const again =
    wrong.length === 0 || all.length > 0
      ? []
      : [`Next, once that is mended: ${style.command(`zandrel publish ${[...new Set(wrong)].join(" ")} --check`)}`];
  const after = there === undefined ? again : [`${wrap(there, width)} Next: ${style.command("zandrel watch --until proven")}`];
  const blocks = [
    ...checks,
    ...(all.length === 0 ? gone : []),
    ...after,
    ...all.map((one) => presentPublished(one, at, context, lowered ? "lower-ttl" : "publish")),
    ...(all.length === 0 ? [] : gone),
  ];
  return `${blocks.join(checks.length + gone.length > 0 ? "\n" : "\n\n")}\n`;
}

/** What is missed, each with how it is mended. */
export const missedText = (lost: PublishResult["lost"], layout: Layout): string =>
  lost.map((loss) => `\n${lossText(loss, layout)}`).join("");

/** One loss: what is missing, how it is mended, and what to type where it was meant. */
function lossText({ domain, name, type, records, now, enter }: PublishResult["lost"][number], { style, width }: Layout): string {
  const isChanged = now.length > 0;
  const was = visible(dataList(records));
  const what = isChanged
    ? `it was ${was} before, and is ${visible(dataList(now))} now; what it said before is still needed`
    : `${was} stood there before, was not to be touched, and is gone`;
  const acts = enter.map(({ action, host, value, was: old, priority, ttl }) => {
    const place = `type ${type}, host ${host === "" ? "left empty" : `“${visible(host)}”`}`;
    const record = `“${visible(value)}”${priority === undefined ? "" : `, priority ${priority}`}`;
    switch (action) {
      case "delete":
        return `delete it: ${place}, value ${record}`;
      case "change":
        return `change it, and enter no second one beside it: ${place}, from “${visible(old ?? "")}” to value ${record}, TTL ${ttl}`;
      default:
        return `${isChanged ? "enter it" : "enter it again"}: ${place}, value ${record}, TTL ${ttl}`;
    }
  });
  return [
    `${style.bad(isChanged ? "✗ changed" : "✗ deleted too much")}  ${style.strong(`${displayName(name)} ${type}`)}`,
    `  ${wrap(what, width - 2, "  ")}`,
    ...acts.map((act) => `  ${style.careful("do:")} ${wrap(act, width - 6, "      ")}`),
    `  ${wrap(`or, if it was meant: ${style.command(`zandrel publish ${withoutRootDot(domain)} --check --meant ${shellWord(relativeText(name, domain))}`)}`, width - 2, "  ")}`,
  ].join("\n");
}

/** The sheets of a publication as a file; undefined where nothing is to be entered by hand. */
export function publishSheet({ published: all }: PublishResult, form: "markdown" | "page"): string | undefined {
  const sheets = all.filter((candidate) => candidate.sheet.length > 0);
  if (sheets.length === 0) return undefined;
  const title = sheets.map((one) => `${displayName(one.domain)} at ${one.to}`).join(", ");
  const entries = sheets.flatMap((one) => one.sheet) as SheetEntry[];
  return form === "markdown" ? sheetMarkdown(title, entries) : sheetPage(title, entries);
}
