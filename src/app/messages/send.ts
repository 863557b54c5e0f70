import { randomBytes } from "node:crypto";
import { resolve } from "node:path";
import * as z from "zod";
import { type Clause, clause, NOTHING, verbatim } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { memoized } from "../../core/lookup/index.ts";
import { withoutRootDot } from "../../core/name/index.ts";
import type { AppContext, CommonRequest, Ended, Outcome } from "../context.ts";
import type { DnsOptions } from "../dns/context.ts";
import { domainOfAddress, missingShape, offersOf, serviceNamed } from "../services/services.ts";
import { submitted } from "../services/submission.ts";
import { writing } from "../session.ts";
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
    const sure = missing.some((one) => one.state !== "unknown");
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

/** Send a test message, follow it to its end, judge what arrived, and say whether the domain is ready to send. */
export async function sendTestMessage(
  request: SendTestMessageRequest,
  context: AppContext,
): Promise<Outcome<SendTestMessageResult>> {
  const patience = request.for ?? 0;
  return writing(
    request,
    context,
    () => [],
    async (session, journal) => {
      const { workspace, dns } = session;
      const wanted = (option: "service" | "from" | "to"): string => {
        const value = request[option] as string | undefined;
        if (value === undefined || value === "") throw new Failure("option-missing", { option, all: ["service", "from", "to"] });
        return value;
      };
      const earlier =
        request.follow === undefined
          ? undefined
          : journal
              .entries(undefined, "message-sent")
              .findLast((one) => one.tracking === request.follow || one.messageId === request.follow);
      if (request.follow !== undefined && earlier === undefined) throw new Failure("unknown-message", { given: request.follow });
      const service = serviceNamed(workspace, earlier?.service ?? wanted("service"), request, context);
      const from = earlier?.from ?? wanted("from");
      const to = earlier?.to ?? wanted("to");
      const domain = domainOfAddress(from);
      domainOfAddress(to);
      const returnPath = request.mailFrom;
      if (returnPath) domainOfAddress(returnPath);
      const offers = await offersOf(service);
      const follows = offers?.includes("messages") === true;
      const common = { at: dns.now, service: service.key, title: service.title, domain, from, to, signed: null };
      const missing = await missingFor(service, domain, from, session, journal);
      const done = (partial: Omit<SendTestMessageResult, "ready" | "because">) => {
        const ready = readiness(partial);
        return { ended: endedFor(ready.ready), result: { ...partial, ...ready } };
      };
      if (earlier === undefined && missing.length > 0 && !request.force) {
        return done({
          ...common,
          messageId: null,
          tracking: null,
          via: null,
          missing,
          sent: { verdict: "not-sent", because: clause("message-not-ready") },
          disposition: null,
          folder: null,
          received: null,
        });
      }
      let ids: MessageIds;
      let sent: SendTestMessageResult["sent"];
      let via: SendTestMessageResult["via"];
      let signature: SendTestMessageResult["signed"] = null;
      if (earlier !== undefined) {
        ids = { tracking: earlier.tracking, messageId: earlier.messageId };
        sent =
          earlier.reply === ""
            ? { verdict: "unknown", because: clause("message-maybe-taken-followed") }
            : { verdict: "accepted", because: verbatim(earlier.reply) };
        via = earlier.via as SendTestMessageResult["via"];
      } else {
        const messageId = `${randomBytes(12).toString("hex")}@${withoutRootDot(domain)}`;
        let message = await messageFor({ ...request, from }, context, domain, to, messageId);
        if (request.sign !== undefined) {
          const selector = request.sign;
          message = await signed(message, domain, selector, workspace.folder, context.clock.now());
          signature = { domain, selector };
        }
        const overSmtp = service.settings.submission !== undefined || offers?.includes("submission") === true;
        via = request.via ?? (overSmtp || service.link === undefined ? "smtp" : "link");
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
          request,
          context,
        );
        ids = { tracking: tracking ?? messageId, messageId };
        sent = { verdict: VERDICT[outcome.kind], because: submitted(outcome, host) };
        if (outcome.kind === "accepted") note(ids.tracking, outcome.reply);
        // Where the answer got lost, the service may have the message all the same.
        const has = outcome.kind === "failed" && (await dispositionOf(service, follows, ids, session)) !== undefined;
        if (has) sent = { verdict: "accepted", because: clause("message-has-it", { because: sent.because }) };
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
          path: request.copy === undefined ? undefined : resolve(context.cwd, request.copy),
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
              { envelope: {}, how: { way: "tree-walk" }, receiver: "zandrel.invalid" },
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
}
