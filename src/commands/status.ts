import { z } from "zod";
import { STATES, type State } from "../core/ask/index.ts";
import { type DomainName, displayName } from "../core/name/index.ts";
import { EXIT, type ExitCode } from "../core/user-error.ts";
import { columns, count, deadline, isoTime, moment, STATE_MARK, visible, wrap } from "../present/index.ts";
import { command } from "./command.ts";
import { LOOKING } from "./looking.ts";
import { settleInterrupted } from "./publication.ts";
import { domainOperands, reading } from "./session.ts";
import { typed } from "./shapes.ts";
import { type AskStanding, hostTitle, rememberSettled, survey } from "./survey.ts";

const result = z.object({
  at: z.string(),
  domains: z.array(
    z.object({
      domain: z.string(),
      role: z.string(),
      host: z.string(),
      asks: z.array(
        z.object({
          id: z.string(),
          service: z.string(),
          purpose: z.string(),
          state: z.enum(STATES),
          because: z.string(),
          next: z.string().describe("the command or step that comes next; empty where nothing is left to do"),
          visibleBy: z.string().nullable().describe("when everyone sees what was published, at the latest"),
        }),
      ),
      interrupted: z.array(z.string()).describe("publications that broke off, and what became of them"),
    }),
  ),
});
type Result = z.output<typeof result>;

/** The step that brings an ask on from where it stands. */
export function nextStep({ ask, state, causes }: AskStanding, domain: DomainName): string {
  const name = typed(domain);
  switch (state) {
    case "waiting":
      return `zandrel prove ${ask.after[0]}`;
    case "noted":
    case "clashing":
    case "lapsed":
      return ask.web === undefined ? `zandrel draft ${name}` : (causes[0]?.remedy ?? `zandrel prove ${ask.id}`);
    case "astray":
      return causes[0]?.remedy ?? `zandrel prove ${ask.id}`;
    case "spreading":
      return `zandrel watch ${name}`;
    case "settled":
      return `zandrel prove ${ask.id}`;
    case "unknown":
      return "zandrel status, once the name servers answer";
    case "proven":
      return "";
  }
}

const WANTED: ReadonlySet<State> = new Set(["settled", "proven"]);

/** The exit code of a list of states: 3 where something could not be asked, 1 where something is not as wanted. */
export function exitFor(states: readonly State[]): ExitCode {
  if (states.includes("unknown")) return EXIT.undetermined;
  return states.every((state) => WANTED.has(state)) ? EXIT.ok : EXIT.not;
}

export default command<Result>({
  name: "status",
  operands: "[DOMAIN..]",
  summary: "where every ask stands, and the next step for each",
  examples: [
    ["zandrel status", "all domains of the workspace"],
    ["zandrel status brackwater.example --json", "one domain, for another program"],
  ],
  options: LOOKING,
  schema: result,
  async run(args, context) {
    return reading(args, context, domainOperands(args._), async ({ workspace, domains, looking }, journal) => {
      const observes = !looking.fromFiles && args.at === undefined;
      const shown: Result["domains"] = [];
      for (const domain of domains) {
        const interrupted =
          journal === undefined || !observes ? [] : await settleInterrupted(domain, looking, workspace, journal);
        const surveyed = await survey(domain, looking, workspace, journal);
        if (journal !== undefined && observes) rememberSettled(journal, surveyed, looking.now);
        shown.push({
          domain: domain.name,
          role: domain.role,
          host: hostTitle(domain, workspace),
          asks: surveyed.asks.map((standing) => ({
            id: standing.ask.id,
            service: standing.ask.service,
            purpose: standing.ask.purpose,
            state: standing.state,
            because: standing.because,
            next: nextStep(standing, domain.name),
            visibleBy: standing.visibility === undefined ? null : isoTime(standing.visibility.by),
          })),
          interrupted,
        });
      }
      return {
        exit: exitFor(shown.flatMap((domain) => domain.asks.map((ask) => ask.state))),
        result: { at: isoTime(looking.now), domains: shown },
      };
    });
  },
  present({ domains, at }, { style, width }) {
    if (domains.length === 0) return `No domain yet. Next: ${style.command("zandrel init DOMAIN")}\n`;
    const now = Date.parse(at);
    const blocks = domains.map(({ domain, role, host, asks, interrupted }) => {
      const heading = `${style.title(displayName(domain as DomainName))}  ${style.quiet(`${role}, ${visible(host)}, as of ${moment(now, now)}`)}`;
      const rows = columns(
        asks.map((ask) => [`${STATE_MARK[ask.state]} ${ask.state}`, ask.id, `${ask.service}, ${ask.purpose}`]),
        (cell, column, row) =>
          column === 0 ? style.state(asks[row]?.state ?? "", cell) : column === 1 ? style.strong(cell) : cell,
      );
      const lines = asks.flatMap((ask, i) => {
        const by =
          ask.state === "spreading" && ask.visibleBy !== null
            ? `; everyone sees it by ${style.strong(deadline(Date.parse(ask.visibleBy), now))} at the latest`
            : "";
        return [
          `  ${rows[i]}`,
          `    ${wrap(visible(ask.because), width - 6, "    ")}${by}`,
          ...(ask.next === ""
            ? []
            : [`    next: ${ask.next.startsWith("zandrel ") ? style.command(ask.next) : visible(ask.next)}`]),
        ];
      });
      const broken = interrupted.map((line) => `  ${style.careful("!")} ${wrap(visible(line), width - 6, "    ")}`);
      return [
        heading,
        ...broken,
        ...(lines.length === 0 ? [`  nothing was asked yet; next: ${style.command("zandrel intake")}`] : lines),
      ].join("\n");
    });
    const total = domains.flatMap((domain) => domain.asks);
    const done = total.filter((ask) => ask.state === "proven").length;
    return `${blocks.join("\n\n")}\n\n${count(total.length, "ask")}, ${done} proven.\n`;
  },
});
