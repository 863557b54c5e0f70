import { z } from "zod";
import { hostTitle, nextStep, rememberSettled, survey } from "../../app/asks/survey.ts";
import { resolverOptions } from "../../app/dns/context.ts";
import { settleInterrupted } from "../../app/publishing/publication.ts";
import { domainOperands, reading } from "../../app/session.ts";
import { withoutRootDot } from "../../app/shapes.ts";
import { STATES, type State } from "../../core/ask/index.ts";
import { type DomainName, displayName } from "../../core/name/index.ts";
import { EXIT, type ExitCode } from "../../core/user-error.ts";
import { columns, count, deadline, isoTime, moment, STATE_MARK, visible, wrap } from "../../present/index.ts";
import type { Journal } from "../../workspace/index.ts";
import { command } from "../command.ts";

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
      senders: z
        .array(z.object({ service: z.string(), address: z.string().nullable(), state: z.string(), next: z.string() }))
        .describe("sender addresses, and the domain itself where address is null, as each service last said"),
      interrupted: z.array(z.string()).describe("publications that broke off, and what became of them"),
    }),
  ),
});
type Result = z.output<typeof result>;

const WANTED: ReadonlySet<State> = new Set(["settled", "proven"]);

/** The exit code of a list of states: 3 where something could not be asked, 1 where something is not as wanted. */
export function exitFor(states: readonly State[]): ExitCode {
  if (states.includes("unknown")) return EXIT.undetermined;
  return states.every((state) => WANTED.has(state)) ? EXIT.ok : EXIT.not;
}

function exitOf(domains: Result["domains"]): ExitCode {
  const asks = exitFor(domains.flatMap((domain) => domain.asks.map((ask) => ask.state)));
  return asks === EXIT.ok && domains.some(({ senders }) => senders.some((one) => one.next !== "")) ? EXIT.not : asks;
}

/** Addresses and domains at services, as they were said last; asking again is the next step of those that are not done. */
function sendersOf(journal: Journal, domain: DomainName): Result["domains"][number]["senders"] {
  const last = new Map(journal.entries(domain, "sender-state").map((entry) => [`${entry.service} ${entry.address}`, entry]));
  return [...last.values()].map(({ service, address, state }) => {
    const done = state === "confirmed" || state === "accepted";
    const call =
      address === undefined
        ? `zandrel sender domain ${service} ${withoutRootDot(domain)}`
        : `zandrel sender address ${service} ${address}`;
    return { service, address: address ?? null, state, next: done ? "" : call };
  });
}

export default command<Result>({
  name: "status",
  operands: "[DOMAIN..]",
  summary: "where every ask stands, and the next step for each",
  examples: [
    ["zandrel status", "all domains of the workspace"],
    ["zandrel status brackwater.example --json", "one domain, for another program"],
  ],
  options: resolverOptions,
  schema: result,
  async run(args, context) {
    return reading(args, context, domainOperands(args._), async ({ workspace, domains, dns }, journal) => {
      const observes = !dns.fromFiles && args.at === undefined;
      const shown: Result["domains"] = [];
      for (const domain of domains) {
        const interrupted = journal === undefined || !observes ? [] : await settleInterrupted(domain, dns, workspace, journal);
        const surveyed = await survey(domain, dns, workspace, journal);
        if (journal !== undefined && observes) rememberSettled(journal, surveyed, dns.now);
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
          senders: journal === undefined ? [] : sendersOf(journal, domain.name),
          interrupted,
        });
      }
      return {
        exit: exitOf(shown),
        result: { at: isoTime(dns.now), domains: shown },
      };
    });
  },
  present({ domains, at }, { style, width }) {
    if (domains.length === 0) return `No domain yet. Next: ${style.command("zandrel init DOMAIN")}\n`;
    const now = Date.parse(at);
    const blocks = domains.map(({ domain, role, host, asks, senders, interrupted }) => {
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
      const mail = senders.flatMap(({ service, address, state, next }) => [
        `  ${next === "" ? style.good(`✓ ${state}`) : style.careful(`○ ${state}`)}  ${visible(address ?? "the domain")} at ${service}`,
        ...(next === "" ? [] : [`    next: ${style.command(next)}`]),
      ]);
      return [
        heading,
        ...broken,
        ...(lines.length === 0 ? [`  nothing was asked yet; next: ${style.command("zandrel intake")}`] : lines),
        ...mail,
      ].join("\n");
    });
    const total = domains.flatMap((domain) => domain.asks);
    const done = total.filter((ask) => ask.state === "proven").length;
    return `${blocks.join("\n\n")}\n\n${count(total.length, "ask")}, ${done} proven.\n`;
  },
});
