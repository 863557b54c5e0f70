import type * as z from "zod";
import type { AuditDomainsResult, auditDomainsSchema } from "../../app/audit/audit.ts";
import { isAtLeast, SEVERITIES, type Severity } from "../../core/audit/index.ts";
import { displayName } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { listOf } from "../english.ts";
import {
  columns,
  count,
  csvReport,
  junitReport,
  type Layout,
  type ReportedDomain,
  sarifReport,
  visible,
  wrap,
} from "../index.ts";
import { SAID_CATALOGUE, sayFinding, sayRight } from "./findings.ts";

/** The audit in words, as programs read it. */
export const auditJson = ({ domains, catalogue }: AuditDomainsResult): z.output<typeof auditDomainsSchema> => ({
  domains: domains.map(({ domain, right, findings, unresolved }) => ({
    domain,
    right: right.map(sayRight),
    findings: findings.map(sayFinding),
    unresolved: unresolved.map((one) => ({ ...one })),
  })),
  catalogue: catalogue.length === 0 ? [] : SAID_CATALOGUE.map((rule) => ({ ...rule })),
});

/** The audit for people: the worst findings first. */
/** Questions, and reasons why they had no answer, that are named at most. */
const MAX_QUESTIONS = 8;
const MAX_REASONS = 3;

type Unresolved = AuditDomainsResult["domains"][number]["unresolved"];

const more = (all: readonly string[], most: number): string => (all.length > most ? ` and ${all.length - most} more` : "");

/** Questions as people read them, each once; of many the first ones. */
function questionsIn(unresolved: Unresolved): string {
  const questions = [...new Set(unresolved.map((one) => `${one.type} of ${displayName(one.name)}`))];
  return `${questions.slice(0, MAX_QUESTIONS).join(", ")}${more(questions, MAX_QUESTIONS)}`;
}

/** What could not be asked, and why. */
function openSentence(unresolved: Unresolved): string {
  const reasons = [...new Set(unresolved.map(({ because }) => visible(inWords(because))))].filter(
    (candidate) => candidate !== "",
  );
  const why = `${reasons.slice(0, MAX_REASONS).join("; ")}${more(reasons, MAX_REASONS)}`;
  return `Could not be asked, so that something may be missing here: ${questionsIn(unresolved)}.${why === "" ? "" : ` Why: ${why}.`}`;
}

/** What could not be asked, in one sentence for each reason: a server that is silent is the reason of many. */
export function openByReason(unresolved: Unresolved): string[] {
  const reasons = new Map<string, Unresolved[number][]>();
  for (const one of unresolved) {
    const why = inWords(one.because);
    const known = reasons.get(why);
    if (known === undefined) reasons.set(why, [one]);
    else known.push(one);
  }
  return [...reasons].map(([why, all]) => visible(`${questionsIn(all)} could not be asked: ${why}`));
}

/** Findings of a severity, one and several. */
const NUMBERED: Readonly<Record<Severity, readonly [string, string]>> = {
  breaks: ["fault", "faults"],
  risks: ["risk", "risks"],
  untidy: ["untidy thing", "untidy things"],
  note: ["note", "notes"],
};

export function auditText(result: AuditDomainsResult, { style, width }: Layout): string {
  const { domains, catalogue } = auditJson(result);
  const paint: Record<Severity, (text: string) => string> = {
    breaks: style.bad,
    risks: style.careful,
    untidy: (text) => text,
    note: style.quiet,
  };
  const mark: Record<Severity, string> = { breaks: "✗", risks: "!", untidy: "·", note: "○" };
  if (catalogue.length > 0)
    return `${columns(catalogue.map((rule) => [rule.id, rule.severity, rule.title])).join("\n")}\n${catalogue.length} findings.\n`;
  return domains
    .map(({ domain, right, findings, unresolved }) => {
      const good = right.map((one) => `${style.good("✓")} ${wrap(visible(one.because), width - 2, "  ")}`);
      const blocks = findings.map((finding) =>
        [
          `${paint[finding.severity](`${mark[finding.severity]} ${finding.severity.padEnd(6)}`)} ${style.strong(wrap(finding.title, width - 9, " ".repeat(9)))}  ${style.quiet(finding.id)}`,
          `         ${wrap(visible(finding.evidence), width - 9, " ".repeat(9))}`,
          ...(finding.severity === "note" ? [] : [`         ${wrap(visible(finding.why), width - 9, " ".repeat(9))}`]),
          `         ${style.command("→")} ${wrap(visible(finding.remedy), width - 11, " ".repeat(11))}  ${style.quiet(`(${finding.standard})`)}`,
        ].join("\n"),
      );
      const numbers = SEVERITIES.flatMap((severity) => {
        const number = findings.filter((finding) => finding.severity === severity).length;
        return number === 0 ? [] : [count(number, ...NUMBERED[severity])];
      });
      const open = unresolved.length === 0 ? [] : [style.careful(wrap(openSentence(unresolved), width))];
      return [
        style.title(`Audit of ${displayName(domain)}`),
        ...good,
        ...(good.length > 0 && blocks.length > 0 ? [""] : []),
        ...blocks,
        ...open,
        findings.length === 0
          ? unresolved.length > 0
            ? style.careful("Nothing wrong was found in what could be asked. Run it again when the name servers answer.")
            : style.good("Nothing to say: all is as it should be.")
          : `${count(findings.length, "finding")}: ${listOf(numbers)}.`,
        "",
      ].join("\n");
    })
    .join("\n");
}

/** Domains, findings and open questions as reports want them: names for people, and nothing from outside that a terminal obeys. */
const reported = (result: AuditDomainsResult): ReportedDomain[] =>
  auditJson(result).domains.map(({ domain, findings, unresolved }) => ({
    domain: displayName(domain),
    findings: findings.map((finding) => ({ ...finding, evidence: visible(finding.evidence), remedy: visible(finding.remedy) })),
    unresolved: openByReason(unresolved),
  }));

/** The audit as a file for spreadsheets (CSV) or pipelines (JUnit XML, SARIF); `threshold` is the mildest severity that fails. */
export function auditReport(shown: AuditDomainsResult, format: "csv" | "junit" | "sarif", threshold: Severity | "never"): string {
  switch (format) {
    case "csv":
      return csvReport(reported(shown));
    case "junit":
      return junitReport(reported(shown), (severity) => threshold !== "never" && isAtLeast(severity as Severity, threshold));
    case "sarif":
      return sarifReport(reported(shown), SAID_CATALOGUE, process.env.ZANDREL_VERSION ?? "0");
  }
}
