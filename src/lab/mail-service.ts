import type { AuthorityHost } from "./authority.ts";
import { MailAccount } from "./mail-account.ts";
import type { MailServiceDescription } from "./mail-description.ts";
import { MailDesk } from "./mail-desk.ts";
import { type Arrival, fileInto, listenMail, type MailWorld, type Reply, receivedLine } from "./mail-host.ts";
import { MailRecords } from "./mail-records.ts";
import { type RunningService, type Step, startService, unless } from "./service.ts";

/** A mail service of the lab: it confirms addresses, accepts domains, gives out credentials, sends, and tells what became of it. */
export interface MailService extends RunningService {
  /** What its page “Leg rings” shows: the DKIM keys, which are made when somebody first looks. */
  page(domain: string): Promise<string>;
  /** Hands in a message as the theatre's application would; gives back its tracking id. */
  send(from: string, to: string, octets: Buffer): Promise<string>;
  /** Where mail of a domain that comes back goes to. */
  returnHost: MailServiceDescription["returnHost"];
  messages: MailDesk["messages"];
  pretend: MailDesk["pretend"];
  quiet: MailDesk["quiet"];
}

const step = (accepts: Parameters<typeof unless>[0], acceptance: string): Step => ({
  shows: () => "",
  refuses: unless(accepts, "We do not see your records yet. It can take up to 48 hours."),
  acceptance,
});

const EVERYTHING = { scope: "account", domain: undefined } as const;
const NOTHING = { scope: "mail", domain: "none" } as const;

/** The mail that asks whether an address is its owner's. */
const confirmation = ({ title, key }: MailServiceDescription, to: string, link: string, now: number): string =>
  `From: ${title} <hello@${key}.example>\r\nTo: ${to}\r\nSubject: Please confirm ${to}\r\nDate: ${new Date(now).toUTCString().replace("GMT", "+0000")}\r\nMessage-ID: <${now.toString(36)}.confirm@${key}.example>\r\nMIME-Version: 1.0\r\nContent-Type: text/plain; charset=utf-8\r\n\r\nOpen this link to confirm that ${to} is yours:\r\n\r\n${link}\r\n\r\nIt is good for 24 hours.\r\n`;

/** Starts a mail service: its link over HTTP, its mail servers, and a resolver with a cache of its own. */
export async function startMailService(
  description: MailServiceDescription,
  world: MailWorld,
  { key: accountKey, host }: { key: string; host: AuthorityHost },
): Promise<MailService> {
  const { key, title, address, offers } = description;
  const { clock, ports, mailboxes } = world;
  const resolver = world.resolver();
  const records = new MailRecords(description, host);
  const account = new MailAccount(description, records, resolver, clock.now, (to, link) =>
    desk.post(`hello@${key}.example`, to, Buffer.from(confirmation(description, to, link, clock.now()))),
  );
  const desk = new MailDesk(description, records, account, world, resolver);

  /** Mail that comes to the service itself: complaints in the form of RFC 5965 (by way of RFC 9477), and mailboxes. */
  const arrived = async (arrival: Arrival): Promise<Reply> => {
    const to = arrival.to.toLowerCase();
    if (to === `complaints@${key}.example`) {
      const about = arrival.octets.toString("latin1").split(/^Content-Type: message\/rfc822/im)[1] ?? "";
      desk.complained(/^Message-ID:\s*<([^>\s]+)>/im.exec(about)?.[1] ?? "");
    } else if (!to.startsWith("b-")) {
      const trace = Buffer.from(receivedLine(arrival, `in.${key}.example`, clock.now()));
      fileInto(`${mailboxes}/${to}`, Buffer.concat([trace, arrival.octets]));
    }
    return undefined;
  };
  const submission = async (arrival: Arrival): Promise<Reply> => {
    const taken = await desk.take(arrival, account.credential(arrival.user ?? "") ?? NOTHING);
    return "refused" in taken ? taken.refused : { code: 250, text: `2.0.0 queued as ${taken.tracking}` };
  };
  const login = account.login.bind(account);
  const submit = { address, host: `submit.${key}.example`, login, message: submission };
  const aliases = ["in1", "in2", "mx1", "mx2"].map((label) => `${label}.${key}.example`);
  const closers: (() => Promise<void>)[] = [];
  const close = async (): Promise<void> => void (await Promise.all(closers.map((stop) => stop())));
  try {
    const common = { host: `in.${key}.example`, aliases, message: arrived };
    closers.push(await listenMail({ address, port: ports.exchange, ...common }, world));
    closers.push(await listenMail({ ...submit, port: ports.submission }, world));
    closers.push(await listenMail({ ...submit, port: ports.implicit, implicit: true }, world));
  } catch (error) {
    await close();
    throw error;
  }
  const running = await startService(
    {
      title,
      steps: {
        ownership: { ...step(records.tokenSeen, "The domain is yours."), shows: (domain) => records.ownershipPage(domain) },
        sending: step(records.keysSeen, "Your keys are seen."),
        bounce: step(records.returnSeen, "Your bounce host is seen."),
        tracking: step(async () => true, "Your tracking host is noted."),
        mailbox: step(records.exchangeSeen, "Mail arrives at your mailboxes."),
      },
    },
    {
      clock,
      resolver,
      key: accountKey,
      more: {
        offers,
        reach: (secret) => account.reach(secret),
        routes(server, reachOf) {
          account.routes(server);
          desk.routes(server, reachOf);
        },
      },
    },
  );
  return {
    ...running,
    page: (domain) => records.page(domain),
    async send(from, to, octets) {
      const application = { ip: "127.0.0.1", helo: "application", user: "application", encrypted: true };
      const taken = await desk.take({ ...application, mailFrom: from, to, octets }, EVERYTHING);
      if ("refused" in taken) throw new Error(taken.refused.text);
      return taken.tracking;
    },
    returnHost: description.returnHost,
    messages: () => desk.messages(),
    pretend: (kind, tracking) => desk.pretend(kind, tracking),
    quiet: () => desk.quiet(),
    async close() {
      await Promise.all([running.close(), close()]);
    },
  };
}
