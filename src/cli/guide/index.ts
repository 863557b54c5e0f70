import { cancel, intro, log, outro } from "@clack/prompts";
import type { Ended } from "../../app/context.ts";
import { lookForGuide } from "../../app/guide/look.ts";
import { nextMove } from "../../app/guide/next-move.ts";
import { findHost } from "../../app/hosts/find.ts";
import type { AskStanding } from "../../app/standing/survey.ts";
import { Failure } from "../../core/failure.ts";
import type { Judgement } from "../../core/judgement/index.ts";
import { type DomainName, withoutRootDot } from "../../core/name/index.ts";
import { inWords } from "../../present/clauses/index.ts";
import { provenText } from "../../present/judgement.ts";
import { YOUR_HOST } from "../../present/lines.ts";
import { visible } from "../../present/safe.ts";
import type { Context } from "../command.ts";

import { type GuideRequest, Left, show, talking } from "./conversation.ts";
import { makeMove } from "./moves.ts";
import { domainOf, expectHost, takeIn, takeKit } from "./take-in.ts";

/** One conversation that carries a request through, until everything is proven or the person leaves. */
export async function converse(request: GuideRequest, context: Context): Promise<Ended> {
  intro("Zandrel: from what a service shows to proven");
  try {
    const domain = await domainOf(request, context);
    await expectHost(domain, request, context);
    if (request.kit !== undefined) await takeKit(domain, request.kit, request, context);
    return await carryThrough(domain, request, context);
  } catch (error) {
    if (error instanceof Left) {
      cancel("Left. Everything so far is saved; zandrel guide takes up where it stood.");
      return "problem";
    }
    throw error;
  } finally {
    // Whatever asked last may still listen for keys, and nobody is to type any more.
    process.stdin.pause();
  }
}

/** Moves on from one step to the next until nothing is left. */
async function carryThrough(domain: DomainName, request: GuideRequest, context: Context): Promise<Ended> {
  const replace = new Set<DomainName>();
  const putOff = new Set<string>();
  // Who begins with a kit has said what there is to take in.
  let offered = request.kit !== undefined;
  let askedForApproval = false;
  for (;;) {
    const look = await lookForGuide(domain, replace, request, context);
    for (const line of look.said) log.info(visible(inWords(line)));
    const move = nextMove({ ...look, putOff, now: context.clock.now() });
    if (look.asks.length === 0 || (move.kind === "done" && !offered)) {
      offered = true;
      if (await takeIn(domain, look.asks.length === 0, request, context)) continue;
      if (look.asks.length === 0) throw new Left();
    }
    if (move.kind === "done") return farewell(move.open, look.judgement, domain);
    if (move.kind === "publish" && look.way === "by-hand" && !askedForApproval && look.asks.some(({ ask }) => ask.template)) {
      askedForApproval = true;
      if (await offerApproval(domain, request, context)) continue;
    }
    const { alsoGoes } = look;
    await makeMove(move, { domain, replace, putOff, alsoGoes, host: look.host ?? YOUR_HOST, request, context });
  }
}

/** Offers to publish by approval where the DNS host takes that; whether it is published like that from now on. */
async function offerApproval(domain: DomainName, request: GuideRequest, context: Context): Promise<boolean> {
  try {
    const { result } = await findHost({ ...request, operands: [withoutRootDot(domain)], write: false }, talking(context));
    return result?.host?.way === "approval";
  } catch (error) {
    // By hand it is published whatever the host takes.
    if (error instanceof Failure) return false;
    throw error;
  }
}

function farewell(open: readonly AskStanding[], judgement: Judgement, domain: DomainName): Ended {
  const proven = open.length === 0 ? provenText(judgement, domain) : undefined;
  if (proven !== undefined) {
    outro(proven);
    return "fine";
  }
  show("What remains", open.map(({ ask, state, because }) => `${ask.id}: ${state}, ${visible(inWords(because))}`).join("\n"));
  outro("zandrel guide goes on with it later.");
  return "problem";
}
