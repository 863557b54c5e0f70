import { generateKeyPair, type KeyObject, randomBytes } from "node:crypto";
import { promisify } from "node:util";
import type { FastifyInstance, FastifyRequest } from "fastify";
import { BodyHash, makeSignature } from "../core/dkim/index.ts";
import { fieldsNamed, fieldValue, parseMailboxes, scanMessage } from "../core/message/index.ts";
import { type DomainName, name, parseName } from "../core/name/index.ts";
import { cutIntoStrings, octetsOf } from "../core/record/index.ts";
import type { Disposition, EventKind, MessageEvent, MessageState, Offer } from "../core/sending/index.ts";
import { signEvents } from "../net/index.ts";
import type { AuthorityHost } from "./authority.ts";
import { type Arrival, deliver, fileInto, listenMail, type MailWorld, type Reply, receivedLine } from "./mail-host.ts";
import type { CachingResolver } from "./resolver.ts";
import { hasText, type MoreOffers, plain, type Reach, type RunningService, type Step, secret, startService } from "./service.ts";

/** What one mail service does its own way. */
export interface MailServiceDescription {
  readonly key: "heronpost" | "swiftquill" | "inglemail";
  readonly title: string;
  /** Short letters in front of tracking ids. */
  readonly mark: string;
  readonly address: string;
  readonly selectors: readonly string[];
  /** How its keys are published: by an alias to the service, or as a text in the domain. */
  readonly publishes: "alias" | "text";
  /** Where bounces of a domain go. */
  readonly returnHost: (domain: string) => string;
  readonly offers: readonly Offer[];
  /** What it does with mail of a domain that it has not accepted. */
  readonly unaccepted: "refuse" | "sign-as-itself";
  /** Whether its signing is a switch of its own. */
  readonly signingSwitch: boolean;
}

interface Followed {
  state: MessageState;
  readonly domain: string;
}

interface LabCredential extends Reach {
  readonly id: string;
  readonly secret: string;
  readonly user: string;
  readonly madeAt: string;
}

/** A mail service of the lab: it confirms addresses, accepts domains, gives out credentials, sends, and tells what became of it. */
export interface MailService extends RunningService {
  /** What its page “Sending domain” shows: the DKIM keys, which are made when somebody first looks. */
  page(domain: string): Promise<string>;
  /** Hands in a message as the theatre's application would; gives back its tracking id. */
  send(from: string, to: string, octets: Buffer): Promise<string>;
  /** Has a recipient open or click a message, or leave the list. */
  pretend(kind: "opened" | "clicked" | "unsubscribed", tracking: string): Promise<void>;
  /** Waits until nothing is under way any more: deliveries, and events told. */
  quiet(): Promise<void>;
}

const DAY = 86_400_000;

/** How long a link that confirms an address is good. */
const LINK_GOOD_FOR = DAY;

const isoOf = (at: number): string => new Date(at).toISOString();

const makeKey = async () => promisify(generateKeyPair)("rsa", { modulusLength: 2048 });

const keyText = (key: KeyObject): string => `v=DKIM1; k=rsa; p=${key.export({ type: "spki", format: "der" }).toString("base64")}`;

const domainOf = (address: string): string => address.slice(address.lastIndexOf("@") + 1).toLowerCase();

export async function startMailService(
  description: MailServiceDescription,
  world: MailWorld,
  { key: accountKey, host }: { key: string; host: AuthorityHost },
): Promise<MailService> {
  const { key: service, title, mark, address, selectors } = description;
  const { clock, ports, mailboxes } = world;
  const resolver: CachingResolver = world.resolver();
  const apex = name(`${service}.example`);
  const own = { address, helo: `out.${service}.example` };

  // Keys are made when they are first needed, because making them takes a while.
  const keys = new Map<string, Promise<{ publicKey: KeyObject; privateKey: KeyObject }>>();
  const keyOf = (domain: string, selector: string) => {
    const id = `${domain} ${selector}`;
    const known = keys.get(id) ?? makeKey();
    keys.set(id, known);
    return known;
  };
  const put = (at: DomainName, text: string): void =>
    host.put(apex, { name: at, type: "TXT", ttl: 3600, data: [{ strings: cutIntoStrings(octetsOf(text)) }] });
  /** Publishes the keys that aliases lead to, as the service does when a domain is added. */
  const publishTargets = async (domain: string): Promise<void> => {
    if (description.publishes === "alias")
      for (const [i, selector] of selectors.entries())
        put(name(`${domain.split(".")[0]}.k${i + 1}`, apex), keyText((await keyOf(domain, selector)).publicKey));
  };

  const keysSeen = async (domain: DomainName, at: CachingResolver): Promise<boolean> => {
    for (const selector of selectors)
      if (!(await hasText(at, name(`${selector}._domainkey`, domain), keyText((await keyOf(plain(domain), selector)).publicKey))))
        return false;
    return true;
  };
  const returnSeen = async (domain: DomainName, at: CachingResolver): Promise<boolean> => {
    const back = description.returnHost(plain(domain));
    const mx = back === plain(domain) ? undefined : await at.ask(name(back), "MX");
    return mx === undefined || (mx.kind === "found" && JSON.stringify(mx.set.data).includes(plain(apex)));
  };

  const domains = new Map<string, { state: "pending" | "accepted"; reason: string; signing: "on" | "off" }>();
  const accepted = (domain: string): boolean => domains.get(domain)?.state === "accepted";
  const senders = new Map<string, { state: "pending" | "confirmed"; mailedAt: number; token: string }>();
  const credentials = new Map<string, LabCredential>();
  const messages = new Map<string, Followed>();
  const subscriptions = new Map<string, { url: string; secret: string }>();
  const underWay = new Set<Promise<unknown>>();
  const track = <T>(work: Promise<T>): Promise<T> => {
    const watched = work.finally(() => underWay.delete(watched));
    underWay.add(watched);
    watched.catch(() => {});
    return work;
  };

  /** Tells subscribers, again and again until they took it: each event keeps its id, each request gets a new signature. */
  const tell = (kind: EventKind, followed: Followed): void => {
    const { messageId, to, reply } = followed.state;
    const event: MessageEvent = {
      id: `${mark}-e${randomBytes(8).toString("hex")}`,
      kind,
      at: isoOf(clock.now()),
      messageId,
      domain: followed.domain,
      to,
      ...(reply === undefined ? {} : { reply }),
    };
    const body = Buffer.from(JSON.stringify({ version: 1, events: [event] }));
    for (const [id, { url, secret: mac }] of subscriptions)
      void track(
        (async () => {
          for (let tries = 0; tries < 5; tries++) {
            const headers = await signEvents({ id, secret: mac }, url, body, Math.floor(Date.now() / 1000));
            const answer = await fetch(url, { method: "POST", headers, body, signal: AbortSignal.timeout(5000) }).catch(
              () => undefined,
            );
            if (answer?.status === 204 || answer?.status === 409) return;
            await new Promise((resolve) => setTimeout(resolve, 100 << tries));
          }
        })(),
      );
  };

  const become = (tracking: string, state: Disposition, reply?: string): void => {
    const followed = messages.get(tracking);
    if (followed === undefined) return;
    const { reply: _, ...before } = followed.state;
    followed.state = { ...before, state, at: isoOf(clock.now()), ...(reply === undefined ? {} : { reply: reply.slice(0, 500) }) };
    if (state !== "queued" && state !== "in-transit") tell(state, followed);
  };

  /** The message as the service sends it: its own trace on top, where complaints go, and its signature. */
  const prepared = async (octets: Buffer, domain: string, trace: string): Promise<Buffer> => {
    const message = Buffer.concat([Buffer.from(`${trace}CFBL-Address: complaints@${service}.example; report=arf\r\n`), octets]);
    const proper = accepted(domain) && domains.get(domain)?.signing !== "off";
    if (!proper && description.unaccepted === "refuse") return message;
    const signer = proper ? domain : plain(apex);
    const selector = proper ? (selectors[0] as string) : "post";
    const { publicKey, privateKey } = await keyOf(signer, selector);
    if (!proper) put(name("post._domainkey", apex), keyText(publicKey));
    const body = new BodyHash("relaxed");
    const header = await scanMessage({ chunks: () => [message] }, () => [body]);
    const signature = header.ok
      ? makeSignature(header.value, body, {
          domain: name(signer),
          selector,
          key: privateKey,
          header: "relaxed",
          body: "relaxed",
          signedAt: Math.floor(clock.now() / 1000),
        })
      : undefined;
    return signature === undefined ? message : Buffer.concat([Buffer.from(`${signature.raw}\r\n`, "latin1"), message]);
  };

  const attempt = async (tracking: string, to: string, domain: string, octets: Buffer): Promise<void> => {
    become(tracking, "in-transit");
    // Without records of its own the domain's mail goes back to the service itself.
    const back = accepted(domain) ? description.returnHost(domain) : `${service}.example`;
    for (let tries = 0; ; tries++) {
      const outcome = await deliver({ from: `b-${tracking.toLowerCase()}@${back}`, to, octets }, own, world, resolver);
      if (outcome.kind === "accepted") return become(tracking, "delivered", outcome.reply);
      const reply = outcome.kind === "refused" ? outcome.reply : `4.4.1 ${outcome.because}`;
      if ((outcome.kind === "refused" && outcome.forGood) || tries === 3) return become(tracking, "bounced", reply);
      if (tries === 0) become(tracking, "deferred", reply);
      await clock.sleep(900_000 << tries);
    }
  };

  /** Takes a message in, or says why not; gives back its tracking id. */
  const take = async (arrival: Arrival, reach: Reach): Promise<{ tracking: string } | { refused: NonNullable<Reply> }> => {
    const refused = (code: number, text: string) => ({ refused: { code, text } });
    const header = await scanMessage({ chunks: () => [arrival.octets] }, () => []);
    if (!header.ok) return refused(554, "5.6.0 the message has no header");
    const of = (field: string) => fieldsNamed(header.value, field).map(fieldValue)[0] ?? "";
    const authors = parseMailboxes(of("from"));
    const author = authors.ok ? authors.value[0] : undefined;
    const domain = author === undefined ? "" : domainOf(author.address);
    const messageId = /<([^<>\s]+)>/.exec(of("message-id"))?.[1];
    if (author === undefined || messageId === undefined) return refused(554, "5.6.0 From and Message-ID are needed");
    if (reach.domain !== undefined && reach.domain !== domain)
      return refused(550, `5.7.1 this credential is good for ${reach.domain} only`);
    if (description.offers.includes("senders") && senders.get(author.address.toLowerCase())?.state !== "confirmed")
      return refused(550, `5.7.1 the sender address ${author.address} is not confirmed`);
    if (description.unaccepted === "refuse" && !accepted(domain))
      return refused(550, `5.7.1 the domain ${domain} is not accepted yet`);
    const tracking = `${mark}-${randomBytes(6).toString("hex")}`;
    messages.set(tracking, {
      state: { id: tracking, messageId, to: arrival.to, state: "queued", at: isoOf(clock.now()) },
      domain,
    });
    const octets = await prepared(arrival.octets, domain, receivedLine(arrival, `submit.${service}.example`, clock.now()));
    void track(attempt(tracking, arrival.to, domain, octets));
    return { tracking };
  };

  /** Mail that comes to the service itself: complaints in the form of RFC 5965 (by way of RFC 9477), and mailboxes. */
  const arrived = async (arrival: Arrival): Promise<Reply> => {
    if (domainOf(arrival.to) === `${service}.example` && arrival.to.startsWith("complaints@")) {
      const about = /^Message-ID:\s*<([^>\s]+)>/im.exec(
        arrival.octets.toString("latin1").split(/^Content-Type: message\/rfc822/im)[1] ?? "",
      );
      const followed = [...messages.values()].find((one) => one.state.messageId === about?.[1]);
      if (followed !== undefined) become(followed.state.id, "complained");
      return undefined;
    }
    if (arrival.to.startsWith("b-")) return undefined;
    fileInto(
      `${mailboxes}/${arrival.to.toLowerCase()}`,
      Buffer.concat([Buffer.from(receivedLine(arrival, `in.${service}.example`, clock.now())), arrival.octets]),
    );
    return undefined;
  };

  const look = async (domain: DomainName): Promise<void> => {
    const before = domains.get(plain(domain));
    await publishTargets(plain(domain));
    const token =
      !description.publishes.startsWith("text") ||
      description.signingSwitch ||
      (await hasText(resolver, name(`_${service}`, domain), `${service}-domain=${secret(service, plain(domain), 16)}`));
    const missing = [
      ...(token ? [] : ["the token"]),
      ...((await keysSeen(domain, resolver)) ? [] : ["the DKIM key"]),
      ...((await returnSeen(domain, resolver)) ? [] : ["the bounce host"]),
    ];
    const signing = before?.signing ?? (description.signingSwitch ? "off" : "on");
    if (missing.length === 0) domains.set(plain(domain), { state: "accepted", reason: "Everything is there.", signing });
    else
      domains.set(plain(domain), {
        state: "pending",
        reason: `We do not see ${missing.join(" and ")} yet. It can take up to 48 hours.`,
        signing,
      });
  };

  const confirmMail = async (to: string, token: string, base: string): Promise<void> => {
    const text = `From: ${title} <hello@${service}.example>\r\nTo: ${to}\r\nSubject: Please confirm ${to}\r\nDate: ${new Date(clock.now()).toUTCString().replace("GMT", "+0000")}\r\nMessage-ID: <${token}@${service}.example>\r\nMIME-Version: 1.0\r\nContent-Type: text/plain; charset=utf-8\r\n\r\nOpen this link to confirm that ${to} is yours:\r\n\r\n${base}/open/${token}\r\n\r\nIt is good for 24 hours.\r\n`;
    await deliver({ from: `hello@${service}.example`, to, octets: Buffer.from(text) }, own, world, resolver);
  };

  const linkRoutes = (server: FastifyInstance, reachOf: (request: FastifyRequest) => Reach): void => {
    const base = "/link/v1";
    const is = (offer: Offer): boolean => description.offers.includes(offer);
    if (is("domains")) {
      const state = (domain: string) => {
        const { state = "unknown" as const, reason = "We do not know this domain.", signing } = domains.get(domain) ?? {};
        return { domain, state, reason, ...(description.signingSwitch && signing !== undefined ? { signing } : {}) };
      };
      server.get<{ Params: { domain: string } }>(`${base}/domains/:domain`, async ({ params }) => state(params.domain));
      server.put<{ Params: { domain: string }; Body: { signing?: "on" | "off" } }>(
        `${base}/domains/:domain`,
        async (request, reply) => {
          const parsed = parseName(request.params.domain);
          if (!parsed.ok) return reply.code(422).send({ error: "that is no domain" });
          const { domain } = request.params;
          await look(parsed.value);
          const { signing } = request.body;
          const known = domains.get(domain);
          if (signing === "on" && known?.state !== "accepted")
            return reply.code(409).send({ error: `signing can be turned on when the key is seen: ${known?.reason}` });
          if (signing !== undefined && known !== undefined) domains.set(domain, { ...known, signing });
          return state(domain);
        },
      );
    }
    if (is("senders")) {
      const state = (address: string) => {
        const known = senders.get(address);
        if (known === undefined) return { address, state: "unknown" };
        const expired = known.state === "pending" && clock.now() > known.mailedAt + LINK_GOOD_FOR;
        return {
          address,
          state: expired ? "expired" : known.state,
          mailedAt: isoOf(known.mailedAt),
          ...(known.state === "pending" ? { expiresAt: isoOf(known.mailedAt + LINK_GOOD_FOR) } : {}),
        };
      };
      server.get<{ Params: { address: string } }>(`${base}/senders/:address`, async ({ params }) =>
        state(params.address.toLowerCase()),
      );
      server.post<{ Body: { address?: unknown } }>(`${base}/senders`, async (request, reply) => {
        const to = String(request.body?.address ?? "").toLowerCase();
        if (!/^[^@\s]+@[^@\s]+$/.test(to)) return reply.code(422).send({ error: "that is no mail address" });
        if (senders.get(to)?.state !== "confirmed") {
          const token = randomBytes(16).toString("hex");
          senders.set(to, { state: "pending", mailedAt: clock.now(), token });
          await track(confirmMail(to, token, `http://${request.headers.host}`));
        }
        return reply.code(202).send(state(to));
      });
      server.get<{ Params: { token: string } }>("/open/:token", async (request, reply) => {
        const found = [...senders].find(([, one]) => one.token === request.params.token);
        if (found === undefined || clock.now() > found[1].mailedAt + LINK_GOOD_FOR)
          return reply.code(410).send("This link is no good any more.\n");
        senders.set(found[0], { ...found[1], state: "confirmed" });
        return `${found[0]} is confirmed.\n`;
      });
    }
    if (is("credentials")) {
      const shown = ({ id, scope, domain, user, madeAt }: LabCredential) => ({ id, scope, domain: domain ?? null, user, madeAt });
      server.get(`${base}/credentials`, async () => ({ credentials: [...credentials.values()].map(shown) }));
      server.post<{ Body: { scope?: unknown; domain?: unknown } }>(`${base}/credentials`, async (request, reply) => {
        const { scope, domain } = request.body ?? {};
        if ((scope !== "sending" && scope !== "everything") || (domain !== null && typeof domain !== "string"))
          return reply.code(422).send({ error: "scope and domain are needed" });
        const made: LabCredential = {
          id: `${mark.toLowerCase()}-${randomBytes(4).toString("hex")}`,
          scope,
          domain: domain ?? undefined,
          user: "brackwater-theatre",
          madeAt: isoOf(clock.now()),
          secret: randomBytes(24).toString("base64url"),
        };
        credentials.set(made.id, made);
        return reply.code(201).send({ ...shown(made), secret: made.secret });
      });
      server.delete<{ Params: { id: string } }>(`${base}/credentials/:id`, async (request, reply) =>
        credentials.delete(request.params.id) ? reply.code(204).send() : reply.code(404).send({ error: "no such credential" }),
      );
    }
    if (is("submission"))
      server.get(`${base}/submission`, async () => ({
        host: `submit.${service}.example`,
        port: ports.submission,
        tls: "starttls",
      }));
    if (is("messages")) {
      server.post<{ Body: { from?: unknown; to?: unknown; message?: unknown } }>(`${base}/messages`, async (request, reply) => {
        const { from, to, message } = request.body ?? {};
        if (typeof from !== "string" || typeof to !== "string" || typeof message !== "string")
          return reply.code(422).send({ error: "from, to and message are needed" });
        const arrival: Arrival = {
          ip: "127.0.0.1",
          helo: "api",
          mailFrom: from,
          to,
          octets: Buffer.from(message, "base64"),
          encrypted: false,
          user: "api",
        };
        const taken = await take(arrival, reachOf(request));
        if ("refused" in taken) return reply.code(422).send({ error: taken.refused.text });
        return reply.code(202).send(messages.get(taken.tracking)?.state);
      });
      server.get<{ Params: { id: string } }>(`${base}/messages/:id`, async (request, reply) => {
        const { id } = request.params;
        const found = messages.get(id) ?? [...messages.values()].find((one) => one.state.messageId === id);
        return found === undefined ? reply.code(404).send({ error: "no such message" }) : found.state;
      });
    }
    if (is("events")) {
      server.post<{ Body: { url?: unknown } }>(`${base}/subscriptions`, async (request, reply) => {
        const url = String(request.body?.url ?? "");
        if (!URL.canParse(url)) return reply.code(422).send({ error: "url is needed" });
        const id = `${mark.toLowerCase()}-feed-${randomBytes(4).toString("hex")}`;
        const made = { url, secret: randomBytes(24).toString("base64url") };
        subscriptions.set(id, made);
        return reply.code(201).send({ id, secret: made.secret });
      });
      server.delete<{ Params: { id: string } }>(`${base}/subscriptions/:id`, async (request, reply) =>
        subscriptions.delete(request.params.id)
          ? reply.code(204).send()
          : reply.code(404).send({ error: "no such subscription" }),
      );
    }
  };

  const bySecret = (given: string): LabCredential | undefined => [...credentials.values()].find((one) => one.secret === given);
  const login = (user: string, password: string): string | undefined => {
    const credential = bySecret(password);
    return credential?.user === user ? credential.id : undefined;
  };
  const submission = async (arrival: Arrival): Promise<Reply> => {
    const taken = await take(arrival, credentials.get(arrival.user ?? "") ?? { scope: "sending", domain: "none" });
    return "refused" in taken ? taken.refused : { code: 250, text: `2.0.0 queued as ${taken.tracking}` };
  };
  const closers = [
    await listenMail(
      {
        address,
        port: ports.exchange,
        host: `in.${service}.example`,
        aliases: ["in1", "in2", "mx1", "mx2"].map((label) => `${label}.${service}.example`),
        message: arrived,
      },
      world,
    ),
    ...(description.offers.includes("submission")
      ? [
          await listenMail(
            { address, port: ports.submission, host: `submit.${service}.example`, login, message: submission },
            world,
          ),
          await listenMail(
            { address, port: ports.implicit, host: `submit.${service}.example`, implicit: true, login, message: submission },
            world,
          ),
        ]
      : []),
  ];

  const step = (accepts: Step["accepts"], acceptance: string): Step => ({
    shows: () => "",
    accepts,
    refusal: "We do not see your records yet. It can take up to 48 hours.",
    acceptance,
  });
  const more: MoreOffers = {
    offers: description.offers,
    reach: (given) => bySecret(given),
    routes: linkRoutes,
  };
  const running = await startService(
    {
      title,
      steps: {
        ownership: {
          ...step(
            (domain, at) => hasText(at, name(`_${service}`, domain), `${service}-domain=${secret(service, plain(domain), 16)}`),
            "The domain is yours.",
          ),
          shows: (domain) =>
            `Verify ${domain} with ${title}\n\nName\tType\tContent\n_${service}\tTXT\t${service}-domain=${secret(service, domain, 16)}\n`,
        },
        sending: step(keysSeen, "Your keys are seen."),
        bounce: step(returnSeen, "Your bounce host is seen."),
        tracking: step(async () => true, "Your tracking host is noted."),
        mailbox: step(async (domain, at) => {
          const mx = await at.ask(domain, "MX");
          return mx.kind === "found" && JSON.stringify(mx.set.data).includes(plain(apex));
        }, "Mail arrives at your mailboxes."),
      },
    },
    { clock, resolver, key: accountKey, more },
  );
  return {
    ...running,
    async page(domain) {
      await publishTargets(domain);
      const rows = await Promise.all(
        selectors.map(async (selector, i) =>
          description.publishes === "alias"
            ? `${selector}._domainkey\tCNAME\t${domain.split(".")[0]}.k${i + 1}.${service}.example`
            : `${selector}._domainkey\tTXT\t${keyText((await keyOf(domain, selector)).publicKey)}`,
        ),
      );
      return `Authenticate ${domain} with ${title}\n\nName\tType\tContent\n${rows.join("\n")}\n`;
    },
    async send(from, to, octets) {
      const taken = await take(
        { ip: "127.0.0.1", helo: "application", mailFrom: from, to, octets, encrypted: true, user: "application" },
        { scope: "everything", domain: undefined },
      );
      if ("refused" in taken) throw new Error(taken.refused.text);
      return taken.tracking;
    },
    async pretend(kind, tracking) {
      const followed = messages.get(tracking);
      if (followed !== undefined) tell(kind, followed);
    },
    async quiet() {
      while (underWay.size > 0) await Promise.allSettled([...underWay]);
    },
    async close() {
      await Promise.all([running.close(), ...closers.map((stop) => stop())]);
    },
  };
}
