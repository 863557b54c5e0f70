import { time } from "../shapes.ts";
import { z } from "zod";
import { proveOne } from "../../cli/commands/prove.ts";
import { look } from "../../core/ask/index.ts";
import { Failure } from "../../core/failure.ts";
import { displayName } from "../../core/name/index.ts";
import {
  columns,
  count,
  deadline,
  jsonText,
  logTime,
  STATE_MARK,
  terminalSafe,
  visible,
  wrap,
} from "../../present/index.ts";
import type { Layout } from "../../present/layout.ts";
import { type Domain, type Journal, openWorkspace, pickDomains, type Workspace } from "../../workspace/index.ts";
import { rememberSettled, type Survey, survey } from "../asks/survey.ts";
import type { AppContext, CommonRequest, Ended, Outcome } from "../context.ts";
import { type DnsOptions, nameOperand, openDns } from "../dns/context.ts";
import { withoutRootDot } from "../../core/name/index.ts";

export const watchSchema = z.object({
  at: time,
  vantage: z.string(),
  name: z.string(),
  type: z.string(),
  sees: z.enum(["new", "old", "nothing", "unknown"]),
  until: time.nullable().describe("how long the vantage keeps showing that, at the latest"),
});

export type Seen = z.output<typeof watchSchema>;

/** Shortest and longest pause between two looks, in milliseconds of the clock. */
const MIN_PAUSE = 5000;

const MAX_PAUSE = 60_000;

const seenOf = (view: Layout, now: number): Seen => ({
  at: now,
  vantage: view.from,
  name: view.name,
  type: view.type,
  sees: view.sees,
  until: view.keeps === undefined || view.sees === "new" ? null : now + view.keeps * 1000,
});

/** One look at everything that was published or is on its way. */
async function lookOnce(
  domains: readonly Domain[],
  workspace: Workspace,
  journal: Journal | undefined,
  request: WatchRequest,
  context: AppContext,
): Promise<{ surveys: Survey[]; views: View[]; now: number }> {
  // A fresh memo each time: this is the one command that wants to ask again.
  const dns = openDns(
    request,
    context,
    workspace.settings,
    domains.map((domain) => domain.name),
  );
  try {
    const surveys = await Promise.all(domains.map((domain) => survey(domain, dns, workspace, journal)));
    const views = await Promise.all(
      surveys.map(async ({ look: looked, asks }) => {
        const followed = asks.filter((one) => one.state !== "noted" && one.state !== "waiting" && one.state !== "clashing");
        return look(
          followed.flatMap((one) => one.ask.wanted),
          looked.viewpoints,
        );
      }),
    );
    return { surveys, views: unique(views.flat()), now: dns.now };
  } finally {
    dns.close();
  }
}

const keyOf = (view: Pick<View, "from" | "name" | "type">) => `${view.from} ${view.name} ${view.type}`;

/** One view a vantage, name and type: two asks may share a set. */
const unique = (views: readonly View[]): View[] => [...new Map(views.map((view) => [keyOf(view), view])).values()];

const WORDS: Readonly<Record<Seen["sees"], string>> = {
  new: "sees it",
  old: "sees the old record",
  nothing: "sees nothing there",
  unknown: "cannot be asked",
};

export function table(views: readonly View[], now: number, { style }: Context): string {
  const rows = views.map((view) => {
    const until = view.sees !== "new" && view.keeps !== undefined ? `until ${deadline(now + view.keeps * 1000, now)}` : "";
    const role = view.role === "authoritative" ? "name server" : "vantage";
    return [`${STATE_MARK[view.sees]} ${WORDS[view.sees]}`, view.from, role, `${displayName(view.name)} ${view.type}`, until];
  });
  return columns(rows, (cell, column, row) => (column === 0 ? style.state(views[row]?.sees ?? "", cell) : cell))
    .map((line) => `  ${line}`)
    .join("\n");
}

/** How far it is, and when it is done at the latest. */
export function summary(surveys: readonly Survey[], views: readonly View[], now: number, { style, width }: Context): string {
  const seeing = views.filter((view) => view.sees === "new").length;
  const promised = surveys
    .flatMap((one) => one.asks)
    .flatMap((ask) => (ask.state === "spreading" && ask.visibility !== undefined ? [ask.visibility] : []));
  const last = promised.reduce<(typeof promised)[number] | undefined>(
    (late, one) => (late === undefined || one.by > late.by ? one : late),
    undefined,
  );
  const by =
    last === undefined
      ? ""
      : last.by > now
        ? `; everyone by ${style.strong(deadline(last.by, now))} at the latest\n${wrap(`  ${visible(last.because)}`, width, "  ")}`
        : "; the last ones are due any moment";
  return `${seeing} of ${count(views.length, "view")} show it${by}${ownView(views, now)}`;
}

function logLine(view: Layout, seen: Seen, now: number, { style }: Context): string {
  const until = seen.until === null ? "" : ` until ${deadline(Date.parse(seen.until), now)}`;
  return `${style.quiet(logTime(now))}  ${style.state(view.sees, `${STATE_MARK[view.sees]} ${visible(view.from)} ${WORDS[view.sees]}`)}${until}  ${style.quiet(`${displayName(view.name)} ${view.type}`)}\n`;
}

/** Asks the services about everything that is settled; gives back how many of them have not confirmed it yet. */
async function askServices(
  surveys: readonly Survey[],
  workspace: Workspace,
  journal: Journal | undefined,
  request: WatchRequest,
  context: AppContext,
): Promise<number> {
  let open = 0;
  for (const { domain, asks } of surveys)
    for (const standing of asks.filter((one) => one.state === "settled")) {
      if (workspace.settings.services[standing.ask.service]?.link === undefined)
        throw new Failure("watch-endless", { service: standing.ask.service, ask: standing.ask.id }, "problem");
      const { verdict } =
        journal === undefined ? { verdict: "found" } : await proveOne(standing, domain, workspace, journal, request, context);
      if (verdict !== "proven") open += 1;
    }
  return open;
}

/** Why the user's own browser is behind, where this machine's resolver is one of the vantages. */
function ownView(views: readonly View[], now: number): string {
  const own = views.find((view) => view.own === true && (view.sees === "old" || view.sees === "nothing"));
  if (own === undefined) return "";
  const until = own.keeps === undefined ? "" : ` until ${deadline(now + own.keeps * 1000, now)}`;
  return `\n  your browser still sees the old ${own.type} of ${displayName(own.name)}, because this machine's resolver keeps it${until}`;
}

/** The last word: what is settled, what is not, and what comes next. */
function conclude(surveys: readonly Survey[], context: AppContext, proven: boolean): Ended {
  const asks = surveys.flatMap(({ domain, asks: standings }) => standings.map((standing) => ({ domain, ...standing })));
  const followed = asks.filter((one) => one.state !== "noted" && one.state !== "waiting" && one.state !== "clashing");
  const done = followed.filter((one) => one.state === "settled" || one.state === "proven");
  if (!context.json) {
    const { style } = context;
    for (const one of followed.filter((other) => !done.includes(other)))
      context.out(
        `${style.state(one.state, `${STATE_MARK[one.state]} ${one.ask.id} is ${one.state}`)}: ${visible(one.because)}\n`,
      );
    const settled = proven ? [] : done.filter((one) => one.state === "settled");
    if (done.length === followed.length)
      context.out(
        settled.length > 0
          ? `${style.good("Everyone sees it.")} Now the service may be asked. Next: ${settled.map((one) => style.command(`zandrel prove ${one.ask.id}`)).join(", ")}\n`
          : `${style.good("Everyone sees it,")} and it is proven.\n`,
      );
  }
  if (followed.some((one) => one.state === "unknown")) return "undetermined";
  return done.length === followed.length ? "fine" : "problem";
}

/** What {@link watch} is asked. */
export interface WatchRequest extends CommonRequest, DnsOptions {
  readonly for: number | undefined;
  readonly until: "settled" | "proven";
}

/** Follow what was published until every vantage sees it. */
export async function watch(request: WatchRequest, context: AppContext): Promise<Outcome<Seen>> {
  const workspace = openWorkspace(context.cwd, request.workspace);
  const domains = pickDomains(workspace, request.operands.map(nameOperand));
  const span = request.for;
  const stopAt = span === undefined ? undefined : context.clock.now() + span;
  const live = context.live && !context.json ? (await import("log-update")).default : undefined;
  const journal = workspace.hasJournal ? await workspace.openJournal() : undefined;
  const last = new Map<string, Seen["sees"]>();
  try {
    for (;;) {
      const { surveys, views, now } = await lookOnce(domains, workspace, journal, request, context);
      if (views.length === 0) throw new Failure("nothing-to-watch", { domains: domains.map((domain) => domain.name) }, "problem");
      for (const view of views) {
        if (last.get(keyOf(view)) === view.sees) continue;
        last.set(keyOf(view), view.sees);
        const seen = seenOf(view, now);
        if (context.json) context.out(`${jsonText(seen)}\n`);
        else if (live === undefined) context.out(logLine(view, seen, now, context));
      }
      const states = surveys
        .flatMap((one) => one.asks)
        .filter((ask) => ask.state !== "noted" && ask.state !== "waiting" && ask.state !== "clashing");
      if (live !== undefined) live(terminalSafe(`${table(views, now, context)}\n\n${summary(surveys, views, now, context)}`));
      const going = states.filter((ask) => ask.state === "spreading" || ask.state === "unknown");
      const unproven =
        request.until === "proven" && going.length === 0 ? await askServices(surveys, workspace, journal, request, context) : 0;
      if (going.length + unproven === 0 || (stopAt !== undefined && now >= stopAt)) {
        live?.done();
        if (journal !== undefined) for (const one of surveys) rememberSettled(journal, one, now);
        return { ended: conclude(surveys, context, request.until === "proven" && unproven === 0) };
      }
      const nextChange = Math.min(
        ...views.flatMap((view) => (view.sees !== "new" && view.keeps !== undefined ? [view.keeps * 1000] : [])),
        MAX_PAUSE,
      );
      const left = stopAt === undefined ? MAX_PAUSE : stopAt - now;
      await context.clock.sleep(Math.max(MIN_PAUSE, Math.min(nextChange + 1000, MAX_PAUSE, left)));
    }
  } finally {
    live?.done();
    journal?.close();
  }
}
