import { isIP } from "node:net";
import type { DiscoveryWay } from "../../core/dmarc/index.ts";
import { Failure } from "../../core/failure.ts";
import type { Envelope } from "../../core/verdict/index.ts";
import type { AppContext, CommonRequest, Ended, Outcome } from "../context.ts";
import { type DnsOptions, nameOperand } from "../dns/context.ts";
import { type Judgement, judgeOne } from "./judge.ts";
import { withMessages } from "./open.ts";

const endedFor = ({ dmarc: { result }, arc }: Judgement): Ended =>
  result === "pass" || arc?.delivers === true ? "fine" : result === "temperror" ? "undetermined" : "problem";

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

/** How a policy is found: by the walk up the tree, or by the public suffix list, which is only loaded for that. */
export async function discoveryWay(discovery: "tree-walk" | "suffix-list"): Promise<DiscoveryWay> {
  if (discovery === "tree-walk") return { way: "tree-walk" };
  const { organizationalDomain } = await import("../../core/suffix/index.ts");
  return { way: "suffix-list", organizationalDomain };
}

/** What {@link judgeMessages} is asked. */
export interface JudgeMessagesRequest extends CommonRequest, DnsOptions {
  readonly ip: string | undefined;
  readonly helo: string | undefined;
  readonly mailFrom: string | undefined;
  readonly receivedLine: number | undefined;
  readonly discovery: "tree-walk" | "suffix-list";
  readonly receiver: string;
  /** Domains whose seals on forwarded mail the receiver trusts. */
  readonly trustSealer: readonly string[];
}

/** How the messages of a mailbox ended: their number, and how many ended with each result of DMARC. */
export interface JudgedMailbox {
  readonly messages: number;
  readonly results: ReadonlyMap<Judgement["dmarc"]["result"], number>;
}

/** Who is told about the messages of a mailbox, one by one. */
export interface JudgeSink {
  judged(one: Judgement): void;
  /** A message that cannot be read; the rest of the mailbox is still judged. */
  unreadable(failure: Failure): Promise<void>;
}

/** Judges one message or a mailbox by SPF, DKIM and DMARC exactly as a receiver does. */
export async function judgeMessages(
  request: JudgeMessagesRequest,
  context: AppContext,
  sink: JudgeSink,
): Promise<Outcome<{ readonly message: Judgement } | { readonly mailbox: JudgedMailbox }>> {
  const how = {
    envelope: envelopeOption(request),
    receiver: request.receiver,
    ...(request.trustSealer.length === 0 ? {} : { trustedSealers: request.trustSealer.map(nameOperand) }),
    ...(request.receivedLine === undefined ? {} : { hop: request.receivedLine }),
  };
  return withMessages(request, context, async (stored, lookup, now) => {
    const options = { ...how, how: await discoveryWay(request.discovery) };
    if (stored.kind === "message") {
      const message = await judgeOne(stored.message, options, lookup, now);
      return { ended: endedFor(message), result: { message } };
    }
    const results = new Map<Judgement["dmarc"]["result"], number>();
    let messages = 0;
    for await (const message of stored.messages) {
      const one = await judgeOne(message, options, lookup, now).catch(async (error) => {
        if (!(error instanceof Failure)) throw error;
        await sink.unreadable(error);
        return undefined;
      });
      const result = one?.dmarc.result ?? "permerror";
      results.set(result, (results.get(result) ?? 0) + 1);
      messages += 1;
      if (one !== undefined) sink.judged(one);
    }
    const passed = results.get("pass") ?? 0;
    const unknown = results.get("temperror") ?? 0;
    const ended: Ended = passed === messages ? "fine" : passed + unknown === messages ? "undetermined" : "problem";
    return { ended, result: { mailbox: { messages, results } } };
  });
}
