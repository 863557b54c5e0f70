import { z } from "zod";
import { draftSource } from "../../app/asks/survey.ts";
import { settleInterrupted } from "../../app/publishing/publication.ts";
import { writing } from "../../app/session.ts";
import { record } from "../../app/shapes.ts";
import { retireAsk } from "../../core/change/index.ts";
import { type DomainName, displayName } from "../../core/name/index.ts";
import { dataKey, type RecordData, type RecordSet, setJson } from "../../core/record/index.ts";
import { EXIT, UserError } from "../../core/user-error.ts";
import { count, isoTime, visible, wrap } from "../../present/index.ts";
import { type Domain, type Publication, removeAsk, type Workspace } from "../../workspace/index.ts";
import { command } from "../command.ts";
import { nameIn } from "./draft.ts";
import { targetsOf } from "./prove.ts";
import { apply, presentPublished, published, publishOptions } from "./publish.ts";

const result = z.object({
  at: z.string(),
  ask: z.string(),
  domain: z.string(),
  written: z.boolean(),
  removals: z.array(z.object({ name: z.string(), type: z.string(), before: z.array(record), after: z.array(record) })),
  stays: z.array(z.object({ name: z.string(), type: z.string(), data: z.string(), because: z.string() })),
  published: published.nullable(),
});

/** Whether the journal shows that Zandrel put a record there: a publication brought it, and it was not there before. */
const ours =
  (publications: readonly Publication[]) =>
  (set: RecordSet, data: RecordData): boolean => {
    const key = dataKey(set.type, data);
    const has = (one: RecordSet | undefined) => one?.data.some((other) => dataKey(set.type, other) === key) === true;
    return publications.some(
      ({ opened, closed }) =>
        closed?.end === "published" &&
        opened.changes.some(
          (change) => change.name === set.name && change.type === set.type && has(change.after) && !has(change.before),
        ),
    );
  };

export default command<z.output<typeof result>>({
  name: "retire",
  operands: "ASK",
  summary: "end an ask: remove the records that only it needed and that Zandrel put there, and take it out of its file",
  examples: [
    ["zandrel retire seekmere-ownership --dry-run", "show what would go and what stays"],
    ["zandrel retire pagewick-site", "carry it out"],
  ],
  options: {
    ...publishOptions,
    into: { type: "string", requiresArg: true, describe: "remove the records in this master file" },
    replace: {
      type: "string",
      array: true,
      requiresArg: true,
      describe: "also remove what somebody else put at this name (repeatable)",
    },
    "dry-run": { type: "boolean", default: false, describe: "show what would go and what stays, change nothing" },
  },
  schema: result,
  async run(args, context) {
    if (args._.length !== 1) throw new UserError("zandrel retire wants one ask: for example zandrel retire seekmere-ownership.");
    const [id] = args._;
    const pick = (workspace: Workspace) => [...targetsOf(workspace, args._).keys()];
    return writing(args, context, pick, async ({ workspace, domains, dns }, journal) => {
      const [domain] = domains as [Domain];
      const ask = domain.asks.find((one) => one.id === id);
      if (ask === undefined) throw new UserError("zandrel retire wants one ask by its id: zandrel status lists them.");
      const waiting = domain.asks.filter((other) => other.after.includes(ask.id));
      if (waiting.length > 0)
        throw new UserError(
          `${waiting.map((other) => other.id).join(", ")} waits for ${ask.id}: retire that first, or take it out of its after: list in ${domain.path}.`,
        );
      await settleInterrupted(domain, dns, workspace, journal);
      const source = draftSource(domain, await dns.look(domain), dns, workspace);
      if (source === undefined)
        throw new UserError(
          `nothing was retired, because ${displayName(domain.name)} could not be looked at: try again when its name servers answer.`,
          EXIT.undetermined,
        );
      const named = new Set(((args.replace as string[] | undefined) ?? []).map((text) => nameIn(text, domain.name)));
      const retirement = await retireAsk({
        ask,
        others: domain.asks.filter((other) => other !== ask),
        lookup: source,
        isOurs: ours(journal.publications(domain.name)),
        named,
      });
      const [unseen] = retirement.undetermined;
      if (unseen !== undefined)
        throw new UserError(
          `nothing was retired, because the zone could not be looked at: ${unseen.because}; try again when it answers.`,
          EXIT.undetermined,
        );
      const { changes } = retirement;
      const dry = args["dry-run"] === true;
      const carried = dry || changes.length === 0 ? null : await apply(domain, changes, { journal, workspace, args, context });
      if (!dry) {
        journal.exclusively(() => {
          removeAsk(domain, ask.id);
          journal.append(context.clock.now(), domain.name, {
            kind: "ask-retired",
            ask: ask.id,
            because: `${count(changes.length, "record set")} changed`,
          });
        });
      }
      return {
        exit: EXIT.ok,
        result: {
          at: isoTime(context.clock.now()),
          ask: ask.id,
          domain: domain.name,
          written: !dry,
          removals: changes.map((change) => ({
            name: change.name,
            type: change.type,
            before: setJson(change.before),
            after: setJson(change.after),
          })),
          stays: [...retirement.stays],
          published: carried,
        },
      };
    });
  },
  present({ ask, domain, written, removals, stays, published: carried, at }, context) {
    const { style, width } = context;
    const gone = removals.map(({ name, type, before, after }) => {
      const left = new Set(after.map((one) => JSON.stringify(one.data)));
      const lines = before
        .filter((one) => !left.has(JSON.stringify(one.data)))
        .map(
          (one) =>
            `    ${style.removed(`- ${visible(typeof one.data === "string" ? one.data : Object.values(one.data).join(" "))}`)}`,
        );
      const came = after
        .filter((one) => !before.some((other) => JSON.stringify(other.data) === JSON.stringify(one.data)))
        .map((one) => `    ${style.added(`+ ${visible(String(one.data))}`)}`);
      return [`  ${displayName(name as DomainName)}  ${type}`, ...lines, ...came].join("\n");
    });
    const kept = stays.map(
      (one) =>
        `  ${style.careful("stays")}  ${displayName(one.name as DomainName)}  ${one.type}  ${visible(one.data)}\n         ${wrap(visible(one.because), width - 9, "         ")}`,
    );
    const title = `${style.title(ask)}  ${style.quiet(displayName(domain as DomainName))}`;
    const none = removals.length === 0 ? ["  no record goes"] : [];
    const end = written ? `${style.good("Retired.")} It is no longer in its file.` : "Nothing was changed, because of --dry-run.";
    return `${[title, ...gone, ...none, ...kept].join("\n")}\n${carried === null ? "" : `${presentPublished(carried, Date.parse(at), context)}\n`}${end}\n`;
  },
});
