import type * as z from "zod";
import type { SweepSummary } from "../../app/fleet/sweep.ts";
import type { sweepWorkSchema } from "../../app/fleet/work.ts";
import { isAtLeast, type Severity } from "../../core/audit/index.ts";
import { displayName, type NameError, withoutRootDot } from "../../core/name/index.ts";
import { spanText } from "../../core/spread/index.ts";
import { type KeptOutcome, type SkippedLine, type Sweep, WORST, type Worst } from "../../core/sweep/index.ts";
import { openByReason } from "../audit/audit.ts";
import { sayKept } from "../audit/findings.ts";
import { allInWords } from "../clauses/index.ts";
import {
  count,
  csvLines,
  JUNIT,
  jsonText,
  junitSkipped,
  junitSuite,
  type Layout,
  visible,
  visibleLines,
  wrap,
} from "../index.ts";

/** Why a text is not a domain name, for people with a list. */
const NO_NAME: Readonly<Record<NameError["code"], string>> = {
  empty: "it is empty",
  "empty-label": "a dot stands where a name should begin",
  "label-too-long": "a part between two dots has more than 63 characters",
  "name-too-long": "it has more than 255 characters",
  "bad-escape": "it has a backslash",
  "not-a-name": "it has a character that no domain has",
};

/** Why a line of a list was not looked at, in a clause. */
const SKIPPED: Readonly<Record<SkippedLine["why"], (detail: string) => string>> = {
  address: () => "it is an IP address and no domain",
  blank: () => "the domain column is empty",
  "one-label": () => "it has only one part; a domain has two or more, such as brackwater.example",
  "record-name": () => "it is the name of a record and not of a domain",
  "not-a-name": (detail) =>
    `it is not a domain name${detail === "" ? "" : ` (${NO_NAME[detail as NameError["code"]] ?? detail})`}`,
  duplicate: (line) => `line ${line} has the same domain`,
};
const whySkipped = ({ why, detail }: { readonly why: string; readonly detail: string }): string =>
  SKIPPED[why as SkippedLine["why"]](detail);

/** A line that was not looked at, and why, for people. */
const skippedText = ({ line, text, ...why }: SweepSummary["skippedLines"][number]): string =>
  visible(`line ${line}: ${text === "" ? "" : `${text}: `}${whySkipped(why)}`);

/** The findings of a domain, the worst first, as reports have them; notes ask for nothing and are left out of lines. */
const findingsOf = ({ domain, result }: KeptOutcome) => result.findings.map((finding) => sayKept(domain, finding));

const MARK: Record<Severity, string> = { breaks: "✗", risks: "!", untidy: "·", note: "○" };

/** One line about a domain: its worst finding, and what to do. */
export function sweepLine(outcome: KeptOutcome, { style }: Layout): string {
  const findings = findingsOf(outcome).filter(({ severity }) => severity !== "note");
  const [worst, ...others] = findings;
  const { unresolved } = outcome.result;
  const shown = displayName(outcome.domain);
  const name = style.strong(shown);
  // With umlauts a name is shown in both its forms, and a list may have either.
  const isShown = [shown.split(" (")[0], withoutRootDot(outcome.domain)].includes(outcome.given);
  const from = isShown ? "" : style.quiet(` (listed as ${visible(outcome.given)})`);
  const unsure = unresolved.length === 0 ? "" : style.careful(` ${count(unresolved.length, "question")} had no answer.`);
  if (worst === undefined)
    return unresolved.length === 0
      ? `${style.good("✓")} ${name}${from}: nothing to mend.\n`
      : `${style.state("unknown", "?")} ${name}${from}: ${openByReason(unresolved.slice(0, 1))[0]}${unresolved.length > 1 ? `, and ${unresolved.length - 1} more` : ""}.\n`;
  const paint = { breaks: style.bad, risks: style.careful, untidy: String, note: style.quiet }[worst.severity];
  const more = others.length === 0 ? "" : style.quiet(` (and ${others.length} more)`);
  return `${paint(MARK[worst.severity])} ${name}${from}: ${visible(worst.title)}. ${style.command("→")} ${visible(worst.remedy)}${more}${unsure}\n`;
}

/** A sweep as other programs read it, piece by piece. */
export interface SweepFormat {
  readonly head: string;
  skipped(line: SkippedLine): string;
  outcome(outcome: KeptOutcome): string;
  readonly foot: string;
}

/** The list's own cells of a row, by their columns. */
const ownOf = ({ columns }: Sweep, own: readonly string[]): Record<string, string> =>
  Object.fromEntries(columns.map((column, i) => [column, own[i] ?? ""]));

/** One JSON object a line; `kind` tells domains from lines that were not looked at. */
const ndjson = (sweep: Sweep): SweepFormat => ({
  head: "",
  skipped: ({ line, text, why, detail, own }) =>
    `${jsonText({ kind: "skipped", line, text, why, detail, own: ownOf(sweep, own) })}\n`,
  outcome(outcome) {
    const { domain, given, line, own, at, attempts, result } = outcome;
    return `${jsonText({
      kind: "domain",
      ...{ domain, given, line, own: ownOf(sweep, own) },
      ...{ at: new Date(at).toISOString(), attempts },
      findings: findingsOf(outcome),
      ...{ unresolved: allInWords(result.unresolved), providers: result.providers },
    })}\n`;
  },
  foot: "",
});

/** One row a domain: its worst finding, and the list's own columns. */
const csv = (sweep: Sweep): SweepFormat => ({
  head: csvLines([
    [
      "domain",
      "listed as",
      "line",
      "severity",
      "finding",
      "title",
      "evidence",
      "remedy",
      "findings",
      "unresolved",
      ...sweep.columns.map(visibleLines),
    ],
  ]),
  skipped: ({ line, text, why, detail, own }) =>
    csvLines([["", text, String(line), "skipped", why, whySkipped({ why, detail }), "", "", "", "", ...own].map(visibleLines)]),
  outcome(outcome) {
    const findings = findingsOf(outcome).filter(({ severity }) => severity !== "note");
    const [worst] = findings;
    const open = openByReason(outcome.result.unresolved);
    const about =
      worst === undefined
        ? [open.length > 0 ? "unknown" : "fine", "", "", "", ""]
        : [worst.severity, worst.id, worst.title, visible(worst.evidence), visible(worst.remedy)];
    const counts = [String(findings.length), open.join("; ")];
    return csvLines([
      [withoutRootDot(outcome.domain), outcome.given, String(outcome.line), ...about, ...counts, ...outcome.own].map(
        visibleLines,
      ),
    ]);
  },
  foot: "",
});

const junit = (threshold: Severity | "never"): SweepFormat => ({
  head: JUNIT.head,
  skipped: (line) => junitSkipped(`line ${line.line}`, skippedText(line)),
  outcome: (outcome) =>
    junitSuite(
      {
        domain: displayName(outcome.domain),
        findings: findingsOf(outcome).map((saidFinding) => ({
          ...saidFinding,
          evidence: visible(saidFinding.evidence),
          remedy: visible(saidFinding.remedy),
        })),
        unresolved: openByReason(outcome.result.unresolved),
      },
      (severity) => threshold !== "never" && isAtLeast(severity as Severity, threshold),
    ),
  foot: JUNIT.foot,
});

/** A line a domain, as people read it; on a terminal it is broken between words. */
const text = (layout: Layout & { readonly live: boolean }): SweepFormat => ({
  head: "",
  skipped: () => "",
  outcome: (outcome) =>
    layout.live ? `${wrap(sweepLine(outcome, layout).trimEnd(), layout.width, "  ")}\n` : sweepLine(outcome, layout),
  foot: "",
});

export const SWEEP_FORMATS = ["text", "ndjson", "csv", "junit"] as const;

/** A sweep in one of its formats; `threshold` is the mildest severity that fails. */
export function sweepFormat(
  format: (typeof SWEEP_FORMATS)[number],
  sweep: Sweep,
  threshold: Severity | "never",
  layout: Layout & { readonly live: boolean },
): SweepFormat {
  return { text: () => text(layout), ndjson: () => ndjson(sweep), csv: () => csv(sweep), junit: () => junit(threshold) }[
    format
  ]();
}

type SweepWork = z.output<typeof sweepWorkSchema>;

/** What domains came to by their worst finding, in words. */
const WORST_WORDS: Readonly<Record<Worst, string>> = {
  breaks: "with something broken",
  risks: "at risk",
  untidy: "untidy",
  fine: "with nothing to mend",
  unknown: "that nobody can judge yet",
};
export const worstWords = (worst: SweepSummary["worst"]): string =>
  WORST.flatMap((key) => worst.filter((candidate) => candidate.key === key && candidate.domains > 0))
    .map(({ key, domains }) => `${domains} ${WORST_WORDS[key]}`)
    .join(", ");

/** What a worker did. */
export const sweepWorkText = ({ sweeps }: SweepWork): string =>
  sweeps.length === 0
    ? "There was no sweep to take part in.\n"
    : `${sweeps.map(({ sweep, domains }) => `${count(domains, "domain")} of ${sweep} looked at.`).join("\n")}\n`;

/** What a sweep came to, and where to read on. */
export function sweepText(result: SweepSummary, { style, width }: Layout): string {
  const { sweep, domains, unresolved, worst, skipped, skippedLines, started, finished } = result;
  const shown = skippedLines.slice(0, 5).map((skippedLine) => `  ${skippedText(skippedLine)}`);
  return [
    "",
    style.title(
      `${count(domains, "domain")} looked at in ${spanText(Math.ceil((finished - started) / 1000))}: ${worstWords(worst)}.`,
    ),
    ...(unresolved === 0
      ? []
      : [
          style.careful(
            wrap(`${count(unresolved, "domain")} could not be asked about everything, so something may be missing.`, width),
          ),
        ]),
    ...(skipped === 0
      ? []
      : [`${count(skipped, "line")} of the list ${skipped === 1 ? "was" : "were"} not looked at:`, ...shown]),
    ...(skipped > shown.length ? [`  and ${skipped - shown.length} more (all of them: --format ndjson)`] : []),
    `Kept as ${style.strong(sweep)}.`,
    `Next: ${style.command(`zandrel sweep report ${sweep}`)}`,
    "",
  ].join("\n");
}
