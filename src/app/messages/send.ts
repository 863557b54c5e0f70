import { randomBytes } from "node:crypto";
import { resolve } from "node:path";
import * as z from "zod";
import { type Clause, clause, NOTHING, verbatim } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { memoized } from "../../core/lookup/index.ts";
import { type DomainName, withoutRootDot } from "../../core/name/index.ts";
import type { Journal } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Ended, Outcome } from "../context.ts";
import type { DnsOptions } from "../dns/context.ts";
import { domainOfAddress, missingShape, offersOf, type ServiceAt, serviceNamed } from "../services/services.ts";
import { type Session, writing } from "../session.ts";
import { domainName, sentence, time } from "../shapes.ts";
import { dispositionOf, dispositionShape, follow, type MessageIds } from "./follow.ts";
import { judgement, judgeOne } from "./judge.ts";
import { messageFor, missingFor, signed, submit } from "./test-message.ts";

export const sendTestMessageSchema = z.object({
  at: time,
  service: z.string(),
  title: z.string(),
  domain: domainName,
  from: z.string(),
  to: z.string(),
  messageId: z.string().nullable(),
  tracking: z.string().nullable().describe("what the service follows the message by"),
  via: z.enum(["smtp", "link"]).nullable(),
  signed: z.object({ domain: domainName, selector: z.string() }).nullable().describe("the signature made here"),
  missing: z.array(missingShape).describe("what the message depends on and is not there yet"),
  sent: z.object({ verdict: z.enum(["accepted", "refused", "unknown", "not-sent"]), because: sentence }),
  disposition: dispositionShape.nullable().describe("null where nobody can be asked"),
  folder: z.string().nullable().describe("the folder of the mailbox it arrived in; null is the inbox, or that nobody looked"),
  received: judgement.nullable().describe("the copy that arrived, judged"),
  ready: z.boolean().nullable().describe("whether the domain is ready to send; null where that cannot be said"),
  because: sentence,
});

export type SendTestMessageResult = z.output<typeof sendTestMessageSchema>;

const VERDICT = { accepted: "accepted", refused: "refused", failed: "unknown" } as const;

/** Whether the domain is ready to send, and why, in one sentence. */
function readiness(result: Omit<SendTestMessageResult, "ready" | "because">): Pick<SendTestMessageResult, "ready" | "because"> {
  const { sent, disposition, received, folder, missing } = result;
  const no = (because: Clause) => ({ ready: false, because });
  const unsure = (because: Clause) => ({ ready: null, because });
  const lacks = missing.map(({ what }) => what);
  if (sent.verdict === "not-sent") {
    const sure = missing.some((candidate) => candidate.state !== "unknown");
    return sure ? no(clause("message-not-sent", { lacks })) : unsure(clause("message-dns-unresolved"));
  }
  if (sent.verdict === "refused") return no(clause("message-refused"));
  if (sent.verdict === "unknown" && disposition === null && received === null) return unsure(clause("message-maybe-taken"));
  if (disposition?.state === "returned") return no(clause("message-came-back"));
  if (disposition?.state === "reported") return no(clause("message-spam"));
  if (received !== null) {
    const { dmarc } = received;
    if (dmarc.result === "temperror") return unsure(clause("message-unjudged"));
    if (dmarc.result !== "pass") return no(clause("message-fails", { result: dmarc.result, because: dmarc.because }));
    if (folder !== null) return no(clause("message-in-folder", { folder }));
    const open = received.bulk.filter(({ met }) => met === false);
    if (open.length > 0) return no(clause("message-yours-but", { because: open[0]?.because ?? NOTHING }));
    if (missing.length > 0) return no(clause("message-yours-lacks", { lacks }));
    const unknown = received.bulk.find(({ met }) => met === null);
    if (unknown !== undefined) return unsure(clause("message-yours-but", { because: unknown.because }));
    return { ready: true, because: clause("message-ready") };
  }
  if (disposition === null) return unsure(clause("message-gone-quiet"));
  if (!disposition.final) return unsure(clause("message-still", { state: disposition.state }));
  return unsure(clause("message-unseen"));
}

const endedFor = (ready: boolean | null): Ended => (ready === null ? "undetermined" : ready ? "fine" : "problem");

/** What {@link sendTestMessage} is asked. */
export interface SendTestMessageRequest extends CommonRequest, DnsOptions {
  readonly service: string | undefined;
  readonly from: string | undefined;
  readonly to: string | undefined;
  readonly subject: string | undefined;
  readonly text: string | undefined;
  readonly html: string | undefined;
  readonly unsubscribe: string | undefined;
  readonly mailFrom: string | undefined;
  readonly via: "smtp" | "link" | undefined;
  readonly sign: string | undefined;
  readonly force: boolean;
  readonly for: number;
  readonly copy: string | undefined;
  readonly follow: string | undefined;
}

/** A message that was sent before, by what the journal knows of it. */
type Earlier = ReturnType<typeof sentBefore>;

/** The message that `--follow` names; undefined where a new one is sent. */
function sentBefore({ follow: named }: SendTestMessageRequest, journal: Journal) {
  if (named === undefined) return undefined;
  const found = journal
    .entries(undefined, "message-sent")
    .findLast(({ tracking, messageId }) => tracking === named || messageId === named);
  if (found === undefined) throw new Failure("unknown-message", { given: named });
  return found;
}

/** What every part of sending a message works with. */
interface Sending {
  readonly request: SendTestMessageRequest;
  readonly context: AppContext;
  readonly session: Session;
  readonly journal: Journal;
  readonly service: ServiceAt;
  readonly from: string;
  readonly to: string;
  readonly domain: DomainName;
  /** Whether the service says what becomes of a message. */
  readonly follows: boolean;
  readonly overSmtp: boolean;
  readonly missing: SendTestMessageResult["missing"];
}

/** A message that was handed in, or that may have been. */
interface HandedIn {
  readonly ids: MessageIds;
  readonly via: SendTestMessageResult["via"];
  readonly signed: SendTestMessageResult["signed"];
  readonly sent: SendTestMessageResult["sent"];
  /** Whether the service does not have it, so that there is nothing to follow. */
  readonly isLost: boolean;
}

async function sendingOf(
  request: SendTestMessageRequest,
  context: AppContext,
  session: Session,
  journal: Journal,
  earlier: Earlier,
): Promise<Sending> {
  const wanted = (option: "service" | "from" | "to"): string => {
    const value = request[option] as string | undefined;
    if (value === undefined || value === "") throw new Failure("option-missing", { option, all: ["service", "from", "to"] });
    return value;
  };
  const service = serviceNamed(session.workspace, earlier?.service ?? wanted("service"), request, context);
  const from = earlier?.from ?? wanted("from");
  const to = earlier?.to ?? wanted("to");
  const domain = domainOfAddress(from);
  domainOfAddress(to);
  if (request.mailFrom) domainOfAddress(request.mailFrom);
  const offers = await offersOf(service);
  return {
    ...{ request, context, session, journal, service, from, to, domain },
    follows: offers?.includes("messages") === true,
    overSmtp: service.settings.submission !== undefined || offers?.includes("submission") === true,
    missing: await missingFor(service, domain, from, session, journal),
  };
}

/** Makes a message and hands it in. */
async function handIn(sending: Sending): Promise<HandedIn> {
  const { request, context, session, journal, service, from, to, domain, follows, overSmtp } = sending;
  const messageId = `${randomBytes(12).toString("hex")}@${withoutRootDot(domain)}`;
  const composed = await messageFor({ ...request, from }, context, domain, to, messageId);
  const selector = request.sign;
  const message =
    selector === undefined ? composed : await signed(composed, domain, selector, session.workspace.folder, context.clock.now());
  const via = request.via ?? (overSmtp || service.link === undefined ? "smtp" : "link");
  const envelope = { from: request.mailFrom ?? from, to };
  // Written down before it is sent: whatever happens then, the message can be followed by its Message-ID.
  const note = (tracking: string, reply: string): void =>
    void journal.append(context.clock.now(), domain, {
      kind: "message-sent",
      ...{ service: service.key, from, to, messageId, tracking, via, reply },
    });
  note(messageId, "");
  const outcome = await submit(via, service, envelope, message, domain, session, journal, request, context);
  const { kind, because, reply, tracking = messageId } = outcome;
  const ids = { tracking, messageId };
  if (kind === "accepted") note(tracking, reply ?? "");
  // Where the answer got lost, the service may have the message all the same.
  const has = kind === "failed" && (await dispositionOf(service, follows, ids, session, context)) !== undefined;
  return {
    ...{ ids, via, signed: selector === undefined ? null : { domain, selector } },
    sent: has ? { verdict: "accepted", because: clause("message-has-it", { because }) } : { verdict: VERDICT[kind], because },
    isLost: !has && kind !== "accepted",
  };
}

const handedInBefore = ({ tracking, messageId, reply, via }: NonNullable<Earlier>): HandedIn => ({
  ids: { tracking, messageId },
  via: via as HandedIn["via"],
  signed: null,
  sent:
    reply === ""
      ? { verdict: "unknown", because: clause("message-maybe-taken-followed") }
      : { verdict: "accepted", because: verbatim(reply) },
  isLost: false,
});

/** What becomes of a message, and how its copy is judged. */
async function followed(
  { request, context, session, journal, service, follows, domain }: Sending,
  { ids, isLost }: HandedIn,
): Promise<Pick<SendTestMessageResult, "disposition" | "folder" | "received">> {
  if (isLost) return { disposition: null, folder: null, received: null };
  const copyAt = request.copy === undefined ? undefined : resolve(context.cwd, request.copy);
  const until = context.clock.now() + (request.for ?? 0);
  const { disposition, copy } = await follow(service, follows, ids, { path: copyAt, until, domain }, session, journal, context);
  const how = { envelope: {}, how: { way: "tree-walk" }, receiver: "zandrel.invalid" } as const;
  const now = Math.floor(context.clock.now() / 1000);
  return {
    disposition: disposition ?? null,
    folder: copy?.folder ?? null,
    received: copy === undefined ? null : await judgeOne(copy.message, how, memoized(session.dns.world), now),
  };
}

/** Send a test message, follow it to its end, judge what arrived, and say whether the domain is ready to send. */
export async function sendTestMessage(
  request: SendTestMessageRequest,
  context: AppContext,
): Promise<Outcome<SendTestMessageResult>> {
  return writing(
    request,
    context,
    () => [],
    async (session, journal) => {
      const earlier = sentBefore(request, journal);
      const sending = await sendingOf(request, context, session, journal, earlier);
      const { service, domain, from, to, missing } = sending;
      const common = { at: session.dns.now, service: service.key, title: service.title, domain, from, to, missing };
      const done = (partial: Omit<SendTestMessageResult, "ready" | "because">) => {
        const ready = readiness(partial);
        return { ended: endedFor(ready.ready), result: { ...partial, ...ready } };
      };
      if (earlier === undefined && missing.length > 0 && !request.force)
        return done({
          ...{ ...common, signed: null, messageId: null, tracking: null, via: null },
          sent: { verdict: "not-sent", because: clause("message-not-ready") },
          ...{ disposition: null, folder: null, received: null },
        });
      const handed = earlier === undefined ? await handIn(sending) : handedInBefore(earlier);
      const { ids, via, sent, isLost } = handed;
      return done({
        ...{ ...common, via, sent, signed: handed.signed, messageId: ids.messageId },
        tracking: isLost ? null : ids.tracking,
        ...(await followed(sending, handed)),
      });
    },
  );
}
