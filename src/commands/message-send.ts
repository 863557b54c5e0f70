import { randomBytes } from "node:crypto";
import { existsSync } from "node:fs";
import { resolve } from "node:path";
import { z } from "zod";
import { BodyHash, makeSignature, type SignOptions, signatureObstacle } from "../core/dkim/index.ts";
import { memoized } from "../core/lookup/index.ts";
import { fieldsNamed, fieldValue, scanMessage } from "../core/message/index.ts";
import { type DomainName, displayName } from "../core/name/index.ts";
import { DISPOSITIONS, type Disposition, enhancedStatus } from "../core/sending/index.ts";
import { EXIT, type ExitCode, UserError } from "../core/user-error.ts";
import { askLink } from "../net/index.ts";
import type { Submitted } from "../net/mail.ts";
import { count, isoTime, logTime, visible, wrap } from "../present/index.ts";
import {
  type Journal,
  keyPath,
  openMessages,
  readPrivateKey,
  readSecret,
  readText,
  type StoredMessage,
} from "../workspace/index.ts";
import { type Arguments, type Context, command } from "./command.ts";
import { judgement, judgeOne, presentOne } from "./judging.ts";
import { LOOKING, spanOption } from "./looking.ts";
import {
  domainOfAddress,
  lastState,
  linkTrouble,
  type Missing,
  offersOf,
  type ServiceAt,
  serviceNamed,
  unsettledAsks,
} from "./services.ts";
import { type Session, writing } from "./session.ts";
import { typed } from "./shapes.ts";
import { credentialFor, smtpSettings, submissionTo, submittedText } from "./submitting.ts";

const FINAL: readonly Disposition[] = ["delivered", "bounced", "complained"];

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
  missing: z
    .array(z.object({ what: z.string(), state: z.string(), because: z.string(), next: z.string() }))
    .describe("what the message depends on and is not there yet"),
  sent: z.object({ verdict: z.enum(["accepted", "refused", "unknown", "not-sent"]), because: z.string() }),
  disposition: z
    .object({
      state: z.enum(DISPOSITIONS),
      final: z.boolean(),
      status: z.string().nullable().describe("the enhanced status code of RFC 3463"),
      meaning: z.string().nullable().describe("the code in words"),
      reply: z.string().nullable().describe("what the receiving server said"),
    })
    .nullable()
    .describe("null where nobody can be asked"),
  received: judgement.nullable().describe("the copy that arrived, judged"),
  ready: z.boolean().nullable().describe("whether the domain is ready to send; null where that cannot be said"),
  because: z.string(),
});
type Result = z.output<typeof result>;
type Shown = NonNullable<Result["disposition"]>;

/** What a message depends on: settled asks, an accepted domain, a confirmed address. */
async function missingFor(
  service: ServiceAt,
  domain: DomainName,
  address: string,
  session: Session,
  journal: Journal,
): Promise<Missing[]> {
  const missing = await unsettledAsks(service, domain, session, journal);
  const offers = await offersOf(service);
  const known = { domain: lastState(journal, service.key, domain), address: lastState(journal, service.key, domain, address) };
  const expect = (what: string, state: string | undefined, wanted: string, because: string, next: string): void => {
    if (state !== wanted)
      missing.push({ what, state: state === undefined || state === "unknown" ? "missing" : state, because, next });
  };
  if (offers?.includes("domains") === true && service.link !== undefined) {
    const said = await askLink(service.link, "showDomain", { at: { domain: typed(domain) } });
    if (!said.ok && said.error.kind !== "unknown") throw linkTrouble(service, `say where ${typed(domain)} stands`, said.error);
    const next = `zandrel sender domain ${service.key} ${typed(domain)}`;
    expect(
      typed(domain),
      said.ok ? said.value.state : undefined,
      "accepted",
      `${service.title} has not accepted the domain`,
      next,
    );
    if (said.ok && said.value.signing === "off")
      missing.push({
        what: "signing",
        state: "off",
        because: `${service.title} does not sign yet`,
        next: `${next} --signing on`,
      });
  } else if (known.domain !== undefined)
    expect(
      typed(domain),
      known.domain.state,
      "accepted",
      `${service.title} has not accepted the domain`,
      `zandrel sender domain ${service.key} ${typed(domain)}`,
    );
  const next = `zandrel sender address ${service.key} ${address}`;
  if (offers?.includes("senders") === true && service.link !== undefined) {
    const said = await askLink(service.link, "showSender", { at: { address } });
    if (!said.ok && said.error.kind !== "unknown") throw linkTrouble(service, `say where ${address} stands`, said.error);
    expect(address, said.ok ? said.value.state : undefined, "confirmed", "the sender address is not confirmed", next);
  } else if (known.address !== undefined)
    expect(address, known.address.state, "confirmed", "the sender address is not confirmed", next);
  return missing;
}

/** The message, as it is to be sent. */
async function messageFor(args: Arguments, context: Context, domain: DomainName, to: string, messageId: string): Promise<Buffer> {
  const { composeMessage } = await import("../net/mail.ts");
  const file = (option: string): string | undefined =>
    args[option] === undefined ? undefined : readText(resolve(context.cwd, args[option] as string), "utf8", 1 << 20);
  const when = new Date(context.clock.now());
  const text =
    file("text") ??
    `This is a test message from ${typed(domain)}, sent on ${when.toUTCString()}.\n\nIf it is in your inbox, nothing more is to be done: you may delete it.\n`;
  const html =
    file("html") ??
    `<p>This is a test message from <b>${typed(domain)}</b>, sent on ${when.toUTCString()}.</p><p>If it is in your inbox, nothing more is to be done: you may delete it.</p>`;
  const unsubscribe =
    (args.unsubscribe as string | undefined) ?? `https://${typed(domain)}/unsubscribe?message=${encodeURIComponent(messageId)}`;
  if (!URL.canParse(unsubscribe) || !unsubscribe.startsWith("https://") || /[\s<>]/.test(unsubscribe))
    throw new UserError("--unsubscribe wants an https address: receivers open no other with one click.");
  return composeMessage({
    from: args.from as string,
    to,
    subject: (args.subject as string | undefined) ?? `Test message from ${typed(domain)}`,
    text,
    html,
    date: when,
    messageId,
    unsubscribe,
  });
}

/** The message with a signature of this workspace's key on top. */
async function signed(message: Buffer, domain: DomainName, selector: string, folder: string, now: number): Promise<Buffer> {
  const options: SignOptions = {
    domain,
    selector,
    key: readPrivateKey(keyPath(folder, domain, selector)),
    header: "relaxed",
    body: "relaxed",
    signedAt: Math.floor(now / 1000),
  };
  const obstacle = signatureObstacle(options);
  if (obstacle !== undefined) throw new UserError(`the message cannot be signed: ${obstacle}.`);
  const body = new BodyHash("relaxed");
  const header = await scanMessage({ chunks: () => [message] }, () => [body]);
  const signature = header.ok ? makeSignature(header.value, body, options) : undefined;
  if (signature === undefined) throw new Error("a message that was just composed cannot be signed");
  return Buffer.concat([Buffer.from(`${signature.raw}\r\n`, "latin1"), message]);
}

/** The id in a server's last reply, where it names one: `id=…`, `queued as …`. */
const trackingIn = (reply: string): string | undefined =>
  /\b(?:id=|queued as |message id )<?([!-;=?-~]{4,200}?)>?(?:[\s.;)]|$)/i.exec(reply)?.[1];

/** Hands the message in over SMTP, or over the link. */
async function handIn(
  via: "smtp" | "link",
  service: ServiceAt,
  envelope: { from: string; to: string },
  message: Buffer,
  domain: DomainName,
  session: Session,
  journal: Journal,
  args: Arguments,
  context: Context,
): Promise<{ outcome: Submitted; host: string; tracking: string | undefined }> {
  if (via === "smtp") {
    const settings = await smtpSettings(service, journal, domain);
    if (settings === undefined)
      throw new UserError(
        `nobody says where ${service.title} takes messages: write host, port, tls, user and password under services: ${service.key}: submission: in zandrel.yaml.`,
      );
    const { submitMessage } = await import("../net/mail.ts");
    const outcome = await submitMessage(await submissionTo(settings, service, session, args, context), envelope, message);
    return { outcome, host: settings.host, tracking: outcome.kind === "accepted" ? trackingIn(outcome.reply) : undefined };
  }
  if (service.link === undefined) throw new UserError(`${service.title} has no link in zandrel.yaml: send with --via smtp.`);
  const kept = credentialFor(journal, service, domain);
  const key =
    kept === undefined
      ? service.link.key
      : readSecret(kept.kept, `the credential of ${service.title}`, session.workspace.folder, context.env);
  const answer = await askLink({ ...service.link, key }, "sendMessage", {
    body: { from: envelope.from, to: envelope.to, message: message.toString("base64") },
  });
  const host = service.title;
  if (answer.ok) return { outcome: { kind: "accepted", reply: `its id is ${answer.value.id}` }, host, tracking: answer.value.id };
  const { kind, because } = answer.error;
  const outcome: Submitted =
    kind === "failed"
      ? { kind: "failed", step: "take the message", because }
      : { kind: "refused", step: "take the message", reply: because, forGood: true };
  return { outcome, host, tracking: undefined };
}

const shown = (state: Disposition, reply: string | null): Shown => {
  const status = reply === null ? undefined : enhancedStatus(reply);
  return { state, final: FINAL.includes(state), status: status?.code ?? null, meaning: status?.meaning ?? null, reply };
};

/** What became of a message so far: by the service's link, or by the events that were received. */
async function dispositionOf(
  service: ServiceAt,
  follows: boolean,
  ids: { readonly tracking: string; readonly messageId: string },
  session: Session,
): Promise<Shown | undefined> {
  if (follows && service.link !== undefined) {
    const said = await askLink(service.link, "showMessage", { at: { id: ids.tracking } });
    if (said.ok) return shown(said.value.state, said.value.reply ?? null);
    if (said.error.kind !== "unknown") return undefined;
  }
  if (!session.workspace.hasEvents) return undefined;
  const store = await session.workspace.openEvents();
  try {
    const last = store
      .of(ids.messageId)
      .findLast(({ kind }) => kind === "delivered" || kind === "deferred" || kind === "bounced" || kind === "complained");
    return last === undefined ? undefined : shown(last.kind as Disposition, last.reply);
  } finally {
    store.close();
  }
}

/** The message with this Message-ID in a file or a mailbox; undefined where it is not there yet. */
async function copyIn(path: string, messageId: string): Promise<StoredMessage | undefined> {
  // A mailbox comes into being with its first message.
  if (!existsSync(path)) return undefined;
  const stored = openMessages(path);
  const is = async (message: StoredMessage): Promise<boolean> => {
    const header = await scanMessage(message.source, () => []);
    return header.ok && fieldsNamed(header.value, "message-id").some((one) => fieldValue(one).includes(`<${messageId}>`));
  };
  if (stored.kind === "message") {
    if (await is(stored.message)) return stored.message;
    throw new UserError(
      `${path} holds another message, not <${messageId}>: give the copy that arrived, or the mailbox it is in.`,
    );
  }
  for await (const message of stored.messages) if (await is(message)) return message;
  return undefined;
}

/** Whether the domain is ready to send, and why, in one sentence. */
function readiness(result: Omit<Result, "ready" | "because">): Pick<Result, "ready" | "because"> {
  const { sent, disposition, received, missing } = result;
  const no = (because: string) => ({ ready: false, because });
  const unsure = (because: string) => ({ ready: null, because });
  const lacks = `${count(missing.length, "thing")} it depends on ${missing.length === 1 ? "is" : "are"} not ready`;
  if (sent.verdict === "not-sent") {
    const sure = missing.some((one) => one.state !== "unknown");
    return sure ? no(`nothing was sent, ${lacks}`) : unsure("nothing was sent, and the DNS could not be asked");
  }
  if (sent.verdict === "refused") return no("the message was not taken");
  if (sent.verdict === "unknown") return unsure("nobody knows whether the message was taken");
  if (disposition?.state === "bounced") return no("the message came back");
  if (disposition?.state === "complained") return no("the message arrived and was called spam");
  if (received !== null) {
    const { dmarc } = received;
    if (dmarc.result === "temperror") return unsure("the message arrived, and could not be judged: the DNS did not answer");
    if (dmarc.result !== "pass") return no(`the message arrived, but DMARC ends with ${dmarc.result}`);
    const open = received.bulk.filter(({ holds }) => holds === false);
    if (open.length > 0) return no(`the message arrived and is proven yours, but ${open[0]?.because}`);
    if (missing.length > 0) return no(`the message arrived and is proven yours, but ${lacks}`);
    return { ready: true, because: "the message arrived, and receivers can prove that it is yours" };
  }
  if (disposition === null) return unsure("the message was taken, and nobody can be asked what became of it");
  if (!disposition.final) return unsure(`the message is still ${disposition.state}`);
  return unsure("the message was delivered, and nobody has looked at what arrived; give --received with the copy or its mailbox");
}

const exitFor = (ready: boolean | null): ExitCode => (ready === null ? EXIT.undetermined : ready ? EXIT.ok : EXIT.not);

/** Seconds between two looks at what became of a message. */
const LOOK_EVERY = 5;

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
    ...LOOKING,
    service: { type: "string", requiresArg: true, describe: "the service to send through" },
    from: { type: "string", requiresArg: true, describe: "the sender address" },
    to: { type: "string", requiresArg: true, describe: "the recipient: a mailbox you can look into" },
    subject: { type: "string", requiresArg: true, describe: "the subject, if not the usual one" },
    text: { type: "string", requiresArg: true, describe: "a file with the text part" },
    html: { type: "string", requiresArg: true, describe: "a file with the HTML part" },
    unsubscribe: { type: "string", requiresArg: true, describe: "the https address for leaving the list with one click" },
    "return-path": { type: "string", requiresArg: true, describe: "the envelope sender, if not the sender address" },
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
        const { workspace, looking } = session;
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
        const offers = await offersOf(service);
        const common = { at: isoTime(looking.now), service: service.key, title: service.title, domain, from, to, signed: null };
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
            received: null,
          });
        }
        let ids: { tracking: string; messageId: string };
        let sent: Result["sent"];
        let via: Result["via"];
        let signature: Result["signed"] = null;
        if (earlier !== undefined) {
          ids = { tracking: earlier.tracking, messageId: earlier.messageId };
          sent = { verdict: "accepted", because: visible(earlier.reply) };
          via = earlier.via as Result["via"];
        } else {
          const messageId = `${randomBytes(12).toString("hex")}@${typed(domain)}`;
          let message = await messageFor(args, context, domain, to, messageId);
          if (args.sign !== undefined) {
            const selector = args.sign as string;
            message = await signed(message, domain, selector, workspace.folder, context.clock.now());
            signature = { domain, selector };
          }
          const overSmtp = service.settings.submission !== undefined || offers?.includes("submission") === true;
          via = (args.via as "smtp" | "link" | undefined) ?? (overSmtp || service.link === undefined ? "smtp" : "link");
          const envelope = { from: (args["return-path"] as string | undefined) ?? from, to };
          const { outcome, host, tracking } = await handIn(
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
          const because = submittedText(outcome, host);
          ids = { tracking: tracking ?? messageId, messageId };
          sent = { verdict: ({ accepted: "accepted", refused: "refused", failed: "unknown" } as const)[outcome.kind], because };
          if (outcome.kind === "accepted")
            journal.append(context.clock.now(), domain, {
              kind: "message-sent",
              service: service.key,
              from,
              to,
              ...ids,
              via,
              reply: outcome.reply,
            });
          if (outcome.kind !== "accepted")
            return done({
              ...common,
              signed: signature,
              messageId,
              tracking: null,
              via,
              missing,
              sent,
              disposition: null,
              received: null,
            });
        }
        const end = context.clock.now() + patience;
        const follows = offers?.includes("messages") === true;
        const path = args.received === undefined ? undefined : resolve(context.cwd, args.received as string);
        let disposition: Shown | undefined;
        let copy: StoredMessage | undefined;
        for (;;) {
          const seen = disposition?.final === true ? disposition : await dispositionOf(service, follows, ids, session);
          if (seen !== undefined && seen.state !== disposition?.state) {
            if (context.live) context.note(`${logTime(context.clock.now())}  ${seen.state}\n`);
            journal.append(context.clock.now(), domain, {
              kind: "message-followed",
              messageId: ids.messageId,
              state: seen.state,
              reply: seen.reply ?? "",
            });
            disposition = seen;
          }
          copy ??= path === undefined ? undefined : await copyIn(path, ids.messageId);
          const arrived = path === undefined || copy !== undefined;
          const over = disposition === undefined ? !follows && !workspace.hasEvents : disposition.final;
          const came = disposition?.state === "bounced" || disposition?.state === "complained";
          if ((over && (arrived || came)) || (copy !== undefined && disposition?.final === true)) break;
          if (context.clock.now() >= end) break;
          await context.clock.sleep(LOOK_EVERY * 1000);
        }
        const judged =
          copy === undefined
            ? null
            : await judgeOne(
                copy,
                { envelope: {}, how: { way: "walk" }, receiver: "zandrel.invalid" },
                memoized(looking.world),
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
      ...(received === null ? [] : ["", presentOne({ ...received, message: "The copy that arrived" }, style, width).trimEnd()]),
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
