import { createHash, createHmac, randomBytes, timingSafeEqual } from "node:crypto";
import { httpbis } from "http-message-signatures";
import { eventBatch, type MessageEvent, SIGNATURE_TOLERANCE, SIGNED_PARTS } from "../core/sending/index.ts";

/** Events that a service told in one request, and what tells this request from every other. */
export interface Delivery {
  readonly service: string;
  /** The nonce of the signature: the very same request never counts twice. */
  readonly nonce: string;
  /** When the request was signed, in seconds since 1970. */
  readonly signedAt: number;
  readonly events: readonly MessageEvent[];
}

/** A subscription whose requests are accepted. */
export interface Feed {
  readonly service: string;
  /** Id of the subscription, which the signature names as its key. */
  readonly id: string;
  readonly secret: string;
}

export interface ReceiverOptions {
  readonly address: string;
  readonly port: number;
  /** The address the services post to, as they were told; signatures cover it. */
  readonly url: (own: string) => string;
  /** Looked up for each request, so that a new subscription counts at once. */
  readonly feeds: () => readonly Feed[];
  /** Seconds since 1970, by a real clock. */
  readonly now: () => number;
  /** Keeps deliveries, all of them or none; says for each whether it was taken before. Throws where it cannot keep them. */
  readonly keep: (deliveries: readonly Delivery[]) => readonly ("kept" | "replayed")[];
  /** Longest time a request may take to arrive whole, in milliseconds. */
  readonly longest?: number;
}

export interface EventReceiver {
  /** Where it listens. */
  readonly url: string;
  close(): Promise<void>;
}

const digestOf = (body: Buffer): string => `sha-256=:${createHash("sha256").update(body).digest("base64")}:`;

const macWith = (secret: string) => (input: Buffer) => createHmac("sha256", secret).update(input).digest();

/** The header fields of a signed POST, such as one with events (RFC 9421, RFC 9530); `now` in seconds since 1970. */
export async function signPost(
  { id, secret }: Pick<Feed, "id" | "secret">,
  url: string,
  body: Buffer,
  now: number,
  nonce = randomBytes(16).toString("hex"),
): Promise<Record<string, string>> {
  const signed = await httpbis.signMessage(
    {
      key: { id, alg: "hmac-sha256", sign: async (input) => macWith(secret)(input) },
      fields: [...SIGNED_PARTS],
      params: ["created", "keyid", "alg", "nonce"],
      paramValues: { created: new Date(now * 1000), nonce },
    },
    { method: "POST", url, headers: { "content-type": "application/json", "content-digest": digestOf(body) } },
  );
  return signed.headers as Record<string, string>;
}

/** Why a request is not believed. */
interface Distrust {
  readonly status: 401 | 422;
  readonly error: string;
}

const ONE_SIGNATURE = new RegExp(`^[a-z][a-z0-9_-]{0,40}=\\(${SIGNED_PARTS.map((part) => `"${part}"`).join(" ")}\\);[^,()]*$`);

async function trusted(
  headers: Record<string, string | string[]>,
  body: Buffer,
  url: string,
  feeds: readonly Feed[],
  now: number,
): Promise<Delivery | Distrust> {
  const distrust = (error: string): Distrust => ({ status: 401, error });
  // One signature that covers these parts, and no other: nothing is left to choose for anyone who made the request.
  if (!ONE_SIGNATURE.test(String(headers["signature-input"] ?? "")))
    return distrust("it is not signed as docs/service-link.md says");
  if (headers["content-digest"] !== digestOf(body)) return distrust("the digest does not fit the body");
  let found: { feed: Feed; nonce: string; signedAt: number } | undefined;
  let stale: number | undefined;
  const verified = await httpbis
    .verifyMessage(
      {
        requiredFields: [...SIGNED_PARTS],
        requiredParams: ["created", "keyid", "nonce"],
        // The time is judged below, so that “too old” is said as such.
        tolerance: 1e9,
        keyLookup: async ({ keyid, nonce, created }) => {
          const feed = feeds.find((candidate) => candidate.id === keyid);
          if (feed === undefined || typeof nonce !== "string" || nonce.length < 16 || nonce.length > 200) return null;
          const signedAt = Math.floor(Number(created) / 1000);
          if (!(Math.abs(signedAt - now) <= SIGNATURE_TOLERANCE)) stale = signedAt;
          found = { feed, nonce, signedAt };
          return {
            id: feed.id,
            algs: ["hmac-sha256"],
            verify: async (input, mac) => {
              const own = macWith(feed.secret)(input);
              return mac.length === own.length && timingSafeEqual(mac, own);
            },
          };
        },
      },
      { method: "POST", url, headers },
    )
    .catch(() => false);
  if (verified !== true || found === undefined) return distrust("the signature does not verify");
  if (stale !== undefined)
    return distrust(
      `the signature is ${Math.abs(now - stale)} seconds ${stale < now ? "old" : "ahead"}; at most ${SIGNATURE_TOLERANCE} are accepted`,
    );
  let read: unknown;
  try {
    read = JSON.parse(body.toString("utf8"));
  } catch {
    read = undefined;
  }
  const parsed = eventBatch.safeParse(read);
  if (!parsed.success) return { status: 422, error: "the body is not of the form docs/service-link.md describes" };
  return { service: found.feed.service, nonce: found.nonce, signedAt: found.signedAt, events: parsed.data.events };
}

/** Milliseconds for which requests are gathered, so that a burst costs few writes to the disk. */
const GATHER = 10;

/**
 * Listens for signed events. A request is answered only when its events are kept; those that wait at the same time are
 * kept together, so that a burst costs few writes.
 */
export async function receiveEvents({
  address,
  port,
  url,
  feeds,
  now,
  keep,
  longest = 10_000,
}: ReceiverOptions): Promise<EventReceiver> {
  const { default: Fastify } = await import("fastify");
  const server = Fastify({
    logger: false,
    forceCloseConnections: true,
    bodyLimit: 2 << 20,
    // Nobody holds a connection by sending slowly: neither head nor body.
    requestTimeout: longest,
    connectionTimeout: longest,
    http: { headersTimeout: longest / 2, connectionsCheckingInterval: Math.min(500, longest) },
  });
  server.removeAllContentTypeParsers();
  server.addContentTypeParser("*", { parseAs: "buffer" }, (_, body, done) => done(null, body));
  let waiting: { delivery: Delivery; done: (outcome: "kept" | "replayed" | Error) => void }[] = [];
  const flush = (): void => {
    const batch = waiting;
    waiting = [];
    try {
      const outcomes = keep(batch.map(({ delivery }) => delivery));
      for (const [i, { done }] of batch.entries()) done(outcomes[i] as "kept" | "replayed");
    } catch (error) {
      for (const { done } of batch) done(error as Error);
    }
  };
  const kept = (delivery: Delivery): Promise<"kept" | "replayed" | Error> =>
    new Promise((done) => {
      if (waiting.length === 0) setTimeout(flush, GATHER);
      waiting.push({ delivery, done });
    });
  server.post<{ Body: Buffer }>("/events", async (request, reply) => {
    const delivery = await trusted(
      request.headers as Record<string, string>,
      request.body ?? Buffer.alloc(0),
      url(own),
      feeds(),
      now(),
    );
    if ("status" in delivery) return reply.code(delivery.status).send({ error: delivery.error });
    const outcome = await kept(delivery);
    if (outcome instanceof Error) return reply.code(503).send({ error: "the events could not be kept; send them again" });
    if (outcome === "replayed") return reply.code(409).send({ error: "this request was taken before; do not send it again" });
    return reply.code(204).send();
  });
  const own = `${await server.listen({ host: address, port })}/events`;
  return { url: own, close: () => server.close() };
}
