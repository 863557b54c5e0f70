import { randomBytes } from "node:crypto";
import type { FastifyInstance, FastifyRequest } from "fastify";
import { fieldsNamed, fieldValue, parseMailboxes, scanMessage } from "../core/message/index.ts";
import type { Disposition, EventKind, MessageEvent, MessageState, Offer } from "../core/sending/index.ts";
import { signPost } from "../net/event-feed.ts";
import { isoOf, type MailAccount } from "./mail-account.ts";
import type { MailServiceDescription } from "./mail-description.ts";
import { type Arrival, deliver, type MailWorld, type Reply, receivedLine } from "./mail-host.ts";
import type { MailRecords } from "./mail-records.ts";
import type { CachingResolver } from "./resolver.ts";
import type { Reach } from "./service.ts";

interface Followed {
  state: MessageState;
  readonly domain: string;
}

/** Milliseconds of the lab's time before the first further try; each next one waits twice as long. */
const TRY_AGAIN = 900_000;
const MAX_TRIES = 4;

/** Where a mail service of the lab takes messages, sends them, follows them, and tells what became of them. */
export class MailDesk {
  readonly #description: MailServiceDescription;
  readonly #records: MailRecords;
  readonly #account: MailAccount;
  readonly #world: MailWorld;
  readonly #resolver: CachingResolver;
  readonly #messages = new Map<string, Followed>();
  readonly #subscriptions = new Map<string, { url: string; secret: string }>();
  readonly #underWay = new Set<Promise<unknown>>();

  constructor(
    description: MailServiceDescription,
    records: MailRecords,
    account: MailAccount,
    world: MailWorld,
    resolver: CachingResolver,
  ) {
    this.#description = description;
    this.#records = records;
    this.#account = account;
    this.#world = world;
    this.#resolver = resolver;
  }

  /** Sends from the service's own address. */
  post(from: string, to: string, octets: Buffer): ReturnType<typeof deliver> {
    const own = { address: this.#description.address, helo: `out.${this.#description.key}.example` };
    return deliver({ from, to, octets }, own, this.#world, this.#resolver);
  }

  #track(work: Promise<unknown>): void {
    const watched = work.catch(() => {}).finally(() => this.#underWay.delete(watched));
    this.#underWay.add(watched);
  }

  /** Waits until nothing is under way any more: deliveries, and events told. */
  async quiet(): Promise<void> {
    while (this.#underWay.size > 0) await Promise.allSettled([...this.#underWay]);
  }

  /** Tells subscribers, again and again until they took it: each event keeps its id, each request gets a new signature. */
  #tell(kind: EventKind, { state: { messageId, to, reply }, domain }: Followed): void {
    const event: MessageEvent = {
      id: `${this.#description.mark}-e${randomBytes(8).toString("hex")}`,
      kind,
      at: isoOf(this.#world.clock.now()),
      messageId,
      domain,
      to,
      ...(reply === undefined ? {} : { reply }),
    };
    const body = Buffer.from(JSON.stringify({ version: 1, events: [event] }));
    const post = async (id: string, url: string, secret: string): Promise<void> => {
      // A receiver that is started again needs its time.
      for (let tries = 0; tries < 9; tries++) {
        const headers = await signPost({ id, secret }, url, body, Math.floor(Date.now() / 1000));
        const sent = fetch(url, { method: "POST", headers, body, signal: AbortSignal.timeout(5000) });
        const status = await this.#world.clock.hold(sent.then((answer) => answer.status)).catch(() => undefined);
        if (status === 204 || status === 409) return;
        await new Promise((resolve) => setTimeout(resolve, 100 << tries));
      }
    };
    for (const [id, { url, secret }] of this.#subscriptions) this.#track(post(id, url, secret));
  }

  /** The messages it took, the newest first. */
  messages(): readonly {
    readonly tracking: string;
    readonly to: string;
    readonly domain: string;
    readonly state: Disposition;
  }[] {
    return [...this.#messages]
      .map(([tracking, { state, domain }]) => ({ tracking, to: state.to, domain, state: state.state }))
      .reverse();
  }

  /** Has a recipient open or click a message, or leave the list. */
  pretend(kind: "shown" | "followed" | "left", tracking: string): void {
    const followed = this.#messages.get(tracking);
    if (followed !== undefined) this.#tell(kind, followed);
  }

  /** Somebody called a message spam. */
  complained(messageId: string): void {
    const followed = this.#find(messageId);
    if (followed !== undefined) this.#become(followed, "reported");
  }

  #find(id: string): Followed | undefined {
    return this.#messages.get(id) ?? [...this.#messages.values()].find((candidate) => candidate.state.messageId === id);
  }

  #become(followed: Followed, state: Disposition, reply?: string): void {
    const { reply: _, ...before } = followed.state;
    const at = isoOf(this.#world.clock.now());
    followed.state = { ...before, state, at, ...(reply === undefined ? {} : { reply: reply.slice(0, 500) }) };
    if (state !== "accepted" && state !== "under-way") this.#tell(state, followed);
  }

  /** The message as the service sends it: its own trace on top, where complaints go, and its signature. */
  async #prepared({ octets, ...arrival }: Arrival, domain: string): Promise<Buffer> {
    const { key, unaccepted } = this.#description;
    const now = this.#world.clock.now();
    const trace = receivedLine({ ...arrival, octets }, `submit.${key}.example`, now);
    const message = Buffer.concat([Buffer.from(`${trace}CFBL-Address: complaints@${key}.example; report=arf\r\n`), octets]);
    if (this.#account.signsFor(domain)) return this.#records.signed(message, domain, now);
    return unaccepted === "refuse" ? message : this.#records.signed(message, undefined, now);
  }

  async #deliver(followed: Followed, octets: Buffer): Promise<void> {
    this.#become(followed, "under-way");
    const { id, to } = followed.state;
    // Without records of its own the domain's mail goes back to the service itself.
    const back = this.#account.accepts(followed.domain)
      ? this.#description.returnHost(followed.domain)
      : `${this.#description.key}.example`;
    for (let tries = 1; ; tries++) {
      const outcome = await this.post(`b-${id.toLowerCase()}@${back}`, to, octets);
      if (outcome.kind === "accepted") return this.#become(followed, "arrived", outcome.reply);
      const reply = outcome.kind === "refused" ? outcome.reply : "4.4.1 the mail server could not be reached";
      if ((outcome.kind === "refused" && outcome.forGood) || tries === MAX_TRIES)
        return this.#become(followed, "returned", reply);
      if (tries === 1) this.#become(followed, "waiting", reply);
      await this.#world.clock.sleep(TRY_AGAIN * 2 ** (tries - 1));
    }
  }

  /** Takes a message in, or says why not; gives back its tracking id. */
  async take(arrival: Arrival, reach: Reach): Promise<{ tracking: string } | { refused: NonNullable<Reply> }> {
    const { offers, unaccepted, mark } = this.#description;
    const refused = (code: number, text: string) => ({ refused: { code, text } });
    const header = await scanMessage({ chunks: () => [arrival.octets] }, () => []);
    if (!header.ok) return refused(554, "5.6.0 the message has no header");
    const of = (field: string) => fieldsNamed(header.value, field).map(fieldValue)[0] ?? "";
    const authors = parseMailboxes(of("from"));
    const author = authors.ok ? authors.value[0]?.address : undefined;
    const domain = author?.slice(author.lastIndexOf("@") + 1).toLowerCase() ?? "";
    const messageId = /<([^<>\s]+)>/.exec(of("message-id"))?.[1];
    if (author === undefined || messageId === undefined) return refused(554, "5.6.0 From and Message-ID are needed");
    if (reach.domain !== undefined && reach.domain !== domain)
      return refused(550, `5.7.1 this credential is good for ${reach.domain} only`);
    if (offers.includes("senders") && !this.#account.confirmed(author))
      return refused(550, `5.7.1 the sender address ${author} is not confirmed`);
    if (unaccepted === "refuse" && !this.#account.accepts(domain))
      return refused(550, `5.7.1 the domain ${domain} is not accepted yet`);
    const tracking = `${mark}-${randomBytes(6).toString("hex")}`;
    const at = isoOf(this.#world.clock.now());
    const followed: Followed = { state: { id: tracking, messageId, to: arrival.to, state: "accepted", at }, domain };
    this.#messages.set(tracking, followed);
    this.#track(this.#deliver(followed, await this.#prepared(arrival, domain)));
    return { tracking };
  }

  /** Its part of the link: settings, messages, events. */
  routes(server: FastifyInstance, reachOf: (request: FastifyRequest) => Reach): void {
    const base = "/link/v1";
    const { offers, key, mark } = this.#description;
    const is = (offer: Offer): boolean => offers.includes(offer);
    if (is("submission"))
      server.get(`${base}/submission`, async () => ({
        host: `submit.${key}.example`,
        port: this.#world.ports.submission,
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
        const taken = await this.take(arrival, reachOf(request));
        if ("refused" in taken) return reply.code(422).send({ error: taken.refused.text });
        return reply.code(202).send(this.#messages.get(taken.tracking)?.state);
      });
      server.get<{ Params: { id: string } }>(`${base}/messages/:id`, async (request, reply) => {
        const found = this.#find(request.params.id);
        return found === undefined ? reply.code(404).send({ error: "no such message" }) : found.state;
      });
    }
    if (is("events")) {
      server.post<{ Body: { url?: unknown } }>(`${base}/subscriptions`, async (request, reply) => {
        const url = String(request.body?.url ?? "");
        if (!URL.canParse(url)) return reply.code(422).send({ error: "url is needed" });
        const id = `${mark.toLowerCase()}-feed-${randomBytes(4).toString("hex")}`;
        const made = { url, secret: randomBytes(24).toString("base64url") };
        this.#subscriptions.set(id, made);
        return reply.code(201).send({ id, secret: made.secret });
      });
      server.delete<{ Params: { id: string } }>(`${base}/subscriptions/:id`, async (request, reply) =>
        this.#subscriptions.delete(request.params.id)
          ? reply.code(204).send()
          : reply.code(404).send({ error: "no such subscription" }),
      );
    }
  }
}
