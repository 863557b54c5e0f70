import { z } from "zod";
import { record, withoutRootDot } from "../shapes.ts";
import { visible, isoTime, type Style, wrap, count, deadline, calendar } from "../../present/index.ts";
import { timeline, visibleBy } from "../../core/spread/index.ts";
import { type DomainName, isAtOrBelow, under, displayName } from "../../core/name/index.ts";
import { nameOperand, type DnsContext, type DnsOptions } from "../dns/context.ts";
import { type Workspace, type Journal, type pickDomains, type Domain, writeAtomically } from "../../workspace/index.ts";
import { type Draft, draftCacheWindow, type Change, type Clash, pending } from "../../core/change/index.ts";
import { closest, Failure } from "../../core/failure.ts";
import { draftSource, loadJournalState, draftOf, hostTitle } from "../asks/survey.ts";
import { setJson, type RecordSet, dataKey, printData } from "../../core/record/index.ts";
import { resolve } from "node:path";
import { type CommonRequest, type AppContext, type Outcome } from "../context.ts";
import { reading, domainOperands } from "../session.ts";

export const change = z.object({
  domain: z.string(),
  action: z.enum(["add", "replace", "merge", "remove", "keep"]),
  name: z.string(),
  type: z.string(),
  before: z.array(record),
  after: z.array(record),
  because: z.string(),
  asks: z.array(z.string()),
});

const clash = z.object({
  domain: z.string(),
  kind: z.string(),
  name: z.string(),
  type: z.string(),
  ask: z.string(),
  because: z.string(),
  breaks: z.string(),
  waysOut: z.array(z.string()),
});

const launchStep = z.object({
  at: z.string(),
  kind: z.enum(["lower-ttl", "publish", "visible", "ask-service", "launch"]),
  what: z.string(),
  because: z.string(),
});

export const draftSchema = z.object({
  flags: z.string().describe("the options that publish needs to carry out the same draft"),
  launch: z
    .object({ verdict: z.enum(["in-time", "hurry", "too-late"]), because: z.string(), steps: z.array(launchStep) })
    .nullable()
    .describe("with --launch: the timeline, worked out backwards"),
  at: z.string(),
  changes: z.array(change),
  clashes: z.array(clash),
  undetermined: z.array(z.object({ domain: z.string(), name: z.string(), type: z.string(), because: z.string() })),
  visible: z.object({ latest: z.string().nullable(), because: z.string() }),
  hosts: z.record(z.string(), z.string()).describe("the DNS host of each domain, for people"),
});

export type DraftResult = z.output<typeof draftSchema>;

/** A name of a domain as people write it: `www`, `@`, or in full. */
export function nameIn(text: string, domain: DomainName): DomainName {
  const full = nameOperand(text === "@" ? domain : text);
  return isAtOrBelow(full, domain) || text.endsWith(".") ? full : (under(full, domain) ?? full);
}

/** Computes the drafts of some domains; shared by draft and publish. */
export async function makeDrafts(
  request: DraftRequest,
  workspace: Workspace,
  dns: DnsContext,
  journal: Journal | undefined,
  domains: ReturnType<typeof pickDomains>,
): Promise<Draft[]> {
  const replace = request.replace ?? [];
  const only = request.only;
  for (const id of only ?? [])
    if (!domains.some((domain) => domain.asks.some((ask) => ask.id === id))) {
      const near = closest(
        id,
        domains.flatMap((domain) => domain.asks.map((ask) => ask.id)),
      );
      throw new Failure("unknown-ask", { given: id, known: domains.flatMap((domain) => domain.asks.map((ask) => ask.id)) });
    }
  return Promise.all(
    domains.map(async (whole): Promise<Draft> => {
      const domain = only === undefined ? whole : { ...whole, asks: whole.asks.filter((ask) => only.includes(ask.id)) };
      const looked = await dns.look(domain);
      const source = draftSource(domain, looked, dns, workspace);
      const journalled = loadJournalState(journal, domain.name);
      const named = new Set(replace.map((text) => nameIn(text, domain.name)));
      if (source !== undefined) return draftOf(whole, source, dns.world, journalled, dns.now, named, only);
      const because =
        looked.authority.kind === "delegated" ? "none of its name servers has an address" : looked.authority.because;
      const sets = domain.asks.flatMap((ask) =>
        ask.wanted.map((set) => ({ name: set.name, type: set.type, because, asks: [ask.id] })),
      );
      return { domain: domain.name, changes: [], clashes: [], undetermined: sets };
    }),
  );
}

/** The drafts as one result: what every face shows. */
export function resultOf(drafts: readonly Draft[], now: number, hosts: Readonly<Record<string, string>>): DraftResult {
  const met = drafts.flatMap((draft) => draftCacheWindow(draft) ?? []);
  const last = met.reduce<(typeof met)[number] | undefined>(
    (longestWindow, cacheWindow) =>
      longestWindow === undefined || cacheWindow.seconds > longestWindow.seconds ? cacheWindow : longestWindow,
    undefined,
  );
  return {
    flags: "",
    launch: null,
    at: isoTime(now),
    changes: drafts.flatMap((draft) =>
      draft.changes.map(({ action, name, type, before, after, because, asks }: Change) => ({
        domain: draft.domain,
        action,
        name,
        type,
        before: setJson(before),
        after: setJson(after),
        because,
        asks: [...asks],
      })),
    ),
    clashes: drafts.flatMap((draft) =>
      draft.clashes.map((one: Clash) => ({ domain: draft.domain, ...one, waysOut: [...one.waysOut] })),
    ),
    undetermined: drafts.flatMap((draft) =>
      draft.undetermined.map(({ name, type, because }) => ({ domain: draft.domain, name, type, because })),
    ),
    visible:
      last === undefined
        ? { latest: null, because: "nothing would change" }
        : { latest: isoTime(visibleBy(now, last)), because: last.because },
    hosts,
  };
}

/** The lines of a change: what goes, what comes, what stays. */
function changeLines(
  { before, after, type }: { before: RecordSet | undefined; after: RecordSet | undefined; type: string },
  style: Style,
): string[] {
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

export function presentDrafts(
  drafts: readonly Draft[],
  { hosts, visible: seen, at, flags }: DraftResult,
  { style, width }: Context,
): string {
  const now = Date.parse(at);
  const blocks = drafts.map((draft) => {
    const lines = [`${style.title(displayName(draft.domain))}  ${style.quiet(visible(hosts[draft.domain] ?? ""))}`];
    for (const one of draft.changes) {
      lines.push(`  ${style.strong(one.action.padEnd(7))}  ${displayName(one.name)}  ${one.type}`);
      lines.push(...changeLines(one, style).map((line) => `           ${line}`));
      lines.push(`           ${style.quiet(wrap(visible(one.because), width - 12, "           "))}`);
    }
    for (const one of draft.clashes) {
      lines.push(`  ${style.bad("clash")}    ${displayName(one.name)}  ${one.type}  ${style.quiet(`asked by ${one.ask}`)}`);
      lines.push(`           ${wrap(visible(one.because), width - 12, "           ")}`);
      lines.push(`           ${wrap(`If it goes: ${visible(one.breaks)}.`, width - 12, "           ")}`);
      lines.push(
        ...one.waysOut.map((way) => `           ${style.careful("way out:")} ${wrap(visible(way), width - 21, "           ")}`),
      );
    }
    for (const one of draft.undetermined)
      lines.push(
        `  ${style.state("unknown", "unknown")}  ${displayName(one.name)}  ${one.type}\n           ${wrap(visible(one.because), width - 12, "           ")}`,
      );
    if (lines.length === 1) lines.push("  nothing was asked that can be published now");
    return lines.join("\n");
  });
  const changes = drafts.flatMap(pending);
  const clashes = drafts.flatMap((draft) => draft.clashes);
  const unknown = drafts.flatMap((draft) => draft.undetermined);
  const total = `${count(changes.length, "record set")} would change, ${count(clashes.length, "clash", "clashes")}; nothing has been changed.`;
  const when =
    seen.latest === null
      ? ""
      : `\nIf it is published now, everyone sees it by ${style.strong(deadline(Date.parse(seen.latest), now))} at the latest:\n${wrap(`${seen.because}.`, width)}`;
  const names = drafts.map((draft) => withoutRootDot(draft.domain)).join(" ");
  const next =
    unknown.length > 0
      ? "\nWhat is unknown could not be asked; try again when the name servers answer."
      : clashes.length > 0
        ? "\nNext: clear the clashes in one of the ways named."
        : changes.length > 0
          ? `\nNext: ${style.command(`zandrel publish ${names}${flags}`)}`
          : "\nEverything asked for is there.";
  return `${blocks.join("\n\n")}\n\n${total}${when}${next}\n`;
}

/** The options of this draft that publishing it needs too. */
const flagsOf = (request: DraftRequest): string =>
  ["replace", "only", "into"]
    .flatMap((option) => [request[option] ?? []].flat().map((value) => ` --${option} ${visible(String(value))}`))
    .join("");

/** The timeline of a launch, and its calendar file where one is wanted. */
function launchOf(
  drafts: readonly Draft[],
  domains: readonly Domain[],
  now: number,
  request: DraftRequest,
  context: Context,
): DraftResult["launch"] {
  const launch = request.launch;
  const file = request.calendar;
  if (launch === undefined) {
    if (file !== undefined)
      throw new Failure("calendar-without-launch", {});
    return null;
  }
  if (launch <= now) throw new Failure("launch-passed", { at: launch, now });
  const needsCertificate = domains.some((domain) =>
    domain.asks.some((ask) => ask.purpose === "site" || ask.purpose === "certificate" || ask.purpose === "redirect"),
  );
  const margin = needsCertificate ? (request.certificateMargin ?? 0) / 1000 : 0;
  const changes = drafts
    .flatMap(pending)
    .flatMap(({ before, cacheWindow }) => (cacheWindow === undefined ? [] : [{ before, cacheWindow }]));
  const { steps, verdict, because } = timeline(changes, launch, now, margin);
  if (file !== undefined) {
    const names = domains.map((domain) => displayName(domain.name)).join(", ");
    writeAtomically(
      resolve(context.cwd, file),
      calendar(
        steps.map(({ at, what, because: text }) => ({ at, title: `${names}: ${what}`, text })),
        now,
      ),
    );
  }
  return { verdict, because, steps: steps.map((step) => ({ ...step, at: isoTime(step.at) })) };
}

export interface WithDrafts extends DraftResult {
  readonly drafts: readonly Draft[];
}

/** What {@link draft} is asked. */
export interface DraftRequest extends CommonRequest, DnsOptions {
  readonly launch: number | undefined;
  readonly certificateMargin: number;
  readonly calendar: string | undefined;
}


/** What would change in the zone, what is in the way, and when everyone would see it. */
export async function draft(request: DraftRequest, context: AppContext): Promise<Outcome<DraftResult>> {
    return reading(request, context, domainOperands(request.operands), async ({ workspace, domains, dns }, journal) => {
      const drafts = await makeDrafts(request, workspace, dns, journal, domains);
      const hosts = Object.fromEntries(domains.map((domain) => [domain.name, hostTitle(domain, workspace)]));
      const shown: WithDrafts = {
        ...resultOf(drafts, dns.now, hosts),
        flags: flagsOf(request),
        launch: launchOf(drafts, domains, dns.now, request, context),
        drafts,
      };
      const ended = shown.undetermined.length > 0 ? "undetermined" : shown.clashes.length > 0 ? "problem" : "fine";
      return { ended, result: shown };
    });
  }

