import { isIP } from "node:net";
import { resolverOptions } from "../../../app/dns/context.ts";
import { type Judgement, judgement, judgeOne, presentOne } from "../../../app/messages/judge.ts";
import { painted, withMessages } from "../../../app/messages/open.ts";
import type { DiscoveryWay } from "../../../core/dmarc/index.ts";
import { EXIT, type ExitCode, UserError } from "../../../core/user-error.ts";
import type { Envelope } from "../../../core/verdict/index.ts";
import { count, jsonText, visible } from "../../../present/index.ts";
import { type Arguments, command } from "../../command.ts";

const exitFor = (verdict: Judgement["dmarc"]["result"]): ExitCode =>
  verdict === "pass" ? EXIT.ok : verdict === "temperror" ? EXIT.undetermined : EXIT.not;

function envelopeOption(args: Arguments): Envelope {
  const ip = args.ip as string | undefined;
  if (ip !== undefined && (isIP(ip) === 0 || ip.includes("%")))
    throw new UserError(`--ip wants the address of the sending server, such as 192.0.2.25; “${visible(ip)}” is none.`);
  const helo = args.helo as string | undefined;
  const mailFrom = args["mail-from"] as string | undefined;
  return {
    ...(ip === undefined ? {} : { ip }),
    ...(helo === undefined ? {} : { helo }),
    ...(mailFrom === undefined ? {} : { mailFrom: mailFrom.replace(/^<(.*)>$/, "$1") }),
  };
}

export async function discoveryOption(args: Arguments): Promise<DiscoveryWay> {
  if (args.discovery !== "list") return { way: "walk" };
  const { organizationalDomain } = await import("../../../core/suffix/index.ts");
  return { way: "list", organizationalDomain };
}

export default command<Judgement>({
  name: "message judge",
  operands: "FILE|-|MBOX|MAILDIR",
  summary: "judge messages by SPF, DKIM and DMARC exactly as a receiver does, and say what happens to them",
  examples: [
    ["zandrel message judge received.eml", "a received message, by the header lines of the receiving server"],
    [
      "zandrel message judge test.eml --ip 192.0.2.25 --helo out.heronpost.example --mail-from bounce@brackwater.example",
      "with the envelope given",
    ],
    ["zandrel message judge inbox.mbox --json", "a whole mailbox, one JSON object a line"],
  ],
  options: {
    ...resolverOptions,
    ip: { type: "string", requiresArg: true, describe: "address of the server that delivered the message" },
    helo: { type: "string", requiresArg: true, describe: "the name that server said HELO with" },
    "mail-from": { type: "string", describe: "the envelope sender; empty for the empty reverse path" },
    received: {
      type: "number",
      requiresArg: true,
      describe: "which Received line to believe, counted from the top (the first from outside if not given)",
    },
    discovery: {
      choices: ["walk", "list"],
      default: "walk",
      requiresArg: true,
      describe: "find the policy by the walk up the tree, or by the public suffix list of RFC 7489",
    },
    receiver: {
      type: "string",
      default: "zandrel.invalid",
      requiresArg: true,
      describe: "the receiver's name in the Authentication-Results line",
    },
  },
  schema: judgement,
  run(args, context) {
    const how = {
      envelope: envelopeOption(args),
      receiver: args.receiver as string,
      ...(args.received === undefined ? {} : { hop: args.received as number }),
    };
    return withMessages(args, context, "zandrel message judge received.eml", async (stored, lookup, now) => {
      const options = { ...how, how: await discoveryOption(args) };
      if (stored.kind === "message") {
        const one = await judgeOne(stored.message, options, lookup, now);
        return { exit: exitFor(one.dmarc.result), result: one };
      }
      const ended = new Map<Judgement["dmarc"]["result"], number>();
      for await (const message of stored.messages) {
        const one = await judgeOne(message, options, lookup, now).catch((error) => {
          // One message that cannot be read is said, and the rest of the mailbox is still judged.
          if (!(error instanceof UserError)) throw error;
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
        exit:
          (ended.get("pass") ?? 0) === all
            ? EXIT.ok
            : unknown && ended.size <= (ended.has("pass") ? 2 : 1)
              ? EXIT.undetermined
              : EXIT.not,
      };
    });
  },
  present: (one, { style, width }) => presentOne(one, style, width),
});
