import type { ReportSourcesResult } from "../../app/reports/sources.ts";
import { REASONS, type Reason } from "../../core/aggregate/index.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { columns, count, dayText, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";
import { knownSourceName, sourceLabel } from "../source-names.ts";

/** A share in per cent that says 100 and 0 only where it is all or nothing. */
export function percent(part: number, whole: number): string {
  if (whole === 0) return "–";
  const exact = (part / whole) * 100;
  const shown = exact > 99.5 && exact < 100 ? 99 : exact > 0 && exact < 0.5 ? 1 : Math.round(exact);
  return `${shown} %`;
}

/** Whether a sum is too small for a share to mean anything. */
const isFew = (messages: number): boolean => messages < 10;

const BARS = " ▁▂▃▄▅▆▇█";

/** Weeks as bars, each as high as its share of the busiest; `all` are the weeks that any source has. */
function trend(weeks: ReportSourcesResult["sources"][number]["weeks"], all: readonly number[]): string {
  const counts = all.map((week) => weeks.find((candidate) => candidate.week === week)?.messages ?? 0);
  const most = Math.max(1, ...counts);
  return counts.map((count) => BARS[Math.ceil((count / most) * (BARS.length - 1))]).join("");
}

/** The result of {@link reportSources} for people. */
export function reportSourcesText(
  { domain, reports, receivers, from, to, messages, aligned, sources, page }: ReportSourcesResult,
  { style, width }: Layout,
): string {
  const all = [...new Set(sources.flatMap((source) => source.weeks.map(({ week }) => week)))].sort();
  const rows = sources.map((source) => [
    source.messages.toLocaleString("en").padStart(9),
    (isFew(source.messages) ? `${source.aligned} of ${source.messages}` : percent(source.aligned, source.messages)).padStart(6),
    visible(sourceLabel(source)),
    trend(source.weeks, all),
  ]);
  const details = sources.flatMap((source) => {
    const why = REASONS.filter((reason) => source.reasons[reason] > 0).map(
      (reason) => `${source.reasons[reason].toLocaleString("en")} ${WHY[reason]}`,
    );
    const fragile =
      source.bySpfOnly > source.messages / 2
        ? [`${source.bySpfOnly.toLocaleString("en")} proven by SPF alone, which breaks when mail is forwarded`]
        : [];
    // What a name below the domain sends may be somebody else's business, and have a policy of its own.
    const below = source.from
      .filter((from) => from.domain !== domain.slice(0, -1))
      .map(
        (from) =>
          `${from.messages.toLocaleString("en")} as ${visible(from.domain)}, ${from.aligned.toLocaleString("en")} of them proven`,
      );
    const few = isFew(source.messages) ? ["too few messages to say more"] : [];
    if (why.length + fragile.length + below.length === 0) return [];
    // Its address is not said twice.
    const addresses = source.blocks.slice(0, 2).filter((block) => block !== source.title);
    const where = [
      ...(addresses.length === 0 ? [] : [addresses.join(", ")]),
      ...(source.nextTo === null ? [] : [`next to ${visible(source.nextTo)}'s addresses, but not one of them`]),
      ...(source.signers.length === 0 ? [] : [`signed by ${source.signers.slice(0, 2).map(visible).join(", ")}`]),
    ].join("; ");
    const who = `${style.strong(visible(knownSourceName(source)))}${where === "" ? "" : ` (${where})`}`;
    return [wrap(`${who}: ${[...why, ...fragile, ...below, ...few].join("; ")}.`, width, "  ")];
  });
  return [
    `${style.title(`Who sends as ${displayName(domain)}`)}, ${dayText(from)} to ${dayText(to)}, from ${count(reports, "report")} by ${count(receivers, "receiver")}`,
    "",
    ...columns([[" messages", "passed", "source", "by week"], ...rows], (cell, column, row) =>
      row === 0
        ? style.quiet(cell)
        : column === 1 && !isFew(sources[row - 1]?.messages ?? 0)
          ? (sources[row - 1]?.aligned ?? 0) >= (sources[row - 1]?.messages ?? 0) * 0.98
            ? style.good(cell)
            : style.bad(cell)
          : cell,
    ),
    "",
    ...details,
    `${messages.toLocaleString("en")} messages, ${percent(aligned, messages)} of them pass as yours.`,
    ...(page === null ? [] : [`${style.good("written")}  ${page}`]),
    `Next: ${style.command(`zandrel dmarc advise ${withoutRootDot(domain)}`)}`,
    "",
  ].join("\n");
}

export const WHY: Readonly<Record<Reason, string>> = {
  forwarded: "forwarded by a list or another mailbox, which broke the signature",
  "wrong-signer": "signed with another domain than yours",
  "wrong-return-path": "not signed with your domain, and sent with another domain's return path",
  "nothing-passes": "neither SPF nor DKIM passes",
};
