import { join } from "node:path";
import { z } from "zod";
import { resolverOptions, spanOption } from "../../../app/dns/context.ts";
import { linkFor, linkTrouble, type ServiceAt, serviceNamed, storeOneTimeSecret } from "../../../app/services/services.ts";
import { type Session, writing } from "../../../app/session.ts";
import { EVENT_KINDS, eventWarnings, SIGNATURE_TOLERANCE } from "../../../core/sending/index.ts";
import { EXIT, UserError } from "../../../core/user-error.ts";
import { type Feed, receiveEvents } from "../../../net/event-feed.ts";
import { parseServerAddress } from "../../../net/index.ts";
import { askLink } from "../../../net/service-link.ts";
import { columns, count, dayText, isoTime, visible, wrap } from "../../../present/index.ts";
import { type Journal, readSecret, secretFile } from "../../../workspace/index.ts";
import { type Arguments, type Context, command } from "../../command.ts";

const result = z.object({
  at: z.string(),
  days: z.array(
    z.object({
      day: z.string().describe("the day in UTC"),
      service: z.string(),
      domain: z.string(),
      counts: z.record(z.enum(EVENT_KINDS), z.number()),
    }),
  ),
  warnings: z.array(
    z.object({
      day: z.string(),
      service: z.string(),
      domain: z.string(),
      kind: z.enum(["bounces", "complaints"]),
      share: z.number().describe("from 0 to 1"),
      limit: z.number(),
      severe: z.boolean(),
      because: z.string(),
      remedy: z.string(),
    }),
  ),
});
type Result = z.output<typeof result>;

const DAY = 86_400_000;

/** The feeds whose events are believed: those of zandrel.yaml, and those that were subscribed to. */
function feedsOf({ workspace }: Session, journal: Journal, context: Context): Feed[] {
  const secretOf = (kept: string, title: string) =>
    readSecret(kept, `the secret of ${title}'s events`, workspace.folder, context.env);
  const byHand = Object.entries(workspace.settings.services).flatMap(([service, { title, events }]) =>
    events === undefined ? [] : [{ service, id: events.id, secret: secretOf(events.secret, title) }],
  );
  const subscribed = journal
    .entries(undefined, "events-subscribed")
    .map(({ service, subscription, kept }) => ({ service, id: subscription, secret: secretOf(kept, service) }));
  return [...byHand, ...subscribed];
}

/** Has a service post its events to an address; the secret goes into a file at once. */
async function subscribe(service: ServiceAt, url: string, { workspace }: Session, journal: Journal, context: Context) {
  const link = await linkFor(
    service,
    "events",
    `set the feed up on its page, and write id and secret under services: ${service.key}: events: in zandrel.yaml`,
  );
  const place = secretFile(workspace.folder, join("keys", service.key, `events-${context.clock.now()}.secret`));
  await storeOneTimeSecret(
    place,
    async () => {
      const made = await askLink(link, "subscribe", { body: { url } });
      if (!made.ok) throw linkTrouble(service, "post its events", made.error);
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
        ? "so the subscription was ended again"
        : `and the subscription ${id} could not be ended either, end it at ${service.title}`;
    },
  );
}

/** Listens until the time is over or somebody stops it. */
async function listen(args: Arguments, session: Session, journal: Journal, context: Context): Promise<void> {
  const where = parseServerAddress((args.listen as string) || "127.0.0.1", 8025);
  if (where === undefined || "url" in where)
    throw new UserError("--listen wants an address and a port of this machine, such as 127.0.0.1:8025.");
  const until = spanOption(args, "for");
  const services = args._.map((key) => serviceNamed(session.workspace, key, args, context));
  const store = await session.workspace.openEvents();
  let feeds: readonly Feed[] = [];
  let taken = 0;
  try {
    const receiver = await receiveEvents({
      address: where.address,
      port: where.port,
      url: (own) => (args.url as string | undefined) ?? own,
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
      throw new UserError(
        `nobody can listen on ${where.address} port ${where.port} (${code}): choose another address or port with --listen.`,
      );
    });
    try {
      const url = (args.url as string | undefined) ?? receiver.url;
      const known = journal.entries(undefined, "events-subscribed");
      for (const service of services)
        if (!known.some((one) => one.service === service.key && one.url === url))
          await subscribe(service, url, session, journal, context);
      feeds = feedsOf(session, journal, context);
      if (feeds.length === 0)
        throw new UserError(
          "no feed is known whose events could be believed: name a service with a link, or write its events: into zandrel.yaml.",
        );
      context.note(`Listening at ${receiver.url} for ${feeds.map((feed) => feed.service).join(", ")}; Ctrl-C ends it.\n`);
      await new Promise<void>((done) => {
        process.once("SIGINT", done);
        process.once("SIGTERM", done);
        if (until !== undefined) void context.clock.sleep(until).then(done);
      });
    } finally {
      await receiver.close();
    }
    context.note(`${count(taken, "event")} received.\n`);
  } finally {
    store.close();
  }
}

export default command<Result>({
  name: "sender events",
  operands: "[SERVICE..]",
  summary: "what became of the mail by day: delivered, bounced, complained; with --listen, receive a service's signed event feed",
  examples: [
    ["zandrel sender events", "the last days, and a warning where bounces or complaints pass the usual limits"],
    ["zandrel sender events swiftquill --listen 127.0.0.1:8025", "have Swiftquill post its events here, and receive them"],
    [
      "zandrel sender events swiftquill --listen 127.0.0.1:8025 --url https://hooks.brackwater.example/events",
      "the same behind a web server that hands requests on",
    ],
  ],
  options: {
    ...resolverOptions,
    listen: { type: "string", describe: "receive events at this address and port (127.0.0.1:8025 if not given), until Ctrl-C" },
    url: { type: "string", requiresArg: true, describe: "the address the service posts to, where it is another than that" },
    for: { type: "string", requiresArg: true, describe: "end after this time, such as 30m" },
    days: { type: "number", default: 14, requiresArg: true, describe: "days to sum up" },
  },
  schema: result,
  run(args, context) {
    const days = args.days as number;
    if (!(Number.isInteger(days) && days > 0 && days <= 3660)) throw new UserError("--days wants a whole number of days.");
    return writing(
      args,
      context,
      () => [],
      async (session, journal) => {
        if (args.listen !== undefined) await listen(args, session, journal, context);
        const wanted = args._.map((key) => serviceNamed(session.workspace, key, args, context).key);
        const { now } = session.dns;
        const store = session.workspace.hasEvents || args.listen !== undefined ? await session.workspace.openEvents() : undefined;
        const summed = store?.days(now - days * DAY) ?? [];
        store?.close();
        const shown = summed.filter(({ service }) => wanted.length === 0 || wanted.includes(service));
        const warnings = eventWarnings(shown);
        return {
          exit: warnings.length > 0 ? EXIT.not : EXIT.ok,
          result: {
            at: isoTime(now),
            days: shown.map((one) => ({ ...one, day: dayText(one.day), domain: `${one.domain}.` })),
            warnings: warnings.map((one) => ({ ...one, day: dayText(one.day), domain: `${one.domain}.` })),
          },
        };
      },
    );
  },
  present({ days, warnings }, { style, width }) {
    if (days.length === 0)
      return `No event was received yet. Receive them: ${style.command("zandrel sender events SERVICE --listen 127.0.0.1:8025")}\n`;
    const rows = [
      ["day", "service", "domain", ...EVENT_KINDS],
      ...days.map(({ day, service, domain, counts }) => [
        day,
        service,
        visible(domain.slice(0, -1)),
        ...EVENT_KINDS.map((kind) => (counts[kind] === 0 ? "·" : (counts[kind] as number).toLocaleString("en"))),
      ]),
    ];
    return [
      ...columns(rows, (cell, _, row) => (row === 0 ? style.quiet(cell) : cell)),
      "",
      ...(warnings.length === 0
        ? [style.good("Bounces and complaints are within the usual limits.")]
        : warnings.flatMap(({ day, domain, because, remedy, severe }) => [
            `${severe ? style.bad("✗") : style.careful("!")} ${wrap(`${day}, ${visible(domain.slice(0, -1))}: ${because}.`, width - 2, "  ")}`,
            `  ${style.careful("do:")} ${wrap(remedy, width - 6, "      ")}`,
          ])),
      "",
    ].join("\n");
  },
});
