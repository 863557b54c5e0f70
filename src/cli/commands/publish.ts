import { resolve } from "node:path";
import { z } from "zod";
import { survey } from "../../app/asks/survey.ts";
import { type ApplyOptions, expectPublishable, publishChanges, settleInterrupted } from "../../app/publishing/publication.ts";
import { publisherFor } from "../../app/publishing/publishers.ts";
import { domainOperands, writing } from "../../app/session.ts";
import { cause, withoutRootDot } from "../../app/shapes.ts";
import { type Change, pending, type SheetEntry } from "../../core/change/index.ts";
import { type DomainName, displayName } from "../../core/name/index.ts";
import { longestWindow, visibleBy } from "../../core/spread/index.ts";
import { EXIT, UserError } from "../../core/user-error.ts";
import { count, deadline, isoTime, sheetMarkdown, sheetPage, sheetText, visible, wrap } from "../../present/index.ts";
import { type Domain, writeAtomically } from "../../workspace/index.ts";
import { type Context, command } from "../command.ts";
import { DRAFTING, makeDrafts } from "./draft.ts";

const sheetEntry = z.object({
  action: z.enum(["enter", "delete", "not-offered"]),
  type: z.string(),
  host: z.string(),
  value: z.string(),
  priority: z.string().optional(),
  ttl: z.string(),
  note: z.string().optional(),
});

export const published = z.object({
  domain: z.string(),
  way: z.string(),
  to: z.string(),
  changed: z.number().describe("record sets changed, or to be entered by hand; 0 where everything was there already"),
  because: z.string(),
  visible: z.object({ latest: z.string().nullable(), because: z.string() }),
  sheet: z.array(sheetEntry).describe("what to enter into the DNS host's form; empty for the other ways"),
});
export type Published = z.output<typeof published>;

const result = z.object({
  at: z.string(),
  published: z.array(published),
  check: z
    .array(z.object({ ask: z.string(), domain: z.string(), entered: z.boolean(), causes: z.array(cause) }))
    .describe("with --check: what was entered, and what went wrong"),
});
type Result = z.output<typeof result>;

/** The options of the commands that carry something out. */
export const publishOptions = {
  resolver: {
    type: "string",
    array: true,
    requiresArg: true,
    describe: "ask this resolver instead of the workspace's vantages (repeatable)",
  },
  timeout: { type: "number", default: 5, requiresArg: true, describe: "longest wait for one answer, in seconds" },
} as const;

/** What was carried out for one domain, for every face; also where there was nothing to do. */
function publishedOf(
  domain: DomainName,
  { way, to }: { way: string; to: string },
  changes: readonly Change[],
  because: string,
  now: number,
  sheet: readonly SheetEntry[] = [],
): Published {
  const cacheWindow = longestWindow(changes.flatMap((change) => change.cacheWindow ?? []));
  const unknown = changes.length === 0 ? "nothing was changed" : "it is not known what stood there before";
  return {
    domain,
    way,
    to,
    changed: changes.length,
    because,
    visible:
      cacheWindow === undefined
        ? { latest: null, because: unknown }
        : { latest: isoTime(visibleBy(now, cacheWindow)), because: cacheWindow.because },
    sheet: sheet.map((entry) => ({ ...entry })),
  };
}

/** Carries changes of one domain out, the way its DNS host is reached; the one path of publish, undo and retire. */
export async function apply(domain: Domain, changes: readonly Change[], how: ApplyOptions): Promise<Published> {
  const publisher = publisherFor(domain, how.workspace, how.args, how.context);
  const outcome = await publishChanges(domain, changes, publisher, how);
  const sheet = outcome.kind === "by-hand" ? outcome.sheet : [];
  return publishedOf(domain.name, publisher, changes, outcome.because, how.context.clock.now(), sheet);
}

/** Writes the sheets into a file, as Markdown or as a page, by its ending. */
function writeSheet(file: string, entries: readonly Published[], context: Context): void {
  const sheets = entries.filter((one) => one.sheet.length > 0);
  const title = sheets.map((one) => `${displayName(one.domain as DomainName)} at ${one.to}`).join(", ");
  const all = sheets.flatMap((one) => one.sheet) as SheetEntry[];
  if (all.length === 0)
    throw new UserError("there is nothing to enter by hand, so no sheet was written: see zandrel draft.", EXIT.not);
  if (!/\.(md|html?)$/i.test(file)) throw new UserError(`--sheet ${visible(file)} wants a file that ends in .md or .html.`);
  writeAtomically(resolve(context.cwd, file), /\.md$/i.test(file) ? sheetMarkdown(title, all) : sheetPage(title, all));
}

export default command<Result>({
  name: "publish",
  operands: "[DOMAIN..]",
  summary: "carry the draft out: by signed dynamic update, helper program, into a master file, or as a sheet to fill in",
  examples: [
    ["zandrel publish brackwater.example", "the way its DNS host is reached"],
    ["zandrel publish brackwater.example --into brackwater.zone", "edit a master file in place"],
    ["zandrel publish brackwater.example --sheet entries.html", "a page to print, for a host that is reached by hand"],
    ["zandrel publish brackwater.example --check", "afterwards: what was entered wrongly, and how"],
  ],
  options: {
    ...DRAFTING,
    ...publishOptions,
    sheet: { type: "string", requiresArg: true, describe: "also write the fill-in sheet into this file, .md or .html" },
    check: {
      type: "boolean",
      default: false,
      describe: "look whether what was to be entered by hand is there, and what went wrong",
    },
  },
  schema: result,
  async run(args, context) {
    return writing(args, context, domainOperands(args._), async ({ workspace, domains, dns }, journal) => {
      for (const domain of domains)
        for (const line of await settleInterrupted(domain, dns, workspace, journal)) context.note(`${visible(line)}\n`);
      if (args.check === true) {
        const surveys = await Promise.all(domains.map((domain) => survey(domain, dns, workspace, journal)));
        const standings = surveys.flatMap((one) =>
          one.asks.filter(({ state }) => state !== "waiting").map((standing) => ({ domain: one.domain, ...standing })),
        );
        const check = standings.map(({ ask, domain, state, causes }) => ({
          ask: ask.id,
          domain: domain.name,
          entered: state === "spreading" || state === "settled" || state === "proven",
          causes: [...causes],
        }));
        const exit = standings.some(({ state }) => state === "unknown")
          ? EXIT.undetermined
          : check.every((one) => one.entered)
            ? EXIT.ok
            : EXIT.not;
        return { exit, result: { at: isoTime(dns.now), published: [], check } };
      }
      const drafts = await makeDrafts(args, workspace, dns, journal, domains);
      // Everything that can be wrong is found before the first change leaves.
      for (const draft of drafts) expectPublishable(draft);
      const ready = domains.map((domain, i) => ({ domain, changes: drafts[i] === undefined ? [] : pending(drafts[i]) }));
      // A way that is not set up right is found before anything is carried out, too.
      for (const { domain, changes } of ready) if (changes.length > 0) publisherFor(domain, workspace, args, context);
      const done: Published[] = [];
      for (const { domain, changes } of ready) {
        if (changes.length === 0) {
          done.push(publishedOf(domain.name, { way: "none", to: "" }, [], "everything asked for is there already", dns.now));
          continue;
        }
        const earlier = done.filter((one) => one.changed > 0).map((one) => displayName(one.domain as DomainName));
        const alreadyDone = earlier.length === 0 ? {} : { alreadyDone: earlier.join(", ") };
        done.push(await apply(domain, changes, { journal, workspace, args, context, ...alreadyDone }));
      }
      if (args.sheet !== undefined) writeSheet(args.sheet as string, done, context);
      return { exit: EXIT.ok, result: { at: isoTime(context.clock.now()), published: done, check: [] } };
    });
  },
  present({ published: all, check, at }, context) {
    const { style, width } = context;
    const checks = check.map(({ ask, entered, causes }) =>
      [
        `${entered ? style.good("✓ there ") : style.bad("✗ not there")}  ${style.strong(ask)}`,
        ...(entered
          ? []
          : causes
              .slice(0, 1)
              .flatMap((one) => [
                `  ${wrap(visible(one.because), width - 2, "  ")}`,
                `  ${style.careful("do:")} ${wrap(visible(one.remedy), width - 6, "      ")}`,
              ])),
        ...(entered || causes.length > 0 ? [] : ["  no trace of it was found; perhaps the form was not saved"]),
      ].join("\n"),
    );
    const blocks = [...checks, ...all.map((one) => presentPublished(one, Date.parse(at), context))];
    return `${blocks.join(checks.length > 0 ? "\n" : "\n\n")}\n`;
  },
});

export function presentPublished(
  { domain, way, changed, to, because, visible: seen, sheet }: Published,
  now: number,
  { style, width }: Context,
): string {
  const own = withoutRootDot(domain as DomainName);
  const title = displayName(domain as DomainName);
  if (changed === 0) return `${style.title(title)}  nothing to do: ${because}.`;
  if (way === "by-hand")
    return `${style.title(title)}  ${visible(because)}\n\n${sheetText(sheet as SheetEntry[], style)}\n\nNext: when everything is entered and saved, ${style.command(`zandrel publish ${own} --check`)}`;
  const by =
    seen.latest === null
      ? ""
      : `\nEveryone sees it by ${style.strong(deadline(Date.parse(seen.latest), now))} at the latest:\n${wrap(`${visible(seen.because)}.`, width)}`;
  const next = `\nDo not press verify at the service yet. Next: ${style.command(`zandrel watch ${own}`)}`;
  return `${style.title(title)}  ${style.good(`${count(changed, "record set")} published`)} at ${visible(to)}\n${wrap(`${visible(because)}.`, width)}${by}${next}`;
}
