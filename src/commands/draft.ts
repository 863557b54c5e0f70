import { z } from "zod";
import { type Change, type Clash, type Draft, draftHold, pending } from "../core/change/index.ts";
import { displayName } from "../core/name/index.ts";
import { dataKey, printData, type RecordSet, setJson } from "../core/record/index.ts";
import { visibleBy } from "../core/spread/index.ts";
import { EXIT } from "../core/user-error.ts";
import { count, deadline, isoTime, type Style, visible, wrap } from "../present/index.ts";
import { type Journal, openWorkspace, pickDomains, type Workspace } from "../workspace/index.ts";
import { type Arguments, type Context, command } from "./command.ts";
import { LOOKING, type Looking, nameOperand, openLooking } from "./looking.ts";
import { record, typed } from "./shapes.ts";
import { draftOf, draftSource, hostTitle, recall } from "./survey.ts";

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
const result = z.object({
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
  into: { type: "string", requiresArg: true, describe: "compare with this master file, and publish into it" },
} as const;

/** Computes the drafts of some domains; shared by draft and publish. */
export async function makeDrafts(
  args: Arguments,
  workspace: Workspace,
  looking: Looking,
  journal: Journal | undefined,
  domains: ReturnType<typeof pickDomains>,
): Promise<Draft[]> {
  const replace = new Set(((args.replace as string[] | undefined) ?? []).map(nameOperand));
  return Promise.all(
    domains.map(async (domain): Promise<Draft> => {
      const looked = await looking.look(domain);
      const source = draftSource(domain, looked, looking, workspace, args.into as string | undefined);
      const memory = recall(journal, domain.name);
      if (source !== undefined) return draftOf(domain, source, looking.world, memory, looking.now, replace);
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
  const holds = drafts.flatMap((draft) => draftHold(draft) ?? []);
  const last = holds.reduce<(typeof holds)[number] | undefined>(
    (longest, hold) => (longest === undefined || hold.seconds > longest.seconds ? hold : longest),
    undefined,
  );
  return {
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
  { hosts, visible: seen, at }: DraftResult,
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
  const names = drafts.map((draft) => typed(draft.domain)).join(" ");
  const next =
    unknown.length > 0
      ? "\nWhat is unknown could not be asked; try again when the name servers answer."
      : clashes.length > 0
        ? "\nNext: clear the clashes in one of the ways named."
        : changes.length > 0
          ? `\nNext: ${style.command(`zandrel publish ${names}`)}`
          : "\nEverything asked for is there.";
  return `${blocks.join("\n\n")}\n\n${total}${when}${next}\n`;
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
    ["zandrel draft brackwater.example --zone-file brackwater.zone --json", "compare with a master file, for another program"],
  ],
  options: { ...LOOKING, ...DRAFTING },
  schema: result,
  async run(args, context) {
    const workspace = openWorkspace(context.cwd, args.workspace as string | undefined);
    const domains = pickDomains(workspace, args._.map(nameOperand));
    const looking = openLooking(
      args,
      context,
      workspace.settings,
      domains.map((domain) => domain.name),
    );
    let journal: Journal | undefined;
    try {
      journal = workspace.hasJournal && !looking.fromFiles ? await workspace.openJournal() : undefined;
      const drafts = await makeDrafts(args, workspace, looking, journal, domains);
      const hosts = Object.fromEntries(domains.map((domain) => [domain.name, hostTitle(domain, workspace)]));
      const shown: WithDrafts = { ...resultOf(drafts, looking.now, hosts), drafts };
      const exit = shown.undetermined.length > 0 ? EXIT.undetermined : shown.clashes.length > 0 ? EXIT.not : EXIT.ok;
      return { exit, result: shown };
    } finally {
      journal?.close();
      looking.close();
    }
  },
  present: (shown, context) => presentDrafts((shown as WithDrafts).drafts, shown, context),
});
