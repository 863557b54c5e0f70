import { isIP } from "node:net";
import type { DiscoveryWay } from "../../core/dmarc/index.ts";
import { Failure } from "../../core/failure.ts";
import type { Envelope } from "../../core/verdict/index.ts";
import { count, jsonText, visible } from "../../present/index.ts";
import type { AppContext, CommonRequest, Ended, Outcome } from "../context.ts";
import type { DnsOptions } from "../dns/context.ts";
import { type Judgement, judgeOne } from "./judge.ts";
import { painted, withMessages } from "./open.ts";

const endedFor = (verdict: Judgement["dmarc"]["result"]): Ended =>
  verdict === "pass" ? "fine" : verdict === "temperror" ? "undetermined" : "problem";

function envelopeOption(request: JudgeMessagesRequest): Envelope {
  const ip = request.ip;
  if (ip !== undefined && (isIP(ip) === 0 || ip.includes("%"))) throw new Failure("ip-form", { given: ip });
  const helo = request.helo;
  const mailFrom = request.mailFrom;
  return {
    ...(ip === undefined ? {} : { ip }),
    ...(helo === undefined ? {} : { helo }),
    ...(mailFrom === undefined ? {} : { mailFrom: mailFrom.replace(/^<(.*)>$/, "$1") }),
  };
}

export async function discoveryOption(request: JudgeMessagesRequest): Promise<DiscoveryWay> {
  if (request.discovery !== "list") return { way: "walk" };
  const { organizationalDomain } = await import("../../../core/suffix/index.ts");
  return { way: "list", organizationalDomain };
}

/** What {@link judgeMessages} is asked. */
export interface JudgeMessagesRequest extends CommonRequest, DnsOptions {
  readonly ip: string | undefined;
  readonly helo: string | undefined;
  readonly mailFrom: string | undefined;
  readonly received: number | undefined;
  readonly discovery: "walk" | "list";
  readonly receiver: string;
}

/** Judge messages by SPF, DKIM and DMARC exactly as a receiver does, and say what happens to them. */
export async function judgeMessages(request: JudgeMessagesRequest, context: AppContext): Promise<Outcome<Judgement>> {
  const how = {
    envelope: envelopeOption(request),
    receiver: request.receiver,
    ...(request.received === undefined ? {} : { hop: request.received }),
  };
  return withMessages(request, context, "zandrel message judge received.eml", async (stored, lookup, now) => {
    const options = { ...how, how: await discoveryOption(request) };
    if (stored.kind === "message") {
      const one = await judgeOne(stored.message, options, lookup, now);
      return { ended: endedFor(one.dmarc.result), result: one };
    }
    const ended = new Map<Judgement["dmarc"]["result"], number>();
    for await (const message of stored.messages) {
      const one = await judgeOne(message, options, lookup, now).catch((error) => {
        // One message that cannot be read is said, and the rest of the mailbox is still judged.
        if (!(error instanceof Failure)) throw error;
        context.note(`${visible(error.message)}\n`);
        return undefined;
      });
      const ending = one?.dmarc.result ?? "permerror";
      ended.set(ending, (ended.get(ending) ?? 0) + 1);
      if (one === undefined) continue;
      if (context.json) context.out(`${jsonText(one)}\n`);
      else
        context.out(
          `${painted(one.dmarc.result, context.style)}  ${visible(one.message)}  ${visible(one.from ?? "nobody")}  ${visible(one.subject ?? "")}: ${visible(one.dmarc.because)}\n`,
        );
    }
    const all = [...ended.values()].reduce((sum, one) => sum + one, 0);
    if (!context.json)
      context.out(
        `\n${count(all, "message")}: ${[...ended].map(([ending, number]) => `${number} ${ending}`).join(", ") || "the mailbox is empty"}.\n`,
      );
    const unknown = ended.has("temperror");
    return {
      ended:
        (ended.get("pass") ?? 0) === all
          ? "fine"
          : unknown && ended.size <= (ended.has("pass") ? 2 : 1)
            ? "undetermined"
            : "problem",
    };
  });
}
