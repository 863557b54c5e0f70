import * as z from "zod";
import { type Ask, dnsWants, look, type View } from "../../core/ask/index.ts";
import type { Clause } from "../../core/clause/index.ts";
import { distinct } from "../../core/distinct.ts";
import { Failure } from "../../core/failure.ts";
import { type Domain, type Journal, openWorkspace, pickDomains, type Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Ended, Outcome } from "../context.ts";
import { type DnsOptions, nameOperand, openDns } from "../dns/context.ts";
import type { loss } from "../shapes.ts";
import { domainName, time } from "../shapes.ts";
import { lossesShown } from "../standing/losses.ts";
import { type AskStanding, rememberSettled, type Survey, survey } from "../standing/survey.ts";
import { proveOne } from "./prove.ts";

/** One line of `--json`: what a vantage shows, as soon as that is another thing than before. */
export const watchSchema = z.object({
  at: time,
  vantage: z.string(),
  name: domainName,
  type: z.string(),
  sees: z.enum(["new", "old", "nothing", "unknown"]),
  until: time.nullable().describe("how long the vantage keeps showing that, at the latest"),
});

export type Seen = z.output<typeof watchSchema>;

/** Shortest and longest pause between two looks, in milliseconds of the clock. */
const MIN_PAUSE = 5000;
const MAX_PAUSE = 60_000;

export const seenOf = (view: View, now: number): Seen => ({
  at: now,
  vantage: view.from,
  name: view.name,
  type: view.type,
  sees: view.sees,
  until: view.keeps === undefined || view.sees === "new" ? null : now + view.keeps * 1000,
});

/** Whether an ask is still on its way, or nobody knows. */
const isPending = ({ piece }: AskStanding): boolean => piece.is === "not-visible-yet" || piece.is === "undetermined";

/** One look: where every ask stands, and what each viewpoint shows. */
export interface Look {
  readonly surveys: readonly Survey[];
  readonly views: readonly View[];
  /** Milliseconds since 1970. */
  readonly now: number;
}

/** Who is told while it is watched. */
export interface WatchSink {
  /** A viewpoint shows another thing than before. */
  changed(view: View, now: number): void;
  /** Everything was looked at once more. */
  looked(look: Look): void;
}

/** How watching ended: the asks that were followed, those that everyone sees, and those of them that are proven. */
export interface Watched {
  readonly followed: readonly AskStanding[];
  readonly done: readonly AskStanding[];
  readonly proven: readonly AskStanding[];
  /** Asks of the same domains whose turn it is and that nobody published: nothing of them is followed. */
  readonly unpublished: readonly AskStanding[];
  /** What nobody was to touch since it was published, and that is gone or changed. */
  readonly lost: readonly z.output<typeof loss>[];
  /** Asks that everyone sees and that their services did not confirm, with what those said. */
  readonly refused: readonly { readonly standing: AskStanding; readonly reason: Clause }[];
}

/** One look at everything that was published or is on its way. */
async function lookOnce(
  domains: readonly Domain[],
  workspace: Workspace,
  journal: Journal | undefined,
  request: WatchRequest,
  context: AppContext,
): Promise<Look> {
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
        const followed = asks.filter(isPublished);
        return look(
          followed.flatMap((askStanding) => dnsWants(askStanding.ask.wants)),
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
const unique = (views: readonly View[]): View[] => distinct(views, keyOf);

/** Whether anything of an ask was ever published, so that there is something to follow. */
const isPublished = ({ state }: AskStanding): boolean => state !== "noted" && state !== "waiting" && state !== "clashing";

/** A service that did not confirm an ask although everyone sees it. */
interface Refusal {
  readonly standing: AskStanding;
  readonly tries: number;
  /** What it said last. */
  readonly reason: Clause;
}

/** A service that says no so often, although everyone sees the record, has another reason than waiting. */
const MAX_TRIES = 5;

/** Asks the services about everything that is settled: which asks they confirmed, and how many they may still confirm. */
async function askServices(
  surveys: readonly Survey[],
  workspace: Workspace,
  journal: Journal | undefined,
  request: WatchRequest,
  context: AppContext,
  refused: Map<string, Refusal>,
): Promise<{ readonly open: number; readonly confirmed: ReadonlySet<Ask> }> {
  let open = 0;
  const confirmed = new Set<Ask>();
  for (const { domain, asks } of surveys)
    for (const standing of asks.filter((candidate) => candidate.state === "settled")) {
      // A service without a link is asked on its own page, by the person who watches.
      if (journal === undefined || workspace.settings.services[standing.ask.service]?.link === undefined) continue;
      const options = { ...request, force: false, confirmed: false, note: undefined };
      const { verdict, asked } = await proveOne(standing, { domain, workspace, journal, request: options, context });
      const key = `${domain.name} ${standing.ask.id}`;
      const tries = (refused.get(key)?.tries ?? 0) + (asked.answer === "not-asked" ? 0 : 1);
      if (verdict === "proven") confirmed.add(standing.ask);
      else if (tries < MAX_TRIES) open += 1;
      if (verdict !== "proven" && tries > 0) refused.set(key, { standing, tries, reason: asked.reason });
    }
  return { open, confirmed };
}

/** What is settled, what is not. */
function conclude(surveys: readonly Survey[], confirmed: ReadonlySet<Ask>): Omit<Watched, "refused"> & { readonly ended: Ended } {
  const followed = surveys.flatMap(({ asks }) => asks.filter(isPublished));
  const done = followed.filter(({ piece }) => piece.is === "met");
  const lost = surveys.flatMap((one) => lossesShown(one.domain.name, one.lost));
  const unpublished = surveys.flatMap(({ asks }) =>
    asks.filter((standing) => !isPublished(standing) && standing.state !== "waiting"),
  );
  const ended = followed.some(({ piece }) => piece.is === "undetermined")
    ? "undetermined"
    : done.length === followed.length && lost.length + unpublished.length === 0
      ? "fine"
      : "problem";
  return {
    followed,
    unpublished,
    lost,
    done,
    proven: done.filter((askStanding) => askStanding.state === "proven" || confirmed.has(askStanding.ask)),
    ended,
  };
}

/** What {@link watch} is asked. */
export interface WatchRequest extends CommonRequest, DnsOptions {
  /** Milliseconds after which it stops. */
  readonly for: number | undefined;
  readonly until: "settled" | "proven";
}

/** Follows what was published until every vantage sees it, the services confirmed it, or `stop` ends it. */
export async function watch(
  request: WatchRequest,
  context: AppContext,
  sink: WatchSink,
  stop?: AbortSignal,
): Promise<Outcome<Watched>> {
  const workspace = openWorkspace(context.cwd, request.workspace);
  const domains = pickDomains(workspace, request.operands.map(nameOperand));
  const stopAt = request.for === undefined ? undefined : context.clock.now() + request.for;
  const journal = workspace.hasJournal ? await workspace.openJournal(context) : undefined;
  const last = new Map<string, View["sees"]>();
  const refused = new Map<string, Refusal>();
  try {
    for (;;) {
      const seen = await lookOnce(domains, workspace, journal, request, context);
      const { surveys, views, now } = seen;
      // Servers that do not answer for now are waited for; where nothing was ever published there is nothing to wait for.
      if (!surveys.some(({ asks }) => asks.some(isPublished)))
        throw new Failure("nothing-to-watch", { domains: domains.map((domain) => domain.name) });
      for (const view of views) {
        if (last.get(keyOf(view)) === view.sees) continue;
        last.set(keyOf(view), view.sees);
        sink.changed(view, now);
      }
      sink.looked(seen);
      const going = surveys.flatMap((one) => one.asks.filter(isPending));
      const { open, confirmed } =
        request.until === "proven" && going.length === 0 && stop?.aborted !== true
          ? await askServices(surveys, workspace, journal, request, context, refused)
          : { open: 0, confirmed: new Set<Ask>() };
      if (going.length + open === 0 || stop?.aborted === true || (stopAt !== undefined && now >= stopAt)) {
        if (journal !== undefined) for (const one of surveys) rememberSettled(journal, one, now);
        const { ended, ...result } = conclude(surveys, confirmed);
        const unproven = [...refused.values()].filter(
          ({ standing }) => !result.proven.some(({ ask }) => ask.id === standing.ask.id && ask.domain === standing.ask.domain),
        );
        return { ended: ended === "fine" && unproven.length > 0 ? "problem" : ended, result: { ...result, refused: unproven } };
      }
      const nextChange = Math.min(
        ...views.flatMap((view) => (view.sees !== "new" && view.keeps !== undefined ? [view.keeps * 1000] : [])),
        MAX_PAUSE,
      );
      const due = going.flatMap(({ visibility }) =>
        visibility === undefined || visibility.by <= now ? [] : [visibility.by - now],
      );
      const left = Math.min(stopAt === undefined ? MAX_PAUSE : stopAt - now, ...due);
      await context.clock.sleep(Math.max(MIN_PAUSE, Math.min(nextChange + 1000, MAX_PAUSE, left)), stop);
    }
  } finally {
    journal?.close();
  }
}
