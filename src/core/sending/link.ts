import * as z from "zod";
import { PURPOSES } from "../ask/index.ts";

/** The contract of the service link, version 1: one table, from which the client, the published OpenAPI document and the check of a service are made. */

export const LINK_CONTRACT = "zandrel-service-link";

/** What a service can do over its link; every service describes itself, the rest it names. */
export const OFFERS = ["checks", "domains", "senders", "credentials", "submission", "messages", "events"] as const;
export type Offer = (typeof OFFERS)[number];

const line = z.string().max(500);
const id = z.string().min(1).max(200);
const moment = z.iso.datetime();
const host = z.string().max(253).describe("a domain name without the final dot");
const address = z.string().min(3).max(320).describe("a mail address");

const description = z.object({
  contract: z.literal(LINK_CONTRACT),
  version: z.literal(1),
  service: line.describe("the service's name, for people"),
  offers: z.array(z.enum(OFFERS)).default(["checks"]).describe("what it can do beside describing itself"),
});
export type LinkDescription = z.output<typeof description>;

const check = z.object({ verdict: z.enum(["accepted", "not-yet"]), reason: line, checkedAt: z.string().max(100) });

const domainState = z.object({
  domain: host,
  state: z.enum(["unknown", "pending", "accepted"]).describe("whether the service sends for this domain"),
  reason: line,
  signing: z.enum(["on", "off"]).optional().describe("whether it signs with DKIM, where that is a switch of its own"),
});
export type DomainState = z.output<typeof domainState>;

export const ADDRESS_STATES = ["unknown", "pending", "confirmed", "expired"] as const;
const senderState = z.object({
  address,
  state: z.enum(ADDRESS_STATES).describe("pending until the mailed link is opened"),
  mailedAt: moment.optional(),
  expiresAt: moment.optional().describe("until when the mailed link is good"),
});
export type SenderState = z.output<typeof senderState>;

export const SCOPES = ["mail", "account"] as const;
const credential = z.object({
  id,
  scope: z.enum(SCOPES),
  domain: host.nullable().describe("the one domain it is good for; null is every domain of the account"),
  user: line.describe("the user name for SMTP"),
  madeAt: moment,
});

export const TLS_MODES = ["starttls", "implicit"] as const;
const submission = z.object({
  host,
  port: z.int().min(1).max(65_535),
  tls: z.enum(TLS_MODES).describe("starttls on the usual port 587, implicit on the usual port 465 (RFC 8314)"),
});

export const DISPOSITIONS = ["accepted", "under-way", "arrived", "waiting", "returned", "reported"] as const;
export type Disposition = (typeof DISPOSITIONS)[number];

const messageState = z.object({
  id: id.describe("the tracking id"),
  messageId: z.string().max(998).describe("the Message-ID without its angle brackets"),
  to: address,
  state: z.enum(DISPOSITIONS),
  at: moment,
  reply: line.optional().describe("what the receiving server said last"),
});
export type MessageState = z.output<typeof messageState>;

/** Kinds of events a service reports about messages. */
export const EVENT_KINDS = ["arrived", "waiting", "returned", "shown", "followed", "left", "reported"] as const;
export type EventKind = (typeof EVENT_KINDS)[number];

const event = z.object({
  id: id.describe("the same for the same event, however often it is told"),
  kind: z.enum(EVENT_KINDS),
  at: moment,
  messageId: z.string().max(998).describe("the Message-ID without its angle brackets"),
  domain: host.describe("the From domain"),
  to: address,
  reply: line.optional().describe("what the receiving server said"),
});
export type MessageEvent = z.output<typeof event>;

/** What a service posts to a subscriber. */
export const eventBatch = z.object({ version: z.literal(1), events: z.array(event).min(1).max(1000) });

/** One thing that can be asked of a service. */
interface Operation<Body extends z.ZodType | undefined, Answer extends z.ZodType | undefined> {
  readonly offer: Offer | undefined;
  readonly method: "GET" | "POST" | "PUT" | "DELETE";
  /** Below the link's address; `{name}` stands for a value. */
  readonly path: string;
  readonly summary: string;
  readonly body: Body;
  readonly answer: Answer;
  readonly status: 200 | 201 | 202 | 204;
}

const operation = <Body extends z.ZodType | undefined, Answer extends z.ZodType | undefined>(
  one: Operation<Body, Answer>,
): Operation<Body, Answer> => one;

export const OPERATIONS = {
  describe: operation({
    offer: undefined,
    method: "GET",
    path: "",
    summary: "Who the service is and what it offers; the only request without a key",
    body: undefined,
    answer: description,
    status: 200,
  }),
  check: operation({
    offer: "checks",
    method: "POST",
    path: "/checks",
    summary: "Look for the records of a purpose now",
    body: z.object({ domain: host, purpose: z.enum(PURPOSES) }),
    answer: check,
    status: 200,
  }),
  showDomain: operation({
    offer: "domains",
    method: "GET",
    path: "/domains/{domain}",
    summary: "Whether the service sends for a domain",
    body: undefined,
    answer: domainState,
    status: 200,
  }),
  offerDomain: operation({
    offer: "domains",
    method: "PUT",
    path: "/domains/{domain}",
    summary: "Add a domain, look for its records now, and switch signing on or off where there is a switch",
    body: z.object({ signing: z.enum(["on", "off"]).optional() }),
    answer: domainState,
    status: 200,
  }),
  showSender: operation({
    offer: "senders",
    method: "GET",
    path: "/senders/{address}",
    summary: "Whether a sender address is confirmed",
    body: undefined,
    answer: senderState,
    status: 200,
  }),
  askSender: operation({
    offer: "senders",
    method: "POST",
    path: "/senders",
    summary: "Mail the link that confirms a sender address, again where it was mailed before",
    body: z.object({ address }),
    answer: senderState,
    status: 202,
  }),
  listCredentials: operation({
    offer: "credentials",
    method: "GET",
    path: "/credentials",
    summary: "Every credential that is good, without its secret",
    body: undefined,
    answer: z.object({ credentials: z.array(credential).max(1000) }),
    status: 200,
  }),
  makeCredential: operation({
    offer: "credentials",
    method: "POST",
    path: "/credentials",
    summary: "Make a credential; this answer is the only one that holds its secret",
    body: z.object({ scope: z.enum(SCOPES), domain: host.nullable() }),
    answer: credential.extend({ secret: z.string().min(16).max(1000) }),
    status: 201,
  }),
  revokeCredential: operation({
    offer: "credentials",
    method: "DELETE",
    path: "/credentials/{id}",
    summary: "End a credential",
    body: undefined,
    answer: undefined,
    status: 204,
  }),
  showSubmission: operation({
    offer: "submission",
    method: "GET",
    path: "/submission",
    summary: "Where messages are submitted over SMTP",
    body: undefined,
    answer: submission,
    status: 200,
  }),
  sendMessage: operation({
    offer: "messages",
    method: "POST",
    path: "/messages",
    summary: "Submit a message; a credential that may only send is enough",
    body: z.object({ from: address, to: address, message: z.base64().describe("the whole message of RFC 5322, in base64") }),
    answer: messageState,
    status: 202,
  }),
  showMessage: operation({
    offer: "messages",
    method: "GET",
    path: "/messages/{id}",
    summary: "What became of a message, by its tracking id or its Message-ID",
    body: undefined,
    answer: messageState,
    status: 200,
  }),
  subscribe: operation({
    offer: "events",
    method: "POST",
    path: "/subscriptions",
    summary: "Have events posted to an address; this answer is the only one that holds the secret they are signed with",
    body: z.object({ url: z.url() }),
    answer: z.object({ id, secret: z.string().min(16).max(1000) }),
    status: 201,
  }),
  unsubscribe: operation({
    offer: "events",
    method: "DELETE",
    path: "/subscriptions/{id}",
    summary: "End a subscription",
    body: undefined,
    answer: undefined,
    status: 204,
  }),
} as const;

export type OperationName = keyof typeof OPERATIONS;
type Of<N extends OperationName> = (typeof OPERATIONS)[N];
/** What an operation wants in its body. */
export type BodyOf<N extends OperationName> = Of<N>["body"] extends z.ZodType ? z.input<Of<N>["body"]> : undefined;
/** What it answers. */
export type AnswerOf<N extends OperationName> = Of<N>["answer"] extends z.ZodType ? z.output<Of<N>["answer"]> : undefined;

/** The body of every refusal. */
export const refusal = z.object({ error: line.describe("one sentence for people") });

/** Longest answer that is read, in octets. */
export const MAX_ANSWER = 1 << 20;

/** What a signature of an event request covers (RFC 9421): method, address, and the digest of the body (RFC 9530). */
export const SIGNED_PARTS = ["@method", "@target-uri", "content-digest"] as const;

/** How far the time in a signature may be off, in seconds. */
export const SIGNATURE_TOLERANCE = 300;

/** The contract as an OpenAPI 3.1 document. */
export function openApi(): unknown {
  const schema = (type: z.ZodType, io: "input" | "output") => {
    const { $schema: _, ...json } = z.toJSONSchema(type, { io, target: "draft-2020-12" });
    return json;
  };
  const content = (type: z.ZodType, io: "input" | "output") => ({ "application/json": { schema: schema(type, io) } });
  const refused = (description: string) => ({ description, content: content(refusal, "output") });
  const paths: Record<string, Record<string, unknown>> = {};
  for (const [operationId, one] of Object.entries(OPERATIONS)) {
    const parameters = [...one.path.matchAll(/\{(\w+)\}/g)].map(([, name]) => ({
      name,
      in: "path",
      required: true,
      schema: { type: "string" },
    }));
    (paths[one.path || "/"] ??= {})[one.method.toLowerCase()] = {
      operationId,
      summary: one.summary,
      ...(one.offer === undefined ? { security: [] } : { tags: [one.offer] }),
      ...(parameters.length === 0 ? {} : { parameters }),
      ...(one.body === undefined ? {} : { requestBody: { required: true, content: content(one.body, "input") } }),
      responses: {
        [one.status]: {
          description: one.summary,
          ...(one.answer === undefined ? {} : { content: content(one.answer, "output") }),
        },
        ...(one.offer === undefined
          ? {}
          : {
              "401": refused("There is no key, or it is not known"),
              "403": refused("The key's scope or domain does not reach this far"),
              "404": refused("There is no such thing"),
              "409": refused("It cannot be done yet, and the error says what is missing"),
              "422": refused("The request is not of the form described here"),
            }),
      },
    };
  }
  return {
    openapi: "3.1.0",
    info: {
      title: "Zandrel service link",
      version: "1.0.0",
      description:
        "How Zandrel asks a service to check records, and how it sends and follows mail through it. docs/service-link.md explains it.",
    },
    paths,
    webhooks: {
      events: {
        post: {
          operationId: "receiveEvents",
          summary: "What a service posts to a subscriber, signed with the secret of the subscription (RFC 9421, hmac-sha256)",
          requestBody: { required: true, content: content(eventBatch, "input") },
          responses: {
            "204": { description: "Kept, each event once" },
            "401": refused("The signature does not verify, or its time is more than 300 seconds off"),
            "409": refused("This very request was taken before; do not send it again"),
            "422": refused("The body is not of the form described here"),
            "503": refused("It could not be kept; send it again with a new signature"),
          },
        },
      },
    },
    components: { securitySchemes: { key: { type: "http", scheme: "bearer" } } },
    security: [{ key: [] }],
  };
}
