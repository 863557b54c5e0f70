import { z } from "zod";
import { type AskStanding, survey, wantedText } from "../../app/asks/survey.ts";
import { resolverOptions } from "../../app/dns/context.ts";
import { linkOf } from "../../app/services/services.ts";
import { writing } from "../../app/session.ts";
import { cause, withoutRootDot } from "../../app/shapes.ts";
import { STATES } from "../../core/ask/index.ts";
import { type DomainName, displayName, parseName } from "../../core/name/index.ts";
import { printRecord, recordsOf } from "../../core/record/index.ts";
import { closest, EXIT, type ExitCode, UserError } from "../../core/user-error.ts";
import { askLink } from "../../net/service-link.ts";
import { deadline, isoTime, STATE_MARK, visible, wrap } from "../../present/index.ts";
import type { Domain, Journal, Workspace } from "../../workspace/index.ts";
import { type Arguments, type Context, command } from "../command.ts";

const VERDICTS = ["proven", "found", "astray", "absent", "unknown"] as const;
type Verdict = (typeof VERDICTS)[number];

const result = z.object({
  at: z.string(),
  asks: z.array(
    z.object({
      id: z.string(),
      domain: z.string(),
      service: z.string(),
      state: z.enum(STATES),
      verdict: z.enum(VERDICTS),
      because: z.string(),
      causes: z.array(cause).describe("why it is not found, the likeliest first"),
      asked: z
        .object({ answer: z.enum(["accepted", "not-yet", "not-asked", "failed"]), reason: z.string() })
        .describe("what the service said"),
      visibleBy: z.string().nullable(),
    }),
  ),
});
type Result = z.output<typeof result>;
type Shown = Result["asks"][number];

/** What the command is about: whole domains, or single asks by their id. */
export function targetsOf(workspace: Workspace, operands: readonly string[]): Map<Domain, ReadonlySet<string>> {
  const targets = new Map<Domain, Set<string>>();
  const add = (domain: Domain, ids: readonly string[]) => targets.set(domain, new Set([...(targets.get(domain) ?? []), ...ids]));
  for (const operand of operands.length > 0 ? operands : workspace.domains.map((domain) => domain.name)) {
    const parsed = parseName(operand);
    const domain = parsed.ok ? workspace.domains.find((one) => one.name === parsed.value) : undefined;
    const holders = workspace.domains.filter((one) => one.asks.some((ask) => ask.id === operand));
    if (domain !== undefined)
      add(
        domain,
        domain.asks.map((ask) => ask.id),
      );
    else if (holders.length === 1) add(holders[0] as Domain, [operand]);
    else if (holders.length > 1)
      throw new UserError(
        `${operand} is an ask of ${holders.map((one) => withoutRootDot(one.name)).join(" and ")}: name the domain instead.`,
      );
    else {
      const near = closest(
        operand,
        workspace.domains.flatMap((one) => [withoutRootDot(one.name), ...one.asks.map((ask) => ask.id)]),
      );
      throw new UserError(
        `“${visible(operand)}” is no domain and no ask of this workspace${near === undefined ? "" : ` (did you mean ${near}?)`}: zandrel status lists them.`,
      );
    }
  }
  return targets;
}

/** Asks the service over its link, where it has one. */
async function askTheService(
  { ask }: AskStanding,
  domain: Domain,
  workspace: Workspace,
  args: Arguments,
  context: Context,
): Promise<Shown["asked"]> {
  const service = workspace.settings.services[ask.service];
  if (service?.link === undefined)
    return {
      answer: "not-asked",
      reason: `${service?.title ?? ask.service} cannot be asked from here: press verify on its page, then run zandrel prove ${ask.id} --confirmed`,
    };
  const answer = await askLink(linkOf(service.link, service, workspace, args, context), "check", {
    body: { domain: withoutRootDot(domain.name), purpose: ask.purpose },
  });
  if (!answer.ok) return { answer: "failed", reason: `${service.title} could not be asked: ${answer.error.because}` };
  return { answer: answer.value.verdict, reason: `${service.title} says: ${visible(answer.value.reason)}` };
}

export async function proveOne(
  standing: AskStanding,
  domain: Domain,
  workspace: Workspace,
  journal: Journal,
  args: Arguments,
  context: Context,
): Promise<Shown> {
  const { ask, state, because, causes, visibility } = standing;
  const now = context.clock.now();
  const common = {
    id: ask.id,
    domain: domain.name,
    service: ask.service,
    causes: [...causes],
    visibleBy: visibility === undefined ? null : isoTime(visibility.by),
  };
  const notAsked = (reason: string): Shown["asked"] => ({ answer: "not-asked", reason });
  const evidence = ask.wanted.flatMap(recordsOf).map(printRecord).join("; ");
  const proven = (by: "service" | "user", reason: string, answer: Shown["asked"]): Shown => {
    journal.append(now, domain.name, {
      kind: "proven",
      ask: ask.id,
      wanted: wantedText(ask),
      by,
      evidence: `${reason}; ${evidence}`,
    });
    return { ...common, state: "proven", verdict: "proven", because: reason, asked: answer };
  };
  if (args.confirmed === true) {
    const note = args.note as string | undefined;
    return proven(
      "user",
      `you recorded that ${ask.service} confirmed it${note === undefined ? "" : `: ${visible(note)}`}`,
      notAsked("the user confirmed it"),
    );
  }
  switch (state) {
    case "unknown":
      return { ...common, state, verdict: "unknown", because, asked: notAsked("nothing is known about the record") };
    case "proven":
      return { ...common, state, verdict: "proven", because, asked: notAsked("it is proven already") };
    case "settled":
    case "spreading": {
      const tooEarly = state === "spreading" && args["ask-now"] !== true;
      const asked = tooEarly
        ? notAsked(
            `some vantages still show the old view, and the service may too: asking too early makes it remember “not found”${visibility === undefined ? "" : `; ask after ${deadline(visibility.by, now)}`}, or now with --ask-now`,
          )
        : await askTheService(standing, domain, workspace, args, context);
      if (asked.answer !== "not-asked")
        journal.append(now, domain.name, {
          kind: "asked-service",
          ask: ask.id,
          service: ask.service,
          answer: asked.answer,
          reason: asked.reason,
        });
      if (asked.answer === "accepted") return proven("service", asked.reason, asked);
      const later = asked.answer === "not-yet" ? "; its resolver may still hold what it saw before, so ask again later" : "";
      return { ...common, state, verdict: asked.answer === "failed" ? "unknown" : "found", because: `${because}${later}`, asked };
    }
    default:
      return {
        ...common,
        state,
        verdict: causes.length > 0 ? "astray" : "absent",
        because,
        asked: notAsked("the name servers do not have the record, so asking the service would only make it remember “not found”"),
      };
  }
}

function exitFor(asks: readonly Shown[]): ExitCode {
  if (asks.some((ask) => ask.verdict === "unknown")) return EXIT.undetermined;
  const fine = (ask: Shown) =>
    ask.verdict === "proven" || (ask.verdict === "found" && ask.state === "settled" && ask.asked.answer === "not-asked");
  return asks.every(fine) ? EXIT.ok : EXIT.not;
}

export default command<Result>({
  name: "prove",
  operands: "[DOMAIN|ASK..]",
  summary: "check as the service will, find the true cause where it is not found, ask the service, keep the evidence",
  examples: [
    ["zandrel prove seekmere-ownership", "one ask"],
    ["zandrel prove brackwater.example --json", "all asks of a domain, for another program"],
    [
      "zandrel prove pagewick-ownership --confirmed --note 'green tick on the domains page'",
      "record what a service without a link said",
    ],
  ],
  options: {
    ...resolverOptions,
    "ask-now": { type: "boolean", default: false, describe: "ask the service although some vantages still show the old view" },
    confirmed: { type: "boolean", default: false, describe: "record that the service confirmed it" },
    note: { type: "string", requiresArg: true, describe: "what the service showed, with --confirmed" },
  },
  schema: result,
  async run(args, context) {
    let targets: ReturnType<typeof targetsOf> = new Map();
    const pick = (workspace: Workspace) => {
      targets = targetsOf(workspace, args._);
      if (args.confirmed === true && [...targets.values()].reduce((sum, ids) => sum + ids.size, 0) !== 1)
        throw new UserError("--confirmed wants exactly one ask: name it by its id.");
      return [...targets.keys()];
    };
    return writing(args, context, pick, async ({ workspace, dns }, journal) => {
      const asks: Shown[] = [];
      for (const [domain, ids] of targets) {
        const surveyed = await survey(domain, dns, workspace, journal);
        for (const standing of surveyed.asks)
          if (ids.has(standing.ask.id)) asks.push(await proveOne(standing, domain, workspace, journal, args, context));
      }
      return { exit: exitFor(asks), result: { at: isoTime(dns.now), asks } };
    });
  },
  present({ asks, at }, { style, width }) {
    if (asks.length === 0) return `Nothing was asked yet. Next: ${style.command("zandrel intake")}\n`;
    const now = Date.parse(at);
    const mark: Readonly<Record<Verdict, string>> = {
      proven: STATE_MARK.proven ?? "",
      found: STATE_MARK.settled ?? "",
      astray: "!",
      absent: "○",
      unknown: "?",
    };
    return `${asks
      .map((ask) => {
        const lines = [
          `${style.state(ask.verdict, `${mark[ask.verdict]} ${ask.verdict}`)}  ${style.title(ask.id)}  ${style.quiet(displayName(ask.domain as DomainName))}`,
          `  ${wrap(visible(ask.because), width - 2, "  ")}`,
        ];
        ask.causes.forEach((one, i) => {
          lines.push(`  ${i === 0 ? "cause" : "or"}: ${wrap(visible(one.because), width - 9, "         ")}`);
          lines.push(`  ${style.careful("do:")} ${wrap(visible(one.remedy), width - 6, "      ")}`);
        });
        if (ask.verdict !== "proven" && ask.causes.length === 0 && ask.asked.reason !== "")
          lines.push(`  ${wrap(visible(ask.asked.reason), width - 2, "  ")}`);
        if (ask.verdict === "absent")
          lines.push(`  next: ${style.command(`zandrel draft ${withoutRootDot(ask.domain as DomainName)}`)}`);
        if (ask.verdict === "found" && ask.state === "spreading" && ask.visibleBy !== null)
          lines.push(
            `  everyone sees it by ${style.strong(deadline(Date.parse(ask.visibleBy), now))} at the latest; next: ${style.command(`zandrel watch ${withoutRootDot(ask.domain as DomainName)}`)}`,
          );
        return lines.join("\n");
      })
      .join("\n\n")}\n`;
  },
});
