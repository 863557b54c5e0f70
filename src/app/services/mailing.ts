import type { Clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { composeMessage, type MessageContent, submitMessage } from "../../net/mail.ts";
import type { Journal, Workspace } from "../../workspace/index.ts";
import type { AppContext } from "../context.ts";
import type { DnsContext, DnsRequest } from "../dns/context.ts";
import { domainOfAddress, serviceNamed } from "./services.ts";
import { smtpSettings, submissionTo, submitted } from "./submission.ts";

/** How one recipient's message went. */
export interface Mailed {
  readonly to: string;
  readonly sent: boolean;
  readonly because: Clause;
}

/** Where Zandrel's own messages go out: a service of the workspace, and the sender and recipients. */
export interface MailRoute {
  /** The key of the service. */
  readonly service: string;
  readonly from: string;
  readonly to: readonly string[];
}

/** Sends a message of Zandrel's own to each recipient by itself, through a service of the workspace. */
export async function mailThrough(
  { service: key, from, to }: MailRoute,
  contentFor: (to: string) => Pick<MessageContent, "subject" | "text" | "messageId" | "attachments">,
  { workspace, journal, dns }: { readonly workspace: Workspace; readonly journal: Journal; readonly dns: DnsContext },
  request: DnsRequest & { readonly workspace: string | undefined },
  context: AppContext,
): Promise<Mailed[]> {
  const service = serviceNamed(workspace, key, { ...request, operands: [] }, context);
  const domain = domainOfAddress(from);
  for (const address of to) domainOfAddress(address);
  const settings = await smtpSettings(service, journal, domain);
  if (settings === undefined) throw new Failure("no-smtp-settings", { service: service.key, title: service.title });
  const submission = await submissionTo(settings, service, { workspace, dns }, request, context);
  const mailed: Mailed[] = [];
  for (const address of to) {
    const message = await composeMessage({ from, to: address, date: new Date(context.clock.now()), ...contentFor(address) });
    const outcome = await submitMessage(submission, { from, to: address }, message);
    mailed.push({ to: address, sent: outcome.kind === "accepted", because: submitted(outcome, settings.host) });
  }
  return mailed;
}
