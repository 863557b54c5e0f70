import { randomBytes } from "node:crypto";
import { resolve } from "node:path";
import { z } from "zod";
import { resolverOptions, spanOption } from "../../../app/dns/context.ts";
import { dispositionOf, dispositionShape, follow, type MessageIds } from "../../../app/messages/follow.ts";
import { judgement, judgeOne, presentOne } from "../../../app/messages/judge.ts";
import { messageFor, missingFor, signed, submit } from "../../../app/messages/test-message.ts";
import { domainOfAddress, missingShape, offersOf, serviceNamed } from "../../../app/services/services.ts";
import { submittedText } from "../../../app/services/submission.ts";
import { writing } from "../../../app/session.ts";
import { withoutRootDot } from "../../../app/shapes.ts";
import { memoized } from "../../../core/lookup/index.ts";
import { type DomainName, displayName } from "../../../core/name/index.ts";
import { EXIT, type ExitCode, UserError } from "../../../core/user-error.ts";
import { count, isoTime, visible, wrap } from "../../../present/index.ts";
import { command } from "../../command.ts";

const result = z.object({
  at: z.string(),
  service: z.string(),
  title: z.string(),
  domain: z.string(),
  from: z.string(),
  to: z.string(),
  messageId: z.string().nullable(),
  tracking: z.string().nullable().describe("what the service follows the message by"),
  via: z.enum(["smtp", "link"]).nullable(),
  signed: z.object({ domain: z.string(), selector: z.string() }).nullable().describe("the signature made here"),
  missing: z.array(missingShape).describe("what the message depends on and is not there yet"),
  sent: z.object({ verdict: z.enum(["accepted", "refused", "unknown", "not-sent"]), because: z.string() }),
  disposition: dispositionShape.nullable().describe("null where nobody can be asked"),
  folder: z.string().nullable().describe("the folder of the mailbox it arrived in; null is the inbox, or that nobody looked"),
  received: judgement.nullable().describe("the copy that arrived, judged"),
  ready: z.boolean().nullable().describe("whether the domain is ready to send; null where that cannot be said"),
  because: z.string(),
});
type Result = z.output<typeof result>;

const VERDICT = { accepted: "accepted", refused: "refused", failed: "unknown" } as const;

/** Whether the domain is ready to send, and why, in one sentence. */
function readiness(result: Omit<Result, "ready" | "because">): Pick<Result, "ready" | "because"> {
  const { sent, disposition, received, folder, missing } = result;
  const no = (because: string) => ({ ready: false, because });
  const unsure = (because: string) => ({ ready: null, because });
  const lacks = `${count(missing.length, "thing")} it depends on ${missing.length === 1 ? "is" : "are"} not ready`;
  if (sent.verdict === "not-sent") {
    const sure = missing.some((one) => one.state !== "unknown");
    return sure ? no(`nothing was sent, ${lacks}`) : unsure("nothing was sent, and the DNS could not be asked");
  }
  if (sent.verdict === "refused") return no("the message was not taken");
  if (sent.verdict === "unknown" && disposition === null && received === null)
    return unsure("nobody knows whether the message was taken");
  if (disposition?.state === "bounced") return no("the message came back");
  if (disposition?.state === "complained") return no("the message arrived and was called spam");
  if (received !== null) {
    const { dmarc } = received;
    if (dmarc.result === "temperror") return unsure("the message arrived, and could not be judged: the DNS did not answer");
    if (dmarc.result !== "pass") return no(`the message arrived, but DMARC ends with ${dmarc.result}: ${dmarc.because}`);
    if (folder !== null) return no(`the message is proven yours, but it arrived in the folder ${folder}, not in the inbox`);
    const open = received.bulk.filter(({ met }) => met === false);
    if (open.length > 0) return no(`the message arrived and is proven yours, but ${open[0]?.because}`);
    if (missing.length > 0) return no(`the message arrived and is proven yours, but ${lacks}`);
    const unknown = received.bulk.find(({ met }) => met === null);
    if (unknown !== undefined) return unsure(`the message arrived and is proven yours, but ${unknown.because}`);
    return { ready: true, because: "the message arrived, and receivers can prove that it is yours" };
  }
  if (disposition === null) return unsure("the message was taken, and nobody can say what became of it");
  if (!disposition.final) return unsure(`the message is still ${disposition.state}`);
  return unsure("the message was delivered, and nobody has looked at what arrived; give --received with the copy or its mailbox");
}

const exitFor = (ready: boolean | null): ExitCode => (ready === null ? EXIT.undetermined : ready ? EXIT.ok : EXIT.not);

export default command<Result>({
  name: "message send",
  operands: "",
  summary: "send a test message, follow it to its end, judge what arrived, and say whether the domain is ready to send",
  examples: [
    [
      "zandrel message send --service swiftquill --from box@brackwater-tickets.example --to probe@mallowmail.example --received ~/Maildir",
      "over SMTP, judged as it arrived",
    ],
    [
      "zandrel message send --service heronpost --from news@brackwater.example --to probe@mallowmail.example --via link",
      "over the service's HTTP API",
    ],
    ["zandrel message send --follow SQ-1f --received arrived.eml", "go on with a message sent earlier"],
  ],
  options: {
    ...resolverOptions,
    service: { type: "string", requiresArg: true, describe: "the service to send through" },
    from: { type: "string", requiresArg: true, describe: "the sender address" },
    to: { type: "string", requiresArg: true, describe: "the recipient: a mailbox you can look into" },
    subject: { type: "string", requiresArg: true, describe: "the subject, if not the usual one" },
    text: { type: "string", requiresArg: true, describe: "a file with the text part" },
    html: { type: "string", requiresArg: true, describe: "a file with the HTML part" },
    unsubscribe: { type: "string", requiresArg: true, describe: "the https address for leaving the list with one click" },
    "return-path": { type: "string", describe: "the envelope sender, if not the sender address; empty for none" },
    via: { choices: ["smtp", "link"], requiresArg: true, describe: "SMTP (where settings are known), or the service's HTTP API" },
    sign: { type: "string", requiresArg: true, describe: "sign here, with the key of this selector in keys/" },
    anyway: { type: "boolean", default: false, describe: "send although something it depends on is missing" },
    for: { type: "string", default: "10m", requiresArg: true, describe: "follow it for so long" },
    received: {
      type: "string",
      requiresArg: true,
      describe: "the copy that arrived: a file, a Maildir or an mbox, judged at once",
    },
    follow: {
      type: "string",
      requiresArg: true,
      describe: "send nothing; go on with the message of this tracking id or Message-ID",
    },
  },
  schema: result,
  run(args, context) {
    const patience = spanOption(args, "for") ?? 0;
    return writing(
      args,
      context,
      () => [],
      async (session, journal) => {
        const { workspace, dns } = session;
        const wanted = (option: string): string => {
          const value = args[option] as string | undefined;
          if (value === undefined || value === "")
            throw new UserError(`--${option} is missing: zandrel message send wants --service, --from and --to.`);
          return value;
        };
        const earlier =
          args.follow === undefined
            ? undefined
            : journal
                .entries(undefined, "message-sent")
                .findLast((one) => one.tracking === args.follow || one.messageId === args.follow);
        if (args.follow !== undefined && earlier === undefined)
          throw new UserError(
            `no message ${visible(args.follow as string)} was sent from this workspace: give the tracking id that zandrel message send printed.`,
          );
        const service = serviceNamed(workspace, earlier?.service ?? wanted("service"), args, context);
        const from = earlier?.from ?? wanted("from");
        const to = earlier?.to ?? wanted("to");
        const domain = domainOfAddress(from);
        domainOfAddress(to);
        const returnPath = args["return-path"] as string | undefined;
        if (returnPath) domainOfAddress(returnPath);
        const offers = await offersOf(service);
        const follows = offers?.includes("messages") === true;
        const common = { at: isoTime(dns.now), service: service.key, title: service.title, domain, from, to, signed: null };
        const missing = await missingFor(service, domain, from, session, journal);
        const done = (partial: Omit<Result, "ready" | "because">) => {
          const ready = readiness(partial);
          return { exit: exitFor(ready.ready), result: { ...partial, ...ready } };
        };
        if (earlier === undefined && missing.length > 0 && args.anyway !== true) {
          return done({
            ...common,
            messageId: null,
            tracking: null,
            via: null,
            missing,
            sent: { verdict: "not-sent", because: "what it depends on is not ready; --anyway sends all the same" },
            disposition: null,
            folder: null,
            received: null,
          });
        }
        let ids: MessageIds;
        let sent: Result["sent"];
        let via: Result["via"];
        let signature: Result["signed"] = null;
        if (earlier !== undefined) {
          ids = { tracking: earlier.tracking, messageId: earlier.messageId };
          sent =
            earlier.reply === ""
              ? { verdict: "unknown", because: "nobody knows whether it was taken; it is looked for by its Message-ID" }
              : { verdict: "accepted", because: visible(earlier.reply) };
          via = earlier.via as Result["via"];
        } else {
          const messageId = `${randomBytes(12).toString("hex")}@${withoutRootDot(domain)}`;
          let message = await messageFor(args, context, domain, to, messageId);
          if (args.sign !== undefined) {
            const selector = args.sign as string;
            message = await signed(message, domain, selector, workspace.folder, context.clock.now());
            signature = { domain, selector };
          }
          const overSmtp = service.settings.submission !== undefined || offers?.includes("submission") === true;
          via = (args.via as "smtp" | "link" | undefined) ?? (overSmtp || service.link === undefined ? "smtp" : "link");
          const envelope = { from: returnPath ?? from, to };
          // Written down before it is sent: whatever happens then, the message can be followed by its Message-ID.
          const note = (tracking: string, reply: string): void =>
            void journal.append(context.clock.now(), domain, {
              kind: "message-sent",
              ...{ service: service.key, from, to, messageId, tracking, via: via as string, reply },
            });
          note(messageId, "");
          const { outcome, host, tracking } = await submit(
            via,
            service,
            envelope,
            message,
            domain,
            session,
            journal,
            args,
            context,
          );
          ids = { tracking: tracking ?? messageId, messageId };
          sent = { verdict: VERDICT[outcome.kind], because: submittedText(outcome, host) };
          if (outcome.kind === "accepted") note(ids.tracking, outcome.reply);
          // Where the answer got lost, the service may have the message all the same.
          const has = outcome.kind === "failed" && (await dispositionOf(service, follows, ids, session)) !== undefined;
          if (has) sent = { verdict: "accepted", because: `${sent.because}; the service has it all the same` };
          else if (outcome.kind !== "accepted")
            return done({
              ...common,
              signed: signature,
              messageId,
              tracking: null,
              via,
              missing,
              sent,
              disposition: null,
              folder: null,
              received: null,
            });
        }
        const { disposition, copy } = await follow(
          service,
          follows,
          ids,
          {
            path: args.received === undefined ? undefined : resolve(context.cwd, args.received as string),
            until: context.clock.now() + patience,
            domain,
          },
          session,
          journal,
          context,
        );
        const judged =
          copy === undefined
            ? null
            : await judgeOne(
                copy.message,
                { envelope: {}, how: { way: "walk" }, receiver: "zandrel.invalid" },
                memoized(dns.world),
                Math.floor(context.clock.now() / 1000),
              );
        return done({
          ...common,
          ...ids,
          via,
          signed: signature,
          missing,
          sent,
          disposition: disposition ?? null,
          folder: copy?.folder ?? null,
          received: judged,
        });
      },
    );
  },
  present(one, { style, width }) {
    const { sent, disposition, received, ready, because, missing, tracking } = one;
    const line = (text: string) => wrap(text, width, "  ");
    const SENT = {
      accepted: style.good("✓ taken"),
      refused: style.bad("✗ refused"),
      unknown: style.careful("? unknown"),
      "not-sent": style.bad("✗ not sent"),
    } as const;
    const name = displayName(one.domain as DomainName);
    return [
      `${SENT[sent.verdict]}  ${line(visible(sent.because))}`,
      ...missing.flatMap((each) => [
        line(`  ${style.careful(each.state)}  ${visible(each.what)}: ${visible(each.because)}`),
        `    next: ${style.command(each.next)}`,
      ]),
      ...(tracking === null ? [] : [style.quiet(`  followed as ${visible(tracking)}`)]),
      ...(disposition === null
        ? []
        : [
            line(
              `${disposition.state === "delivered" ? style.good(`✓ ${disposition.state}`) : disposition.final ? style.bad(`✗ ${disposition.state}`) : style.careful(`◐ ${disposition.state}`)}${disposition.meaning === null ? "" : `  ${disposition.status}: ${visible(disposition.meaning)}`}${disposition.reply === null ? "" : `; the server said “${visible(disposition.reply)}”`}`,
            ),
          ]),
      ...(received === null
        ? []
        : [
            "",
            presentOne(
              {
                ...received,
                message: `The copy that arrived${one.folder === null ? "" : `, in the folder ${visible(one.folder)}`}`,
              },
              style,
              width,
            ).trimEnd(),
          ]),
      "",
      (ready === true ? style.good : ready === false ? style.bad : style.careful)(
        wrap(
          ready === null
            ? `? Whether ${name} is ready to send through ${visible(one.title)} cannot be said: ${visible(because)}.`
            : `${ready ? "✓" : "✗"} ${name} is ${ready ? "" : "not "}ready to send through ${visible(one.title)}: ${visible(because)}.`,
          width,
          "  ",
        ),
      ),
      "",
    ].join("\n");
  },
});
