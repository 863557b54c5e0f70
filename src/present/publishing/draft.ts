import type { DraftResult } from "../../app/publishing/draft.ts";
import type { Change } from "../../core/change/index.ts";
import { type DomainName, displayName, withoutRootDot } from "../../core/name/index.ts";
import { dataKey, printData, type RecordSet } from "../../core/record/index.ts";
import { calendar } from "../calendar.ts";
import { inWords } from "../clauses/index.ts";
import { allOf } from "../english.ts";
import { columns, count, deadline, NO_HOST, type Style, visible, wrap } from "../index.ts";
import { NOTHING_LEFT } from "../judgement.ts";
import type { Layout } from "../layout.ts";
import { shellWord } from "../safe.ts";
import { elsewhereLine, followServers } from "./elsewhere.ts";
import { lossLines } from "./losses.ts";

const INDENT = "           ";

/** The lines of a change: what goes, what comes, what stays. */
function changeLines(before: RecordSet | undefined, after: RecordSet | undefined, type: string, style: Style): string[] {
  const key = (set: RecordSet | undefined) => new Set(set?.data.map((data) => dataKey(type, data)));
  const was = key(before);
  const is = key(after);
  const all = [...(before?.data ?? []), ...(after?.data ?? []).filter((data) => !was.has(dataKey(type, data)))];
  return all.map((data) => {
    const text = printData(type, data);
    if (!is.has(dataKey(type, data))) return style.removed(`- ${text}`);
    return was.has(dataKey(type, data)) ? style.quiet(`= ${text}  (stays)`) : style.added(`+ ${text}`);
  });
}

/** What changes would do, set by set. */
export const changesText = (
  changes: readonly Pick<Change, "action" | "name" | "type" | "before" | "after" | "because">[],
  { style, width }: Layout,
): string =>
  changes
    .flatMap((change) => [
      `  ${style.strong(change.action.padEnd(7))}  ${displayName(change.name)}  ${change.type}`,
      ...changeLines(change.before, change.after, change.type, style).map((line) => `${INDENT}${line}`),
      style.quiet(`${INDENT}${wrap(visible(inWords(change.because)), width - 12, INDENT)}`),
    ])
    .join("\n");

/** Everything that is said about one domain. */
function domainBlock(
  domain: DomainName,
  { changes, clashes, undetermined, hosts, lost, waiting, elsewhere }: DraftResult,
  layout: Layout,
): string {
  const { style, width } = layout;
  const text = (sentence: string) => `${INDENT}${wrap(visible(sentence), width - 12, INDENT)}`;
  const of = <T extends { readonly domain: string }>(all: readonly T[]) => all.filter((candidate) => candidate.domain === domain);
  const name = (one: { readonly name: DomainName }) => displayName(one.name);
  const lines = [`${style.title(displayName(domain))}  ${style.quiet(visible(hosts[domain] ?? NO_HOST))}`];
  lines.push(...of(elsewhere).map((instead) => elsewhereLine(instead, layout)));
  if (of(changes).length > 0) lines.push(changesText(of(changes), { style, width }));
  for (const one of of(clashes))
    lines.push(
      `  ${style.bad("clash")}    ${name(one)}  ${one.type}  ${style.quiet(`asked by ${one.ask}`)}`,
      text(`${inWords(one.because)}.`),
      text(`What would break: ${inWords(one.breaks)}.`),
      ...one.options.map(
        (option) => `${INDENT}${style.careful("option:")} ${wrap(visible(inWords(option)), width - 20, INDENT)}`,
      ),
    );
  for (const one of of(undetermined))
    lines.push(`  ${style.state("unknown", "unknown")}  ${name(one)}  ${one.type}`, text(`${inWords(one.because)}.`));
  lines.push(...lossLines(of(lost), layout));
  const turns = of(waiting).map(({ ask }) => ask);
  if (turns.length > 0)
    lines.push(`  ${style.quiet(`${allOf(turns, "waits", "wait")} until another ask is proven; zandrel status names it`)}`);
  if (lines.length === 1) lines.push("  Nothing is asked for yet.");
  return lines.join("\n");
}

/** The schedule of a launch for people. */
function launchBlock(
  { steps, verdict, because }: NonNullable<DraftResult["launch"]>,
  now: number,
  lower: string,
  { style, width }: Layout,
): string {
  const rows = columns(
    steps.map(({ at, what }) => [deadline(at, now), inWords(what)]),
    (cell, column) => (column === 0 ? style.strong(cell) : cell),
  );
  const paint = verdict === "in-time" ? style.good : verdict === "hurry" ? style.careful : style.bad;
  const title = { "in-time": "In time", hurry: "Hurry", "too-late": "Too late" }[verdict];
  const how = (kind: string) => (kind === "lower-ttl" ? `\n      with ${style.command(lower)}` : "");
  return `\n${style.title("Launch schedule")}\n${steps.map((step, i) => `  ${rows[i]}${how(step.kind)}${step.because.clause === "nothing" ? "" : `\n      ${style.quiet(wrap(inWords(step.because), width - 6, "      "))}`}`).join("\n")}\n${paint(title)}: ${inWords(because)}.\n`;
}

/** The options that publishing needs in order to carry out the same draft. */
const optionsOf = ({ replace, only, into }: DraftResult["publishWith"]): string =>
  [
    ...replace.map((name) => ` --replace ${shellWord(name)}`),
    ...only.map((ask) => ` --only ${shellWord(ask)}`),
    ...(into === null ? [] : [` --into ${shellWord(into)}`]),
  ].join("");

function nextLine(
  { changes, clashes, undetermined, domains: all, publishWith, lost, waiting, elsewhere }: DraftResult,
  { style }: Layout,
): string {
  if (undetermined.length > 0) return "What is unknown could not be looked up. Try again when the name servers answer.";
  const changing = [...new Set(changes.filter(({ action }) => action !== "keep").map(({ domain }) => domain))];
  const [first] = elsewhere;
  // Before anything else, the domain's file has to name the host that serves it.
  if (first !== undefined && publishWith.into === null && (changing.length > 0 || clashes.length > 0))
    return `Next: ${style.command(followServers(first))}`;
  if (clashes.length > 0) {
    const names = [
      ...new Set([...publishWith.replace, ...clashes.filter((one) => one.replaceable).map(({ name }) => withoutRootDot(name))]),
    ];
    const all = `zandrel draft ${[...new Set(clashes.map(({ domain }) => withoutRootDot(domain)))].join(" ")}${optionsOf({ ...publishWith, replace: names })}`;
    return clashes.every((one) => one.replaceable)
      ? `Next: choose an option for each clash; to replace all of it:\n${style.command(all)}`
      : "Next: choose an option for each clash.";
  }
  if (changing.length === 0)
    return changes.length > 0
      ? lost.length > 0
        ? `${NOTHING_LEFT}, and more was changed than was to be. Next: ${style.command(`zandrel publish ${[...new Set(lost.map(({ domain }) => withoutRootDot(domain)))].join(" ")} --check`)}`
        : `${NOTHING_LEFT}: the name servers have what is asked for. Next: ${style.command(`zandrel watch ${all.map(withoutRootDot).join(" ")} --until proven`)}`
      : `Next: ${style.command(waiting.length > 0 ? "zandrel status" : "zandrel intake")}`;
  const names = all.length > 1 ? changing : all;
  return `Next: ${style.command(`zandrel publish ${names.map((domainName) => withoutRootDot(domainName)).join(" ")}${optionsOf(publishWith)}`)}`;
}

/** What comes first ahead of a launch: TTLs are lowered before anything is published; undefined where that is over, or not needed. */
function launchNext({ launch, domains, at: now, clashes, undetermined }: DraftResult, { style }: Layout): string | undefined {
  const [first] = launch?.steps ?? [];
  if (first?.kind !== "lower-ttl" || clashes.length + undetermined.length > 0) return undefined;
  const lower = style.command(`zandrel publish ${domains.map(withoutRootDot).join(" ")} --lower-ttl`);
  return first.at > now ? `Next: ${style.strong(deadline(first.at, now))}, not before: ${lower}` : `Next: ${lower}`;
}

/** The result of a draft for people. */
export function draftText(result: DraftResult, layout: Layout): string {
  const { style, width } = layout;
  const { domains, changes, clashes, visible: seen, at: now, launch } = result;
  const blocks = domains.map((domain) => domainBlock(domain, result, layout));
  const pending = changes.filter(({ action }) => action !== "keep");
  const total = `${count(pending.length, "entry", "entries")} would change, ${count(clashes.length, "clash", "clashes")}; nothing has been changed.`;
  const when =
    seen.latest === null
      ? ""
      : `\nIf it is published now, everyone sees it by ${style.strong(deadline(seen.latest, now))} at the latest:\n${wrap(`${inWords(seen.because)}.`, width)}`;
  return `${blocks.join("\n\n")}\n\n${wrap(total, width)}${when}\n${launchNext(result, layout) ?? nextLine(result, layout)}\n${launch === null ? "" : launchBlock(launch, now, `zandrel publish ${result.domains.map(withoutRootDot).join(" ")} --lower-ttl`, layout)}`;
}

/** The schedule of a launch as a calendar file; undefined where no launch was asked about. */
export function launchCalendar({ launch, domains, at: now }: DraftResult): string | undefined {
  const names = domains.map(displayName).join(", ");
  return launch === null
    ? undefined
    : calendar(
        launch.steps.map(({ at, what, because }) => ({ at, title: `${names}: ${inWords(what)}`, text: inWords(because) })),
        now,
      );
}
