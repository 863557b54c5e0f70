import { join } from "node:path";
import * as z from "zod";
import { clause } from "../../core/clause/index.ts";
import { DAY_MS } from "../../core/day.ts";
import { Failure } from "../../core/failure.ts";
import { EVENT_KINDS, judgeEvents, SIGNATURE_TOLERANCE } from "../../core/sending/index.ts";
import { parseServerAddress } from "../../net/address.ts";
import { type Feed, receiveEvents } from "../../net/event-feed.ts";
import { askLink } from "../../net/service-link.ts";
import { type Journal, readSecret, secretFile } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import type { DnsOptions } from "../dns/context.ts";
import { nameOperand } from "../dns/context.ts";
import { type Session, writing } from "../session.ts";
import { day, domainName, sentence, time } from "../shapes.ts";
import { linkFor, linkTrouble, type ServiceAt, serviceNamed, storeOneTimeSecret } from "./services.ts";

export const senderEventsSchema = z.object({
  at: time,
  days: z.array(
    z.object({
      day: day.describe("the day in UTC"),
      service: z.string(),
      domain: domainName,
      counts: z.record(z.enum(EVENT_KINDS), z.number()),
    }),
  ),
  from: day.describe("the first day of the window, in UTC"),
  to: day.describe("the last day of the window, in UTC"),
  tooFew: z
    .array(z.object({ service: z.string(), domain: domainName, messages: z.number() }))
    .describe("of whom there is too little mail in the window to say anything about shares"),
  warnings: z.array(
    z.object({
      service: z.string(),
      domain: domainName,
      kind: z.enum(["bounces", "complaints"]),
      share: z.number().describe("from 0 to 1"),
      limit: z.number(),
      severe: z.boolean(),
      because: sentence,
      remedy: sentence,
    }),
  ),
});

export type SenderEventsResult = z.output<typeof senderEventsSchema>;

/** The feeds whose events are believed: those of zandrel.yaml, and those that were subscribed to. */
function feedsOf({ workspace }: Session, journal: Journal, context: AppContext): Feed[] {
  const secretOf = (kept: string, title: string) =>
    readSecret(kept, clause("secret-events", { title }), workspace.folder, context.env);
  const byHand = Object.entries(workspace.settings.services).flatMap(([service, { title, events }]) =>
    events === undefined ? [] : [{ service, id: events.id, secret: secretOf(events.secret, title) }],
  );
  const subscribed = journal
    .entries(undefined, "events-subscribed")
    .map(({ service, subscription, kept }) => ({ service, id: subscription, secret: secretOf(kept, service) }));
  return [...byHand, ...subscribed];
}

/** Has a service post its events to an address; the secret goes into a file at once. */
async function subscribe(service: ServiceAt, url: string, { workspace }: Session, journal: Journal, context: AppContext) {
  const link = await linkFor(service, "events", clause("by-hand-events", { service: service.key }));
  const place = secretFile(workspace.folder, join("keys", service.key, `events-${context.clock.now()}.secret`));
  await storeOneTimeSecret(
    place,
    async () => {
      const made = await askLink(link, "subscribe", { body: { url } });
      if (!made.ok) throw linkTrouble(service, clause("asked-post-events"), made.error);
      return made.value;
    },
    (made) =>
      journal.append(context.clock.now(), ".", {
        kind: "events-subscribed",
        service: service.key,
        subscription: made.id,
        url,
        kept: place.reference,
      }),
    async ({ id }) => {
      const ended = await askLink(link, "unsubscribe", { at: { id } });
      return ended.ok
        ? clause("undone-ended", { what: "subscription", id })
        : clause("undone-not-ended", { what: "subscription", id, title: service.title });
    },
  );
}

/** Listens until the time is over or somebody stops it. */
async function listen(request: SenderEventsRequest, session: Session, journal: Journal, context: AppContext): Promise<void> {
  const where = parseServerAddress(request.listen || "127.0.0.1", 8025);
  if (where === undefined || "url" in where) throw new Failure("listen-form", { option: "listen" });
  const until = request.for;
  const services = request.operands.map((key) => serviceNamed(session.workspace, key, request, context));
  const store = await session.workspace.openEvents(context);
  let feeds: readonly Feed[] = [];
  let taken = 0;
  try {
    const receiver = await receiveEvents({
      address: where.address,
      port: where.port,
      url: (own) => request.url ?? own,
      feeds: () => feeds,
      // Signatures are a matter of the wire and use the real time, however fast a lab's clock runs.
      now: () => Math.floor(Date.now() / 1000),
      keep(deliveries) {
        const now = Math.floor(Date.now() / 1000);
        const outcomes = store.keep(deliveries, context.clock.now(), now - 2 * SIGNATURE_TOLERANCE);
        taken += deliveries.reduce((sum, { events }, i) => sum + (outcomes[i] === "kept" ? events.length : 0), 0);
        return outcomes;
      },
    }).catch((error) => {
      const { code } = error as NodeJS.ErrnoException;
      throw new Failure("cannot-listen", { address: where.address, port: where.port, why: code ?? "", option: "listen" });
    });
    try {
      const url = request.url ?? receiver.url;
      const known = journal.entries(undefined, "events-subscribed");
      for (const service of services)
        if (!known.some((journalEntry) => journalEntry.service === service.key && journalEntry.url === url))
          await subscribe(service, url, session, journal, context);
      feeds = feedsOf(session, journal, context);
      if (feeds.length === 0) throw new Failure("no-feed", {});
      await context.tell(clause("told-listening", { url: receiver.url, services: feeds.map((feed) => feed.service) }));
      await new Promise<void>((done) => {
        process.once("SIGINT", done);
        process.once("SIGTERM", done);
        if (until !== undefined) void context.clock.sleep(until).then(done);
      });
    } finally {
      await receiver.close();
    }
    await context.tell(clause("told-events", { taken }));
  } finally {
    store.close();
  }
}

/** What {@link senderEvents} is asked. */
export interface SenderEventsRequest extends CommonRequest, DnsOptions {
  readonly listen: string | undefined;
  readonly url: string | undefined;
  readonly for: number | undefined;
  readonly days: number;
}

/** What became of the mail by day: what arrived, came back or was reported as spam; with --listen, receive a service's signed event feed. */
export async function senderEvents(request: SenderEventsRequest, context: AppContext): Promise<Outcome<SenderEventsResult>> {
  const days = request.days;
  return writing(
    request,
    context,
    () => [],
    async (session, journal) => {
      if (request.listen !== undefined) await listen(request, session, journal, context);
      const wanted = request.operands.map((key) => serviceNamed(session.workspace, key, request, context).key);
      const { now } = session.dns;
      const store =
        session.workspace.hasEvents || request.listen !== undefined ? await session.workspace.openEvents(context) : undefined;
      // Whole days, so that the window that is stated is the one that is summed up.
      const to = Math.floor(now / DAY_MS);
      const from = to - days + 1;
      const summed = store?.days(from * DAY_MS) ?? [];
      store?.close();
      const shown = summed.filter(({ service }) => wanted.length === 0 || wanted.includes(service));
      const { warnings, tooFew } = judgeEvents(shown);
      return {
        ended: warnings.length > 0 ? "problem" : "fine",
        result: {
          at: now,
          days: shown.map((dayOfEvents) => ({ ...dayOfEvents, domain: nameOperand(dayOfEvents.domain) })),
          from,
          to,
          tooFew: tooFew.map((one) => ({ ...one, domain: nameOperand(one.domain) })),
          warnings: warnings.map((warning) => ({ ...warning, domain: nameOperand(warning.domain) })),
        },
      };
    },
  );
}
