import { resolve } from "node:path";
import { z } from "zod";
import { draftOf, draftSource, hostTitle, loadJournalState } from "../../app/asks/survey.ts";
import { type DnsContext, nameOperand, resolverOptions, spanOption, timeOption } from "../../app/dns/context.ts";
import { domainOperands, reading } from "../../app/session.ts";
import { record, withoutRootDot } from "../../app/shapes.ts";
import { type Change, type Clash, type Draft, draftCacheWindow, pending } from "../../core/change/index.ts";
import { type DomainName, displayName, isAtOrBelow, under } from "../../core/name/index.ts";
import { dataKey, printData, type RecordSet, setJson } from "../../core/record/index.ts";
import { timeline, visibleBy } from "../../core/spread/index.ts";
import { closest, EXIT, UserError } from "../../core/user-error.ts";
import { calendar, columns, count, deadline, isoTime, type Style, visible, wrap } from "../../present/index.ts";
import { type Domain, type Journal, type pickDomains, type Workspace, writeAtomically } from "../../workspace/index.ts";
import { type Arguments, type Context, command } from "../command.ts";

const change = z.object({
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

const result = z.object({
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
export type DraftResult = z.output<typeof result>;

/** The options that decide what a draft may do. */
export const DRAFTING = {
  replace: { type: "string", array: true, requiresArg: true, describe: "what stands at this name may be replaced (repeatable)" },
  only: { type: "string", array: true, requiresArg: true, describe: "only this ask, by its id (repeatable)" },
  into: { type: "string", requiresArg: true, describe: "compare with this master file, and publish into it" },
} as const;

/** A name of a domain as people write it: `www`, `@`, or in full. */
export function nameIn(text: string, domain: DomainName): DomainName {
  const full = nameOperand(text === "@" ? domain : text);
  return isAtOrBelow(full, domain) || text.endsWith(".") ? full : (under(full, domain) ?? full);
}

/** Computes the drafts of some domains; shared by draft and publish. */
export async function makeDrafts(
  args: Arguments,
  workspace: Workspace,
  dns: DnsContext,
  journal: Journal | undefined,
  domains: ReturnType<typeof pickDomains>,
): Promise<Draft[]> {
  const replace = (args.replace as string[] | undefined) ?? [];
  const only = args.only as string[] | undefined;
  for (const id of only ?? [])
    if (!domains.some((domain) => domain.asks.some((ask) => ask.id === id))) {
      const near = closest(
        id,
        domains.flatMap((domain) => domain.asks.map((ask) => ask.id)),
      );
      throw new UserError(
        `--only “${visible(id)}” is no ask${near === undefined ? "" : ` (did you mean ${near}?)`}: zandrel status lists them.`,
      );
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
const flagsOf = (args: Arguments): string =>
  ["replace", "only", "into"]
    .flatMap((option) => [args[option] ?? []].flat().map((value) => ` --${option} ${visible(String(value))}`))
    .join("");

/** The timeline of a launch, and its calendar file where one is wanted. */
function launchOf(
  drafts: readonly Draft[],
  domains: readonly Domain[],
  now: number,
  args: Arguments,
  context: Context,
): DraftResult["launch"] {
  const launch = timeOption(args, "launch");
  const file = args.calendar as string | undefined;
  if (launch === undefined) {
    if (file !== undefined)
      throw new UserError("--calendar wants --launch TIME: without it there is nothing to put into a calendar.");
    return null;
  }
  if (launch <= now) throw new UserError(`--launch ${args.launch} has passed already: give a time to come.`);
  const needsCertificate = domains.some((domain) =>
    domain.asks.some((ask) => ask.purpose === "site" || ask.purpose === "certificate" || ask.purpose === "redirect"),
  );
  const margin = needsCertificate ? (spanOption(args, "certificate-margin") ?? 0) / 1000 : 0;
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

/** The timeline for people. */
function presentLaunch(
  { steps, verdict, because }: NonNullable<DraftResult["launch"]>,
  now: number,
  { style, width }: Context,
): string {
  const rows = columns(
    steps.map(({ at, what }) => [deadline(Date.parse(at), now), what]),
    (cell, column) => (column === 0 ? style.strong(cell) : cell),
  );
  const paint = verdict === "in-time" ? style.good : verdict === "hurry" ? style.careful : style.bad;
  const title = { "in-time": "In time", hurry: "Hurry", "too-late": "Too late" }[verdict];
  return `\n${style.title("Back from the launch")}\n${steps.map((step, i) => `  ${rows[i]}${step.because === "" ? "" : `\n      ${style.quiet(wrap(step.because, width - 6, "      "))}`}`).join("\n")}\n${paint(title)}: ${because}.\n`;
}

interface WithDrafts extends DraftResult {
  readonly drafts: readonly Draft[];
}

export default command<DraftResult>({
  name: "draft",
  operands: "[DOMAIN..]",
  summary: "what would change in the zone, what is in the way, and when everyone would see it",
  examples: [
    ["zandrel draft brackwater.example", "compare what is wanted with what is live"],
    ["zandrel draft --launch 2026-03-09T09:00Z --calendar launch.ics", "the timeline backwards, also for a calendar"],
    ["zandrel draft brackwater.example --zone-file brackwater.zone --json", "compare with a master file, for another program"],
  ],
  options: {
    ...resolverOptions,
    ...DRAFTING,
    launch: {
      type: "string",
      requiresArg: true,
      describe: "work the timeline backwards from this time, such as 2026-03-09T09:00Z",
    },
    "certificate-margin": {
      type: "string",
      default: "2h",
      requiresArg: true,
      describe: "with --launch: time a certificate gets, where an ask is for a site",
    },
    calendar: {
      type: "string",
      requiresArg: true,
      describe: "with --launch: also write the timeline into this calendar file (.ics)",
    },
  },
  schema: result,
  async run(args, context) {
    return reading(args, context, domainOperands(args._), async ({ workspace, domains, dns }, journal) => {
      const drafts = await makeDrafts(args, workspace, dns, journal, domains);
      const hosts = Object.fromEntries(domains.map((domain) => [domain.name, hostTitle(domain, workspace)]));
      const shown: WithDrafts = {
        ...resultOf(drafts, dns.now, hosts),
        flags: flagsOf(args),
        launch: launchOf(drafts, domains, dns.now, args, context),
        drafts,
      };
      const exit = shown.undetermined.length > 0 ? EXIT.undetermined : shown.clashes.length > 0 ? EXIT.not : EXIT.ok;
      return { exit, result: shown };
    });
  },
  present: (shown, context) =>
    presentDrafts((shown as WithDrafts).drafts, shown, context) +
    (shown.launch === null ? "" : presentLaunch(shown.launch, Date.parse(shown.at), context)),
});
