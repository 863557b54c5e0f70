import { resolve } from "node:path";
import { type Clause, clause } from "../../core/clause/index.ts";
import { type SignOptions, signatureObstacle, signedMessage } from "../../core/dkim/index.ts";
import { Failure } from "../../core/failure.ts";
import type { DomainName } from "../../core/name/index.ts";
import { withoutRootDot } from "../../core/name/index.ts";
import type { Submitted } from "../../net/mail.ts";
import { askLink } from "../../net/service-link.ts";
import { type Journal, keyPath, readPrivateKey, readSecret, readText } from "../../workspace/index.ts";
import type { AppContext } from "../context.ts";
import type { DnsRequest } from "../dns/context.ts";
import { lastState, linkTrouble, type Missing, offersOf, type ServiceAt, unsettledAsks } from "../services/services.ts";
import { credentialFor, smtpSettings, submissionTo, submitted } from "../services/submission.ts";
import type { Session } from "../session.ts";

/** A test message up to the moment it is submitted: what it depends on, what it says, its signature, its way. */

/** What a message depends on: settled asks, an accepted domain, a confirmed address. */
export async function missingFor(
  service: ServiceAt,
  domain: DomainName,
  address: string,
  session: Session,
  journal: Journal,
): Promise<Missing[]> {
  const missing = await unsettledAsks(service, domain, session, journal);
  const offers = await offersOf(service);
  const known = { domain: lastState(journal, service.key, domain), address: lastState(journal, service.key, domain, address) };
  const expect = (what: string, state: string | undefined, wanted: string, because: Clause, next: Clause): void => {
    if (state !== wanted)
      missing.push({ what, state: state === undefined || state === "unknown" ? "missing" : state, because, next });
  };
  if (offers?.includes("domains") === true && service.link !== undefined) {
    const said = await askLink(service.link, "showDomain", { at: { domain: withoutRootDot(domain) } });
    if (!said.ok && said.error.kind !== "unknown")
      throw linkTrouble(service, clause("asked-where-stands", { of: withoutRootDot(domain) }), said.error);
    const next = clause("next-sender-domain", { service: service.key, domain });
    expect(
      withoutRootDot(domain),
      said.ok ? said.value.state : undefined,
      "accepted",
      clause("service-domain-open", { title: service.title }),
      next,
    );
    if (said.ok && said.value.signing === "off")
      missing.push({
        what: "signing",
        state: "off",
        because: clause("service-signing-off", { title: service.title }),
        next: clause("next-signing-on", { service: service.key, domain }),
      });
  } else if (known.domain !== undefined)
    expect(
      withoutRootDot(domain),
      known.domain.state,
      "accepted",
      clause("service-domain-open", { title: service.title }),
      clause("next-sender-domain", { service: service.key, domain }),
    );
  const next = clause("next-sender-address", { service: service.key, address });
  if (offers?.includes("senders") === true && service.link !== undefined) {
    const said = await askLink(service.link, "showSender", { at: { address } });
    if (!said.ok && said.error.kind !== "unknown")
      throw linkTrouble(service, clause("asked-where-stands", { of: address }), said.error);
    expect(address, said.ok ? said.value.state : undefined, "confirmed", clause("service-address-unconfirmed"), next);
  } else if (known.address !== undefined)
    expect(address, known.address.state, "confirmed", clause("service-address-unconfirmed"), next);
  return missing;
}

/** What the message says. */
export interface TestMessageRequest {
  readonly from: string;
  readonly subject: string | undefined;
  /** Files with the text and the HTML part. */
  readonly text: string | undefined;
  readonly html: string | undefined;
  readonly unsubscribe: string | undefined;
}

const MAX_URL = 900;

/** The message, as it is to be sent. */
export async function messageFor(
  request: TestMessageRequest,
  context: AppContext,
  domain: DomainName,
  to: string,
  messageId: string,
): Promise<Buffer> {
  const { composeMessage } = await import("../../net/mail.ts");
  const file = (option: "text" | "html"): string | undefined =>
    request[option] === undefined ? undefined : readText(resolve(context.cwd, request[option] as string), "utf8", 1 << 20);
  const when = new Date(context.clock.now());
  const about = { domain, at: when.getTime() };
  const parts = Promise.all([clause("test-message-from", about), clause("test-message-arrived")].map(context.inWords));
  const text = file("text") ?? `${(await parts).join("\n\n")}\n`;
  const html = file("html") ?? (await parts).map((part) => `<p>${part}</p>`).join("");
  const unsubscribe =
    request.unsubscribe ?? `https://${withoutRootDot(domain)}/unsubscribe?message=${encodeURIComponent(messageId)}`;
  if (!URL.canParse(unsubscribe) || !unsubscribe.startsWith("https://") || /[\s<>]/.test(unsubscribe))
    throw new Failure("unsubscribe-form", {});
  // It stands on a line of its own in the header, which cannot be folded (RFC 5322 section 2.1.1).
  if (unsubscribe.length > MAX_URL) throw new Failure("unsubscribe-long", { most: MAX_URL });
  return composeMessage({
    from: request.from,
    to,
    subject: request.subject ?? (await context.inWords(clause("test-message-subject", about))),
    text,
    html,
    date: when,
    messageId,
    unsubscribe,
  });
}

/** The message with a signature of this workspace's key on top. */
export async function signed(
  message: Buffer,
  domain: DomainName,
  selector: string,
  folder: string,
  now: number,
): Promise<Buffer> {
  const options: SignOptions = {
    domain,
    selector,
    key: readPrivateKey(keyPath(folder, domain, selector)),
    header: "relaxed",
    body: "relaxed",
    signedAt: Math.floor(now / 1000),
  };
  const obstacle = signatureObstacle(options);
  if (obstacle !== undefined) throw new Failure("cannot-sign", { because: obstacle });
  const done = await signedMessage(message, options);
  if (done === undefined) throw new Error("a message that was just composed cannot be signed");
  return done;
}

/** The id in a server's last reply, where it names one: `id=…`, `queued as …`. */
const trackingIn = (reply: string): string | undefined =>
  /\b(?:id=|queued as |message id )<?([!-;=?-~]{4,200}?)>?(?:[\s.;)]|$)/i.exec(reply)?.[1];

/** How the submission of a message ended: `reply` is what the service said, `tracking` by what it knows the message. */
export interface SubmitOutcome {
  readonly kind: Submitted["kind"];
  readonly because: Clause;
  readonly reply?: string | undefined;
  readonly tracking?: string | undefined;
}

/** Hands the message in over SMTP, or over the link. */
export async function submit(
  via: "smtp" | "link",
  service: ServiceAt,
  envelope: { from: string; to: string },
  message: Buffer,
  domain: DomainName,
  session: Session,
  journal: Journal,
  request: DnsRequest,
  context: AppContext,
): Promise<SubmitOutcome> {
  if (via === "smtp") {
    const settings = await smtpSettings(service, journal, domain);
    if (settings === undefined) throw new Failure("no-smtp-settings", { service: service.key, title: service.title });
    const { submitMessage } = await import("../../net/mail.ts");
    const outcome = await submitMessage(await submissionTo(settings, service, session, request, context), envelope, message);
    const { kind } = outcome;
    const reply = kind === "accepted" ? outcome.reply : undefined;
    return { kind, because: submitted(outcome, settings.host), reply, tracking: reply && trackingIn(reply) };
  }
  if (service.link === undefined) throw new Failure("no-link", { title: service.title });
  const kept = credentialFor(journal, service, domain);
  const key =
    kept === undefined
      ? service.link.key
      : readSecret(kept.kept, clause("secret-credential", { title: service.title }), session.workspace.folder, context.env);
  const answer = await askLink({ ...service.link, key }, "sendMessage", {
    body: { from: envelope.from, to: envelope.to, message: message.toString("base64") },
  });
  const host = service.title;
  if (answer.ok) {
    const { id } = answer.value;
    return { kind: "accepted", because: clause("service-took-as", { host, id }), reply: id, tracking: id };
  }
  const { kind, because } = answer.error;
  return kind === "failed" || kind === "unreachable"
    ? { kind: "failed", because: clause("service-stopped", { host, step: "message", because }) }
    : { kind: "refused", because: clause("service-declined", { host, because }) };
}
