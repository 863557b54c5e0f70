import type { SweepDiff, SweepDiffJson } from "../../app/fleet/diff.ts";
import { AREAS } from "../../core/audit/index.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import type { KeptFinding } from "../../core/sweep/index.ts";
import { sayKept } from "../audit/findings.ts";
import { listOf } from "../english.ts";
import { count, csvLines, type Layout, visible, wrap } from "../index.ts";
import { page } from "../page.ts";
import { html } from "../sheet.ts";

/** The same in words. */
export const sweepDiffJson = (diff: SweepDiff): SweepDiffJson => ({
  ...diff,
  domains: diff.domains.map(({ domain, fixed, fresh, ...one }) => {
    const say = (finding: KeptFinding) => {
      const { id, severity, title, remedy } = sayKept(domain, finding);
      return { id, severity, title, remedy };
    };
    return { domain, ...one, fixed: fixed.map(say), fresh: fresh.map(say) };
  }),
});

type Domain = SweepDiffJson["domains"][number];

const LISTS: Readonly<Partial<Record<Domain["kind"], (diff: SweepDiffJson) => string>>> = {
  added: ({ before }) => `not in ${before.name}`,
  removed: ({ after }) => `not in ${after.name}`,
  unresolved: () => "was not fully looked at, so nothing is said about it",
};

/** How many domains changed in which way, in one sentence. */
function headline({ domains, same }: SweepDiffJson): string {
  const worse = domains.filter((candidate) => candidate.worse).length;
  const fresh = domains.reduce((sum, one) => sum + one.fresh.length, 0);
  const fixed = domains.reduce((sum, one) => sum + one.fixed.length, 0);
  return `${count(fixed, "finding")} mended, ${fresh} new; ${count(worse, "domain")} worse than before, ${same} unchanged`;
}

/** Which areas were compared, where not all of them were. */
const comparedOnly = ({ areas }: SweepDiffJson): string[] =>
  areas.length === AREAS.length ? [] : [`Only what both looked at is compared: ${listOf(areas)}.`];

/** What changed between two sweeps, for people. */
export function sweepDiffText(compared: SweepDiff, { style, width }: Layout): string {
  const diff = sweepDiffJson(compared);
  const { before, after, domains } = diff;
  const shown = (mark: string, { title, remedy }: Domain["fresh"][number], withRemedy: boolean) =>
    `  ${mark} ${wrap(`${title}${withRemedy ? `. ${style.command("→")} ${visible(remedy)}` : ""}`, width - 4, "    ")}`;
  return [
    style.title(`From ${before.name} to ${after.name}: ${headline(diff)}.`),
    ...comparedOnly(diff),
    "",
    ...domains.map((one) => {
      const list = LISTS[one.kind]?.(diff);
      return [
        `${style.strong(displayName(one.domain))}${one.worse ? style.bad(" (worse)") : ""}${list === undefined ? "" : style.quiet(`: ${list}`)}`,
        ...one.fresh.map((finding) => shown(style.bad("new  "), finding, true)),
        ...one.fixed.map((finding) => shown(style.good("fixed"), finding, false)),
      ].join("\n");
    }),
    ...(domains.length === 0 ? [] : [""]),
    domains.some(({ fresh }) => fresh.length > 0)
      ? `Next: ${style.command(`zandrel audit ${withoutRootDot((domains.find(({ fresh }) => fresh.length > 0) as Domain).domain)}`)}`
      : domains.some(({ kind }) => kind === "unresolved")
        ? "Nothing new was found in what could be looked at."
        : "There is nothing new to mend.",
    "",
  ].join("\n");
}

/** One row a change. */
export const sweepDiffCsv = (diff: SweepDiff): string =>
  csvLines([
    ["domain", "change", "severity", "finding", "title", "remedy"],
    ...sweepDiffJson(diff).domains.flatMap((one) => {
      const row = (change: string, { id, severity, title, remedy }: Domain["fresh"][number]) => [
        withoutRootDot(one.domain),
        ...[change, severity, id, title, visible(remedy)],
      ];
      const changes = [...one.fresh.map((finding) => row("new", finding)), ...one.fixed.map((finding) => row("fixed", finding))];
      return changes.length > 0 ? changes : [[withoutRootDot(one.domain), one.kind, "", "", "", ""]];
    }),
  ]);

/** The same as a page of its own. */
export function sweepDiffPage(compared: SweepDiff): string {
  const diff = sweepDiffJson(compared);
  const { before, after, domains } = diff;
  const items = (word: string, findings: Domain["fresh"], withRemedy: boolean) =>
    findings.map(
      ({ title, severity, remedy }) =>
        `<li><strong>${word}</strong> <span class="quiet">${html(severity)}</span> ${html(title)}${withRemedy ? `<br>${html(remedy)}` : ""}</li>`,
    );
  const rows = domains.map((one) => {
    const list = LISTS[one.kind]?.(diff);
    const changes = [...items("New", one.fresh, true), ...items("Fixed", one.fixed, false)];
    return `<tr><th scope="row">${html(displayName(one.domain))}${one.worse ? '<br><span class="bad">worse</span>' : ""}</th><td>${list === undefined ? "" : html(list)}${changes.length === 0 ? "" : `<ul>${changes.join("")}</ul>`}</td></tr>`;
  });
  return page({
    title: `From ${before.name} to ${after.name}`,
    body: `<p class="lead">${html([`${headline(diff)}.`, ...comparedOnly(diff)].join(" "))}</p>
${rows.length === 0 ? "<p>Nothing differs.</p>" : `<table><thead><tr><th scope="col">Domain</th><th scope="col">What changed</th></tr></thead><tbody>\n${rows.join("\n")}\n</tbody></table>`}`,
  });
}
