import type { SweepReport, SweepReportJson } from "../../app/fleet/report.ts";
import { displayName } from "../../core/name/index.ts";
import { titleOfRule } from "../audit/findings.ts";
import { columns, count, type Layout, wrap } from "../index.ts";
import { worstWords } from "./sweep.ts";

/** `12 of 40 (30 %)`; a share of fewer than ten says too little to be called one. */
const share = (part: number, whole: number): string =>
  whole < 10
    ? `${part} of ${whole}`
    : `${part} of ${whole} (${part > 0 && part / whole < 0.01 ? "under 1" : Math.round((100 * part) / whole)} %)`;

const ROLES = [
  ["nameServers", "Name servers are from"],
  ["mail", "Mail is taken by"],
  ["signing", "Signing keys are kept at"],
  ["sending", "SPF allows the servers of"],
] as const;

/** How many providers a terminal shows; `--json` has more. */
const MAX_SHOWN = 8;

/** The same with the titles of its findings. */
export const sweepReportJson = (report: SweepReport): SweepReportJson => ({
  ...report,
  findings: report.findings.map((finding) => ({ ...finding, title: titleOfRule(finding.id) })),
});

/** What all domains of a sweep say together. */
export function sweepReportText(report: SweepReport, { style, width }: Layout): string {
  const { sweep, domains, left, unresolved, worst, findings, others } = report;
  const mend = findings.filter(({ severity }) => severity !== "note");
  const table = columns(
    mend.map(({ id, severity, domains: number }) => [share(number, domains), severity, titleOfRule(id)]),
    (cell, column, row) =>
      column !== 1
        ? cell
        : mend[row]?.severity === "breaks"
          ? style.bad(cell)
          : mend[row]?.severity === "risks"
            ? style.careful(cell)
            : cell,
  );
  return [
    style.title(`Sweep ${sweep}: ${count(domains, "domain")}, ${worstWords(worst) || "none looked at yet"}`),
    ...(left === 0
      ? []
      : [style.careful(`${count(left, "domain")} left to look at: run the same zandrel sweep again, and it goes on.`)]),
    ...(unresolved === 0
      ? []
      : [wrap(`${count(unresolved, "domain")} could not be asked about everything, and may have more to mend.`, width)]),
    ...(table.length === 0 ? [] : ["", style.strong("What to fix"), ...table.map((line) => `  ${line}`)]),
    ...ROLES.flatMap(([role, title]) => {
      const all = report[role];
      if (all.length === 0) return [];
      const rows = all
        .slice(0, MAX_SHOWN)
        .map(({ provider, domains: number }) => [share(number, domains), displayName(provider)]);
      const more = all.length > MAX_SHOWN ? [`  and ${all.length - MAX_SHOWN} more`] : [];
      return ["", style.strong(title), ...columns(rows).map((line) => `  ${line}`), ...more];
    }),
    "",
    ...(others.length === 0
      ? ["Make another sweep later, and zandrel sweep diff says what changed."]
      : [`Next: ${style.command(`zandrel sweep diff ${others[0]} ${sweep}`)}`]),
    "",
  ].join("\n");
}
