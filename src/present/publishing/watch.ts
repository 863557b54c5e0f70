import type { Look, Watched } from "../../app/asks/watch.ts";
import type { AskStanding } from "../../app/standing/survey.ts";
import type { View } from "../../core/ask/index.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { listOf } from "../english.ts";
import { columns, count, deadline, logTime, STATE_MARK, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";
import { lossLines } from "./losses.ts";

const WORDS: Readonly<Record<View["sees"], string>> = {
  new: "sees it",
  old: "sees the old record",
  nothing: "sees no record",
  unknown: "could not be asked",
};

const setName = ({ name, type }: View): string => `${displayName(name)} ${type}`;

/** One line of the log: what a viewpoint shows now. */
export function watchLine(view: View, now: number, { style }: Layout): string {
  const until = view.keeps === undefined || view.sees === "new" ? "" : ` until ${deadline(now + view.keeps * 1000, now)}`;
  return `${style.quiet(logTime(now))}  ${style.state(view.sees, `${STATE_MARK[view.sees]} ${visible(view.from)} ${WORDS[view.sees]}`)}${until}  ${style.quiet(setName(view))}\n`;
}

/** The live view: every viewpoint in a line, and how far it is. */
export function watchTable(look: Look, layout: Layout): string {
  const { views, now } = look;
  const { style } = layout;
  const rows = views.map((view) => {
    const until = view.sees !== "new" && view.keeps !== undefined ? `until ${deadline(now + view.keeps * 1000, now)}` : "";
    const role = view.role === "authoritative" ? "name server" : "resolver";
    return [`${STATE_MARK[view.sees]} ${WORDS[view.sees]}`, view.from, role, setName(view), until];
  });
  const table = columns(rows, (cell, column, row) => (column === 0 ? style.state(views[row]?.sees ?? "", cell) : cell));
  return `${table.map((line) => `  ${line}`).join("\n")}\n\n${progress(look, layout)}`;
}

/** How far it is, and when it is done at the latest. */
function progress({ surveys, views, now }: Look, { style, width }: Layout): string {
  const seeing = views.filter((view) => view.sees === "new").length;
  const [last] = surveys
    .flatMap((survey) => survey.asks)
    .flatMap(({ state, visibility }) => {
      if (visibility === undefined) return [];
      return state === "spreading" || (state === "settled" && visibility.by > now) ? [visibility] : [];
    })
    .sort((a, b) => b.by - a.by);
  const by =
    last === undefined
      ? ""
      : last.by > now
        ? `; everyone sees it by ${style.strong(deadline(last.by, now))} at the latest\n${wrap(`  ${visible(inWords(last.because))}`, width, "  ")}`
        : "; the last ones are due any moment";
  return `${seeing} of ${count(views.length, "view")} show it${by}${ownView(views, now)}`;
}

/** Why the user's own browser is behind, where this machine's resolver is one of the viewpoints. */
function ownView(views: readonly View[], now: number): string {
  const own = views.find((view) => view.own === true && (view.sees === "old" || view.sees === "nothing"));
  if (own === undefined) return "";
  const until = own.keeps === undefined ? "" : ` until ${deadline(now + own.keeps * 1000, now)}`;
  return `\n  Your browser still sees the old ${own.type} of ${displayName(own.name)}, because this machine's resolver keeps it${until}.`;
}

/** The one command that proves several asks, each with its domain, because two domains may have asks of one id. */
const proving = (standings: readonly AskStanding[]): string =>
  `zandrel prove ${standings.map(({ ask }) => `${withoutRootDot(ask.domain)}/${ask.id}`).join(" ")}`;

/** The last word: what is settled, what is not, and what comes next. */
export function watchedText(watched: Watched, layout: Layout): string {
  const lost = lossLines(watched.lost, layout);
  return `${endText(watched, layout)}${unpublishedText(watched, layout)}${lost.length === 0 ? "" : `${lost.join("\n")}\n`}`;
}

/** What was not published, and so was not followed. */
function unpublishedText({ unpublished }: Watched, { style }: Layout): string {
  if (unpublished.length === 0) return "";
  const domains = [...new Set(unpublished.map(({ ask }) => withoutRootDot(ask.domain)))];
  return `Not published yet: ${listOf(unpublished.map(({ ask }) => ask.id))}. Next: ${style.command(`zandrel draft ${domains.join(" ")}`)}\n`;
}

function endText(watched: Watched, { style }: Layout): string {
  const { followed, done, proven, refused, unpublished } = watched;
  const open = followed.filter((askStanding) => !done.includes(askStanding));
  const lines = open.map(
    ({ state, ask, because }) =>
      `${style.state(state, `${STATE_MARK[state]} ${ask.id} is ${state}`)}: ${visible(inWords(because))}\n`,
  );
  if (open.length > 0) return lines.join("");
  if (refused.length > 0)
    return `${style.good("Everyone sees it,")} but it is not confirmed:\n${refused.map(({ standing, reason }) => `  ${style.strong(standing.ask.id)}: ${visible(inWords(reason))}\n`).join("")}Look at the service's page for what it misses. Next: ${style.command(proving(refused.map(({ standing }) => standing)))}\n`;
  const settled = done.filter((candidate) => !proven.includes(candidate));
  const seen = unpublished.length > 0 ? "Everyone sees what was published" : "Everyone sees it";
  return settled.length > 0
    ? `${style.good(`${seen}.`)} Now ask the service. Next: ${style.command(proving(settled))}\n`
    : `${style.good(`${seen},`)} and it is proven.\n`;
}
