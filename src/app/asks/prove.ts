import * as z from "zod";
import { recordsWanted, STATES } from "../../core/ask/index.ts";
import { type Clause, clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { withoutRootDot } from "../../core/name/index.ts";
import { printRecord } from "../../core/record/index.ts";
import { askLink } from "../../net/service-link.ts";
import { type Domain, type Journal, openWorkspace, type Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Ended, Outcome } from "../context.ts";
import type { DnsContext, DnsOptions } from "../dns/context.ts";
import { linkOf } from "../services/services.ts";
import { writing } from "../session.ts";
import { cause, domainName, judgement, loss, sentence, time } from "../shapes.ts";
import { causesOnTheWeb } from "../site/check.ts";
import { OWN_SERVICE, wantedText } from "../standing/journal-state.ts";
import { lossesShown } from "../standing/losses.ts";
import { type AskStanding, isEarly, judgementShown, survey } from "../standing/survey.ts";
import { clearOperands, oneAsk, targetsOf } from "./targets.ts";

export const VERDICTS = ["proven", "found", "astray", "absent", "unknown"] as const;

export const proveSchema = z.object({
  at: time,
  lost: z
    .array(loss)
    .describe(
      "where whole domains are looked at: what nobody was to touch since the newest publication, and that is gone or changed",
    ),
  judgements: z.array(judgement).describe("how each domain stands that is looked at as a whole"),
  asks: z.array(
    z.object({
      id: z.string(),
      domain: domainName,
      service: z.string(),
      state: z.enum(STATES),
      verdict: z.enum(VERDICTS),
      because: sentence,
      causes: z.array(cause).describe("why it is not found, the likeliest first"),
      asked: z
        .object({ answer: z.enum(["accepted", "not-yet", "not-asked", "failed"]), reason: sentence })
        .describe("what the service said"),
      visibleBy: time.nullable(),
    }),
  ),
});

export type ProveResult = z.output<typeof proveSchema>;

export type Shown = ProveResult["asks"][number];

/** How an ask is proven. */
interface ProveOptions extends DnsOptions {
  /** Whether the service is asked although some resolvers still show the old record. */
  readonly force: boolean;
  /** Whether the user says that the service confirmed it, and what it showed. */
  readonly confirmed: boolean;
  readonly note: string | undefined;
}

/** What an ask is proven with. */
export interface Proving {
  readonly domain: Domain;
  readonly workspace: Workspace;
  readonly journal: Journal;
  readonly request: ProveOptions;
  readonly context: AppContext;
}

/** Asks the service over its link, where it has one. */
async function askTheService({ ask }: AskStanding, { domain, workspace, request, context }: Proving): Promise<Shown["asked"]> {
  const service = workspace.settings.services[ask.service];
  if (service?.link === undefined)
    return {
      answer: "not-asked",
      reason: clause("prove-by-hand", { service: service?.title ?? ask.service, ask: ask.id }),
    };
  const answer = await askLink(linkOf(service.link, service, workspace, request, context), "check", {
    body: { domain: withoutRootDot(domain.name), purpose: ask.purpose },
  });
  if (!answer.ok)
    return {
      answer: "failed",
      reason: clause("prove-service-unresolved", { title: service.title, because: answer.error.because }),
    };
  return {
    answer: answer.value.verdict,
    reason: clause("prove-service-says", { title: service.title, text: answer.value.reason }),
  };
}

/** Asks the service about what is there, unless some still see the old records, and keeps its answer. */
async function askedOnce(standing: AskStanding, proving: Proving): Promise<Shown["asked"]> {
  const { ask, state, visibility } = standing;
  const { domain, journal, request, context } = proving;
  // The service looks through a resolver of its own, which may hold the old answer for as long as anybody may.
  if (!request.force && (state === "spreading" || isEarly(visibility, context.clock.now())))
    return { answer: "not-asked", reason: clause(state === "spreading" ? "prove-spreading" : "prove-early") };
  const asked = await askTheService(standing, proving);
  if (asked.answer !== "not-asked")
    journal.append(context.clock.now(), domain.name, {
      kind: "asked-service",
      ask: ask.id,
      service: ask.service,
      answer: asked.answer,
      reason: asked.reason,
    });
  return asked;
}

/**
 * The same, where a service does not take what is there: it has a reason, and where the web shows it, nobody has to wait for hours.
 */
async function explained(
  shown: Shown,
  { ask }: AskStanding,
  { domain, workspace, journal }: Proving,
  dns: DnsContext,
): Promise<Shown> {
  const { web } = dns;
  if (shown.asked.answer !== "not-yet" || web === undefined) return shown;
  const seen = await causesOnTheWeb({ domain, workspace, dns, web, journal }, ask);
  const [first] = seen;
  return first === undefined
    ? shown
    : { ...shown, verdict: "astray", because: first.because, causes: [...seen, ...shown.causes] };
}

/** Looks how an ask can be proven from where it stands, asks its service where that may answer, and keeps what is proven. */
export async function proveOne(standing: AskStanding, proving: Proving): Promise<Shown> {
  const { domain, journal, request, context } = proving;
  const { ask, state, because, causes, visibility } = standing;
  const now = context.clock.now();
  const common = {
    id: ask.id,
    domain: domain.name,
    service: ask.service,
    causes: [...causes],
    visibleBy: visibility === undefined ? null : visibility.by,
  };
  const notAsked = (reason: Clause): Shown["asked"] => ({ answer: "not-asked", reason });
  const evidence = recordsWanted(ask.wants).map(printRecord).join("; ");
  const proven = (by: "service" | "user", reason: Clause, answer: Shown["asked"]): Shown => {
    journal.append(now, domain.name, {
      kind: "proven",
      ask: ask.id,
      wanted: wantedText(ask),
      by,
      because: reason,
      evidence,
    });
    return { ...common, state: "proven", verdict: "proven", because: reason, asked: answer };
  };
  if (request.confirmed) {
    const note = request.note;
    if (!["spreading", "settled", "proven"].includes(state) && !(request.force && note !== undefined))
      throw new Failure("confirm-absent", { ask: ask.id, because });
    return proven("user", clause("prove-recorded", { service: ask.service, note }), notAsked(clause("prove-user-confirmed")));
  }
  switch (state) {
    case "unknown":
      return { ...common, state, verdict: "unknown", because, asked: notAsked(clause("prove-nothing-known")) };
    case "proven":
      return { ...common, state, verdict: "proven", because, asked: notAsked(clause("prove-already")) };
    case "settled":
    case "spreading": {
      if (ask.service === OWN_SERVICE)
        return { ...common, state, verdict: "found", because, asked: notAsked(clause("prove-own")) };
      const asked = await askedOnce(standing, proving);
      if (asked.answer === "accepted") return proven("service", asked.reason, asked);
      return {
        ...common,
        state,
        verdict: asked.answer === "failed" ? "unknown" : "found",
        because: asked.answer === "not-yet" ? clause("prove-ask-again", { because }) : because,
        asked,
      };
    }
    default:
      return {
        ...common,
        state,
        verdict: causes.some(({ kind }) => kind !== "sick-server") ? "astray" : "absent",
        because,
        asked: notAsked(clause("prove-absent")),
      };
  }
}

function endedFor(asks: readonly Shown[], now: number): Ended {
  if (asks.some((ask) => ask.verdict === "unknown")) return "undetermined";
  const early = (ask: Shown) => ask.visibleBy !== null && now < ask.visibleBy;
  const fine = (ask: Shown) =>
    ask.verdict === "proven" ||
    (ask.verdict === "found" && ask.state === "settled" && ask.asked.answer === "not-asked" && !early(ask));
  return asks.every(fine) ? "fine" : "problem";
}

/** What {@link prove} is asked. */
export interface ProveRequest extends CommonRequest, ProveOptions {}

/** What a person at the terminal means: ids that several domains hold are made clear, and what is confirmed is one ask. */
async function chosenOperands(request: ProveRequest, context: AppContext): Promise<readonly string[]> {
  const workspace = openWorkspace(context.cwd, request.workspace);
  const operands = await clearOperands(workspace, request.operands, context);
  if (!request.confirmed) return operands;
  const { domain, id } = await oneAsk(workspace, operands, context);
  return [`${withoutRootDot(domain.name)}/${id}`];
}

/** Whether an operand is an ask of a domain, and not the domain. */
const namesAsk = (operand: string, { asks }: Domain): boolean =>
  asks.some(({ id }) => operand === id || operand.endsWith(`/${id}`));

/** Check as the service will, find the true cause where it is not found, ask the service, keep the evidence. */
export async function prove(request: ProveRequest, context: AppContext): Promise<Outcome<ProveResult>> {
  const operands = context.interactive ? await chosenOperands(request, context) : request.operands;
  let targets: ReturnType<typeof targetsOf> = new Map();
  const pick = (workspace: Workspace) => {
    targets = targetsOf(workspace, operands);
    if (request.confirmed && [...targets.values()].reduce((sum, ids) => sum + ids.size, 0) !== 1)
      throw new Failure("confirm-one-ask", {});
    return [...targets.keys()];
  };
  return writing(request, context, pick, async ({ workspace, dns }, journal) => {
    const asks: Shown[] = [];
    const lost: ProveResult["lost"] = [];
    const judgements: ProveResult["judgements"] = [];
    for (const [domain, ids] of targets) {
      const surveyed = await survey(domain, dns, workspace, journal);
      const proving: Proving = { domain, workspace, journal, request, context };
      // Who asks about one ask is told of that one.
      if (ids.size === domain.asks.length && (ids.size > 1 || !operands.some((operand) => namesAsk(operand, domain)))) {
        lost.push(...lossesShown(domain.name, surveyed.lost));
        judgements.push(judgementShown(surveyed));
      }
      for (const standing of surveyed.asks)
        if (ids.has(standing.ask.id)) asks.push(await explained(await proveOne(standing, proving), standing, proving, dns));
    }
    const ended = endedFor(asks, context.clock.now());
    return { ended: ended === "fine" && lost.length > 0 ? "problem" : ended, result: { at: dns.now, lost, judgements, asks } };
  });
}
