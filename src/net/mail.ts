import type { TlsOptions } from "node:tls";
import MailComposer from "nodemailer/lib/mail-composer";
import SMTPConnection from "nodemailer/lib/smtp-connection";
import { type Clause, clause, verbatim } from "../core/clause/index.ts";
import { redacted } from "./redact.ts";

/** What goes into a message that a person is to read. */
export interface MessageContent {
  readonly from: string;
  readonly to: string;
  readonly subject: string;
  readonly text: string;
  readonly html?: string;
  readonly attachments?: readonly { readonly filename: string; readonly content: Buffer; readonly contentType: string }[];
  readonly date: Date;
  /** Without its angle brackets. */
  readonly messageId: string;
  /** Where one click leaves the list (RFC 8058). */
  readonly unsubscribe?: string;
}

/** A header text whose words are short enough for a line; longer ones are written as encoded words (RFC 2047). */
const foldable = (text: string): string =>
  /\S{900}/.test(text)
    ? (text.match(/.{1,40}/gu) ?? []).map((part) => `=?utf-8?B?${Buffer.from(part).toString("base64")}?=`).join(" ")
    : text;

/** A whole message of RFC 5322 with a text and, where there is one, an HTML part; lines end in CRLF, and none is too long. */
export function composeMessage({
  unsubscribe,
  messageId,
  subject,
  attachments = [],
  ...content
}: MessageContent): Promise<Buffer> {
  const composer = new MailComposer({
    ...content,
    subject: foldable(subject),
    messageId: `<${messageId}>`,
    newline: "\r\n",
    attachments: [...attachments],
    headers:
      unsubscribe === undefined
        ? // Nobody's vacation is to answer a machine (RFC 3834 section 5).
          [{ key: "Auto-Submitted", value: "auto-generated" }]
        : [
            { key: "List-Unsubscribe", value: `<${unsubscribe}>` },
            { key: "List-Unsubscribe-Post", value: "List-Unsubscribe=One-Click" },
          ],
  });
  return composer.compile().build();
}

/** Where and how messages are submitted. */
export interface Submission {
  /** The server's name, which its certificate has to bear. */
  readonly host: string;
  /** The address to connect to. */
  readonly address: string;
  readonly port: number;
  /** Never in the clear. */
  readonly tls: "starttls" | "implicit";
  readonly login?: { readonly user: string; readonly password: string };
  /** The name to introduce oneself with. */
  readonly helo?: string;
  /** Longest wait for the whole exchange, in milliseconds. */
  readonly timeout: number;
  /** Address to connect from. */
  readonly from?: string;
  readonly certificates?: TlsOptions["ca"];
}

/** The steps of submitting a message, in their order. */
const STEPS = {
  CONNECT: "connect",
  EHLO: "greet",
  HELO: "greet",
  STARTTLS: "encrypt",
  AUTH: "login",
  MAIL: "sender",
  RCPT: "recipient",
  DATA: "message",
  QUIT: "end",
} as const;
type SubmissionStep = (typeof STEPS)[keyof typeof STEPS];

/** How it ended. `refused` is the server's own word; `failed` means that nobody knows. */
export type Submitted =
  | { readonly kind: "accepted"; readonly reply: string }
  | { readonly kind: "refused"; readonly step: SubmissionStep; readonly reply: string; readonly forGood: boolean }
  | { readonly kind: "failed"; readonly step: SubmissionStep; readonly because: Clause };

interface SmtpTrouble extends Error {
  /** What the server refused; where commands are sent in one go, it is not the last one. */
  readonly command?: string;
  readonly code?: string;
  readonly response?: string;
  readonly responseCode?: number;
}

/** What went wrong below SMTP. */
function troubleOf({ code, message }: SmtpTrouble, { host, timeout }: Submission, safe: (text: string) => string): Clause {
  const names = /altnames: (?:Host|IP): \S+ is not (?:in the cert's (?:altnames|list)): (.*)$/.exec(message)?.[1];
  if (/altnames/.test(message))
    return clause("peer-certificate-other", { host, names: names && safe(names.replace(/DNS:/g, "").slice(0, 200)) });
  if (/certificate|self.signed|CERT_/i.test(message))
    return clause("peer-certificate-not-trusted", { why: safe(message.slice(0, 200)) });
  if (code === "ETIMEDOUT" || /timeout/i.test(message)) return clause("peer-no-answer", { seconds: timeout / 1000 });
  if (/STARTTLS/.test(message)) return clause("peer-no-encryption");
  if (code === "ENOAUTH" || code === "EAUTH") return clause("peer-no-login");
  if (/ECONNREFUSED/.test(message)) return clause("peer-nobody-listens");
  return verbatim(safe(message.slice(0, 200)));
}

/** Connects, encrypts, logs in; then runs `work`, which may submit a message. The password goes nowhere else. */
function withServer(
  to: Submission,
  work: (connection: SMTPConnection, done: (error: Error | null | undefined, reply?: string) => void) => void,
): Promise<Submitted> {
  return new Promise((resolve) => {
    let step: SubmissionStep = "connect";
    // Of what is logged only the first word counts: it names the step. Secrets never get this far.
    const follow = ({ tnx }: { tnx?: string }, text: unknown): void => {
      const verb = /^([A-Z]{4,8})(?: |$)/.exec(String(text))?.[1];
      if (tnx === "client" && verb !== undefined && Object.hasOwn(STEPS, verb)) step = STEPS[verb as keyof typeof STEPS];
    };
    const quiet = (): void => {};
    const connection = new SMTPConnection({
      host: to.address,
      port: to.port,
      secure: to.tls === "implicit",
      requireTLS: to.tls === "starttls",
      ...(to.from === undefined ? {} : { localAddress: to.from }),
      ...(to.helo === undefined ? {} : { name: to.helo }),
      tls: { servername: to.host, minVersion: "TLSv1.2", ...(to.certificates === undefined ? {} : { ca: to.certificates }) },
      connectionTimeout: to.timeout,
      greetingTimeout: to.timeout,
      socketTimeout: to.timeout,
      transactionLog: true,
      logger: { level: quiet, trace: quiet, debug: follow, info: quiet, warn: quiet, error: quiet, fatal: quiet },
    } as unknown as SMTPConnection.Options);
    // Some servers repeat what they were sent.
    const safe = (text: string): string => redacted(text, [to.login?.password], to.login?.user);
    let over = false;
    const end = (outcome: Submitted): void => {
      if (over) return;
      over = true;
      clearTimeout(deadline);
      if (outcome.kind === "failed") connection.close();
      else connection.quit();
      resolve(outcome.kind === "failed" ? outcome : { ...outcome, reply: safe(outcome.reply) });
    };
    // A server that drips is given no more time than one that is silent.
    const deadline = setTimeout(
      () => end({ kind: "failed", step, because: clause("peer-no-answer", { seconds: to.timeout / 1000 }) }),
      to.timeout,
    );
    const settle = (error: Error | null | undefined, reply = ""): void => {
      if (error === null || error === undefined) return end({ kind: "accepted", reply });
      const trouble = error as SmtpTrouble;
      const code = trouble.responseCode ?? Number(/^(\d{3})/.exec(trouble.response ?? "")?.[1]);
      const refused = trouble.command?.split(" ")[0] as keyof typeof STEPS | undefined;
      if (trouble.response !== undefined && code >= 400)
        return end({ kind: "refused", step: (refused && STEPS[refused]) ?? step, reply: trouble.response, forGood: code >= 500 });
      end({ kind: "failed", step, because: troubleOf(trouble, to, safe) });
    };
    connection.on("error", settle);
    connection.on("end", () => end({ kind: "failed", step, because: clause("peer-broke-off") }));
    connection.connect((error) => {
      if (error) return settle(error);
      if (to.login === undefined) return work(connection, settle);
      connection.login({ credentials: { user: to.login.user, pass: to.login.password } }, (refused) => {
        if (refused) return settle(refused);
        work(connection, settle);
      });
    });
  });
}

/** Submits a message (RFC 6409) whose octets are final. */
export const submitMessage = (
  to: Submission,
  envelope: { readonly from: string; readonly to: string },
  message: Buffer,
): Promise<Submitted> =>
  withServer(to, (connection, done) => {
    connection.send({ from: envelope.from, to: [envelope.to], use8BitMime: false }, message, (error, info) =>
      done(error, info?.response),
    );
  });

/** Connects and logs in, and submits nothing. */
export const trySubmission = (to: Submission): Promise<Submitted> => withServer(to, (_, done) => done(undefined));
