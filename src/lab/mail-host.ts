import { randomBytes } from "node:crypto";
import { mkdirSync, renameSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { SMTPServer, type SMTPServerOptions } from "smtp-server";
import type { LabClock } from "../clock.ts";
import { verbatim } from "../core/clause/index.ts";
import { name, parseName } from "../core/name/index.ts";
import type { DataOf } from "../core/record/index.ts";
import { type Submitted, submitMessage } from "../net/mail.ts";
import type { Authority } from "./certificates.ts";
import type { CachingResolver } from "./resolver.ts";

/** Ports of the lab's mail servers: exchange, and submission with STARTTLS and with TLS from the start. */
interface MailPorts {
  readonly exchange: number;
  readonly submission: number;
  readonly implicit: number;
}

/** What all mail servers of the lab share. */
export interface MailWorld {
  readonly clock: LabClock;
  readonly ports: MailPorts;
  readonly authority: Authority;
  /** A resolver with a cache of its own. */
  resolver(): CachingResolver;
  /** The folder with the mailboxes, one Maildir each. */
  readonly mailboxes: string;
}

/** A message on its way, with what the SMTP conversation said. */
export interface Arrival {
  readonly ip: string;
  readonly helo: string;
  readonly mailFrom: string;
  readonly to: string;
  readonly octets: Buffer;
  readonly encrypted: boolean;
  /** The user who logged in, where somebody had to. */
  readonly user: string | undefined;
}

/** What a server says to a message or a recipient: undefined takes it with the usual words. */
export type Reply = { readonly code: number; readonly text: string } | undefined;

export interface MailHostOptions {
  readonly address: string;
  readonly port: number;
  /** The server's name, in its greeting and its certificate. */
  readonly host: string;
  /** Further names that its certificate bears. */
  readonly aliases?: readonly string[];
  readonly implicit?: boolean;
  /** Who it is that logs in with this name and password, undefined for nobody; without it nobody has to. */
  readonly login?: (user: string, password: string) => string | undefined;
  readonly recipient?: (address: string) => Reply;
  readonly message: (arrival: Arrival) => Promise<Reply>;
}

/** A refusal with its code, as the server library wants it. */
const refusal = ({ code, text }: NonNullable<Reply>): Error => Object.assign(new Error(text), { responseCode: code });

/** Listens for mail on one loopback address; gives back how to stop. */
export async function listenMail(
  { address, port, host, aliases = [], implicit = false, login, recipient, message }: MailHostOptions,
  { authority }: Pick<MailWorld, "authority">,
): Promise<() => Promise<void>> {
  const options: SMTPServerOptions = {
    ...(await authority.leaf(host, ...aliases)),
    name: host,
    banner: "lab",
    secure: implicit,
    size: 10 << 20,
    logger: false,
    authOptional: login === undefined,
    disabledCommands: login === undefined ? ["AUTH"] : [],
    disableReverseLookup: true,
    closeTimeout: 100,
    onAuth(auth, _, done) {
      const user = login?.(auth.username ?? "", auth.password ?? "");
      if (user !== undefined) done(null, { user });
      else done(refusal({ code: 535, text: "5.7.8 user name or password not accepted" }));
    },
    onRcptTo({ address: to }, _, done) {
      const reply = recipient?.(to);
      done(reply === undefined ? null : refusal(reply));
    },
    onData(stream, session, done) {
      const chunks: Buffer[] = [];
      stream.on("data", (chunk: Buffer) => chunks.push(chunk));
      stream.on("end", () => {
        const { envelope } = session;
        const arrival = (to: string): Arrival => ({
          ip: session.remoteAddress,
          helo: session.hostNameAppearsAs || "unknown",
          mailFrom: envelope.mailFrom === false ? "" : envelope.mailFrom.address,
          to,
          octets: Buffer.concat(chunks),
          encrypted: session.secure,
          user: session.user,
        });
        void Promise.all(envelope.rcptTo.map((to) => message(arrival(to.address)))).then(
          ([reply]) =>
            reply !== undefined && reply.code >= 400
              ? done(refusal(reply))
              : (done as (error: null, text: string) => void)(null, reply?.text ?? "2.0.0 taken"),
          (error) => done(refusal({ code: 451, text: `4.3.0 ${(error as Error).message}` })),
        );
      });
    },
  };
  const server = new SMTPServer(options);
  server.on("error", () => {});
  await new Promise<void>((resolve, reject) => {
    server.once("error", reject);
    server.listen(port, address, resolve);
  });
  return () => new Promise((resolve) => server.close(() => resolve()));
}

/** The trace line that a server puts on top of a message (RFC 5321 section 4.4). */
export const receivedLine = ({ ip, helo, to, encrypted, user }: Arrival, by: string, now: number): string =>
  `Received: from ${helo} (${helo} [${ip}])\r\n\tby ${by} with ESMTP${encrypted ? "S" : ""}${user === undefined ? "" : "A"}\r\n\tid ${randomBytes(6).toString("hex")} for <${to}>;\r\n\t${new Date(now).toUTCString().replace("GMT", "+0000")}\r\n`;

/** Puts a message into a Maildir, where it appears as a whole. */
export function fileInto(maildir: string, octets: Buffer): void {
  for (const part of ["tmp", "new", "cur"]) mkdirSync(join(maildir, part), { recursive: true });
  const file = `${Date.now()}.${randomBytes(8).toString("hex")}.lab`;
  writeFileSync(join(maildir, "tmp", file), octets);
  renameSync(join(maildir, "tmp", file), join(maildir, "new", file));
}

/** The server that takes mail for a domain, and its address; undefined where there is none. */
async function exchangeOf(domain: string, resolver: CachingResolver): Promise<{ host: string; address: string } | undefined> {
  const parsed = parseName(domain);
  if (!parsed.ok) return undefined;
  const mx = await resolver.ask(parsed.value, "MX");
  if (mx.kind === "failed") throw new Error(`the mail servers of ${domain} could not be asked for (${mx.why})`);
  const hosts =
    mx.kind === "found"
      ? [...(mx.set.data as readonly DataOf["MX"][])].sort((a, b) => a.preference - b.preference).map((data) => data.exchange)
      : [parsed.value];
  for (const host of hosts) {
    const found = await resolver.ask(name(host), "A");
    const address = found.kind === "found" ? (found.set.data[0] as DataOf["A"] | undefined)?.address : undefined;
    if (address !== undefined) return { host: host.slice(0, -1), address };
  }
  return undefined;
}

interface Outgoing {
  readonly from: string;
  readonly to: string;
  readonly octets: Buffer;
}

/** Who delivers: the address it sends from, and the name it gives. */
interface Mailer {
  readonly address: string;
  readonly helo: string;
}

/** Hands a message to the server that takes mail for its recipient, from an address and under a name of one's own. */
export const deliver = (message: Outgoing, own: Mailer, world: MailWorld, resolver: CachingResolver): Promise<Submitted> =>
  world.clock.hold(submit(message, own, world, resolver));

async function submit(
  message: Outgoing,
  own: Mailer,
  { ports, authority }: MailWorld,
  resolver: CachingResolver,
): Promise<Submitted> {
  try {
    const exchange = await exchangeOf(message.to.slice(message.to.lastIndexOf("@") + 1), resolver);
    if (exchange === undefined)
      return {
        kind: "refused",
        step: "recipient",
        reply: "550 5.1.2 no mail server takes mail for that domain",
        forGood: true,
      };
    return await submitMessage(
      {
        ...exchange,
        port: ports.exchange,
        tls: "starttls",
        helo: own.helo,
        from: own.address,
        timeout: 10_000,
        certificates: authority.pem,
      },
      message,
      message.octets,
    );
  } catch (error) {
    return { kind: "failed", step: "connect", because: verbatim((error as Error).message) };
  }
}
