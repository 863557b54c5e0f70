import * as z from "zod";
import { type DnsWant, dnsWants, isMet } from "../../core/ask/index.ts";
import { type Change, type Clash, type Draft, type Loss, pending, type SheetEntry } from "../../core/change/index.ts";
import { type Clause, clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { type DomainName, displayName, relativeText } from "../../core/name/index.ts";
import { LOW_TTL, longestWindow, visibleBy } from "../../core/spread/index.ts";
import type { Domain, Journal, Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import type { DnsContext, DnsOptions } from "../dns/context.ts";
import { domainOperands, writing } from "../session.ts";
import { cause, domainName, judgement, loss, sentence, time } from "../shapes.ts";
import { whoServesInstead } from "../standing/host.ts";
import { loadJournalState, OWN_SERVICE } from "../standing/journal-state.ts";
import { lossesShown, lostAt, mendingOf, namesCompared } from "../standing/losses.ts";
import { causeOf, judgementShown, survey, waitingAsks } from "../standing/survey.ts";
import { type DraftOptions, makeDrafts, nameIn } from "./draft.ts";
import { type ApplyOptions, expectPublishable, expectSeen, publishChanges, settleInterrupted } from "./publication.ts";
import { publisherFor } from "./publishers.ts";
import { freshly } from "./zone-look.ts";

const sheetEntry = z.object({
  action: z.enum(["enter", "change", "delete", "not-offered"]),
  type: z.string(),
  host: z.string(),
  value: z.string(),
  priority: z.string().optional(),
  ttl: z.string(),
  was: z.string().optional().describe("the value of the record now, where it is changed in place"),
  note: sentence.optional(),
});

export const published = z.object({
  domain: domainName,
  way: z.string(),
  to: z.string(),
  changed: z.number().describe("record sets changed, or to be entered by hand; 0 where everything was there already"),
  because: sentence,
  visible: z.object({ latest: time.nullable(), because: sentence }),
  verifiers: z.array(z.string()).describe("the titles of the services that are to be asked to verify once everyone sees it"),
  failed: z
    .boolean()
    .nullable()
    .describe(
      "whether the DNS host, or the person there, was to carry it out and did not, or not all of it; null: it could not be seen",
    ),
  sheet: z.array(sheetEntry).describe("what to enter into the DNS host's form; empty for the other ways"),
  pages: z.array(z.string()).describe("with --link-only: the pages of the DNS host on which a person can approve it"),
});

export type Published = z.output<typeof published>;

/** What is missed beside what was carried out, and how each is mended. */
export const missedShape = z
  .array(loss.extend({ enter: z.array(sheetEntry).describe("how it is mended") }))
  .describe("records that were there before the newest publication, were not to be touched, and are gone or changed");

export const publishSchema = z.object({
  at: time,
  published: z.array(published),
  check: z
    .array(
      z.object({
        ask: z.string(),
        domain: domainName,
        entered: z.boolean().nullable().describe("null where it could not be asked"),
        because: sentence,
        causes: z.array(cause),
      }),
    )
    .describe("with --check: what was entered, and what went wrong"),
  compared: z.number().describe("with --check: how many names were compared with what stood there before the newest publication"),
  lowered: z.boolean().describe("with --lower-ttl: only TTLs were lowered, ahead of the change itself"),
  lost: missedShape,
  judgements: z.array(judgement).describe("with --check: how each domain stands"),
});

export type PublishResult = z.output<typeof publishSchema>;

/** What was carried out for one domain, for every face; also where there was nothing to do. */
function publishedOf(
  domain: DomainName,
  { way, to }: { way: string; to: string },
  changes: readonly Change[],
  because: Clause,
  now: number,
  {
    verifiers = [],
    sheet = [],
    failed = false,
    pages = [],
  }: { verifiers?: string[]; sheet?: readonly SheetEntry[]; failed?: boolean | null; pages?: readonly string[] } = {},
): Published {
  const cacheWindow = longestWindow(changes.flatMap((change) => change.cacheWindow ?? []));
  const unknown = clause(changes.length === 0 ? "spread-nothing-changed" : "spread-before-unknown");
  return {
    domain,
    way,
    to,
    changed: changes.length,
    because,
    visible:
      cacheWindow === undefined
        ? { latest: null, because: unknown }
        : { latest: visibleBy(now, cacheWindow), because: cacheWindow.because },
    verifiers,
    failed,
    sheet: sheet.map((entry) => ({ ...entry })),
    pages: [...pages],
  };
}

/** The titles of the services that get what they lacked until now; what Zandrel composed is verified by nobody. */
function verifiersOf(domain: Domain, changes: readonly Change[], { workspace }: ApplyOptions): string[] {
  const brings = (want: DnsWant): boolean =>
    want.kind !== "absent" &&
    changes.some(
      ({ name, type, before, after }) => name === want.name && type === want.type && isMet(after, want) && !isMet(before, want),
    );
  const waiting = domain.asks.filter((ask) => ask.service !== OWN_SERVICE && dnsWants(ask.wants).some(brings));
  return [...new Set(waiting.map(({ service }) => workspace.settings.services[service]?.title ?? service))];
}

/** Carries changes of one domain out, the way its DNS host is reached; the one path of publish, undo and retire. */
export async function apply(domain: Domain, changes: readonly Change[], how: ApplyOptions): Promise<Published> {
  const publisher = publisherFor(domain, how.workspace, { ...how.request, undoes: how.undoes !== undefined }, how.context);
  const outcome = await publishChanges(domain, changes, publisher, how);
  const sheet = outcome.kind === "by-hand" ? outcome.sheet : [];
  const verifiers = verifiersOf(domain, changes, how);
  return publishedOf(domain.name, publisher, changes, outcome.because, how.context.clock.now(), {
    ...{ verifiers, sheet },
    ...(outcome.kind === "by-hand" && outcome.failed !== undefined ? { failed: outcome.failed } : {}),
    ...(outcome.kind === "by-hand" && outcome.pages !== undefined ? { pages: outcome.pages } : {}),
  });
}

/**
 * The sets that a draft will change, with their TTL lowered and their data as they are: once the old TTL has passed, the
 * change itself is seen within minutes.
 */
function loweredTtls({ changes, clashes }: Draft): Change[] {
  const inTheWay = clashes.flatMap(({ offending, ask }) => (offending === undefined ? [] : [{ set: offending, asks: [ask] }]));
  const changing = changes.flatMap(({ before, action, asks }) =>
    before === undefined || action === "keep" ? [] : [{ set: before, asks: [...asks] }],
  );
  const all = new Map([...inTheWay, ...changing].map((one) => [`${one.set.name} ${one.set.type}`, one]));
  return [...all.values()]
    .filter(({ set }) => set.ttl > LOW_TTL)
    .map(({ set, asks }) => ({
      action: "replace",
      name: set.name,
      type: set.type,
      before: set,
      after: { ...set, ttl: LOW_TTL },
      because: clause("spread-ttl-lowered"),
      asks,
      cacheWindow: {
        seconds: set.ttl,
        rule: "set-ttl",
        because: clause("spread-old-ttl", { type: set.type, name: set.name }),
      },
    }));
}

/** What {@link publish} is asked. */
export interface PublishRequest extends CommonRequest, DraftOptions, Pick<DnsOptions, "resolver" | "timeout" | "includeFrom"> {
  readonly sheet: string | undefined;
  readonly check: boolean;
  /** With `check`: names at which what was deleted or changed was meant to be. */
  readonly meant: readonly string[];
  /** Whether only the TTLs of what will change are lowered, ahead of a launch. */
  readonly lowerTtl: boolean;
  /** Where a person approves at the DNS host: whether its page is opened, and whether anybody waits for them. */
  readonly open: boolean;
  readonly copy: boolean;
  readonly linkOnly: boolean;
}

/** Refuses to publish where nobody asks: the parent hands the domain to other servers than those of its DNS host. */
async function expectAsked(domain: Domain, dns: DnsContext): Promise<void> {
  const instead = await whoServesInstead(domain, dns);
  if (instead !== undefined) throw new Failure("host-not-asked", instead);
}

/** Losses with how each is mended. */
const lostShown = (domain: Domain, losses: readonly Loss[], workspace: Workspace): PublishResult["lost"] =>
  lossesShown(domain.name, losses).map((shown, i) => ({ ...shown, enter: mendingOf(domain, workspace, losses[i] as Loss) }));

/** What is missed of a domain after something was carried out there, or nothing had to be. */
export async function missedOf(
  domain: Domain,
  { workspace, journal, request, context }: Omit<ApplyOptions, "undoes">,
): Promise<PublishResult["lost"]> {
  const losses = await freshly(domain, workspace, request, context, (source) =>
    lostAt(domain, source, journal, context.clock.now()),
  );
  return lostShown(domain, losses ?? [], workspace);
}

/** Keeps that what is missed at some names was meant to go; refuses a name at which nothing is missed. */
async function agreeToLosses(
  domains: readonly Domain[],
  meant: readonly string[],
  workspace: Workspace,
  dns: DnsContext,
  journal: Journal,
): Promise<void> {
  if (meant.length === 0) return;
  const surveys = await Promise.all(domains.map((domain) => survey(domain, dns, workspace, journal)));
  const missed = surveys.flatMap(({ domain, lost }) => lost.map((loss) => ({ domain: domain.name, loss })));
  const agreed = meant.flatMap((text) => {
    const here = missed.filter(({ domain, loss }) => nameIn(text, domain) === loss.name);
    if (here.length === 0)
      throw new Failure("nothing-missed", {
        given: text,
        missed: missed.map(({ domain, loss }) => relativeText(loss.name, domain)),
      });
    return here;
  });
  for (const domain of new Set(agreed.map((one) => one.domain)))
    journal.append(dns.now, domain, {
      kind: "deletion-meant",
      records: agreed.filter((one) => one.domain === domain).map(({ loss }) => loss.was),
    });
}

/** Looks whether what was to be entered by hand is there, what went wrong, and what was deleted beside it. */
async function checkEntered(
  domains: readonly Domain[],
  workspace: Workspace,
  dns: DnsContext,
  journal: Journal,
): Promise<Outcome<PublishResult>> {
  const surveys = await Promise.all(domains.map((domain) => survey(domain, dns, workspace, journal)));
  const standings = surveys.flatMap((one) =>
    one.asks
      .filter(({ state }) => state !== "waiting")
      .map((standing) => {
        const isSaid = ({ kind, name }: Clash): boolean =>
          standing.causes.some((cause) => cause.kind === kind && cause.at === displayName(name));
        // What is in the way is a slip too, also where the record itself is still missing.
        const slips = (one.draft?.clashes ?? [])
          .filter((clash) => clash.ask === standing.ask.id && clash.offending !== undefined && !isSaid(clash))
          .map((clash) => causeOf(clash, one.domain, workspace));
        return { domain: one.domain, ...standing, causes: [...standing.causes, ...slips] };
      }),
  );
  const check = standings.map((standing) => ({
    ask: standing.ask.id,
    domain: standing.domain.name,
    entered: standing.piece.is === "undetermined" ? null : standing.piece.is === "met" || standing.piece.is === "not-visible-yet",
    because: standing.because,
    causes: [...standing.causes],
  }));
  const lost = surveys.flatMap(({ domain, lost: losses }) => lostShown(domain, losses, workspace));
  const compared = domains.reduce((sum, domain) => sum + namesCompared(domain, journal, dns.now), 0);
  const ended = standings.some(({ piece }) => piece.is === "undetermined")
    ? "undetermined"
    : lost.length === 0 && check.every((candidate) => candidate.entered === true)
      ? "fine"
      : "problem";
  const judgements = surveys.map(judgementShown);
  return { ended, result: { at: dns.now, published: [], check, lost, compared, lowered: false, judgements } };
}

/** Carry the draft out: by signed dynamic update, helper program, into a zone file, or as a sheet to fill in. */
export async function publish(request: PublishRequest, context: AppContext): Promise<Outcome<PublishResult>> {
  return writing(request, context, domainOperands(request.operands), async ({ workspace, domains, dns }, journal) => {
    for (const domain of domains)
      for (const line of await settleInterrupted(domain, dns, workspace, journal)) await context.tell(line);
    if (request.check) {
      await agreeToLosses(domains, request.meant, workspace, dns, journal);
      return checkEntered(domains, workspace, dns, journal);
    }
    const drafts = await makeDrafts(request, workspace, dns, journal, domains);
    const ready = request.lowerTtl
      ? await Promise.all(domains.map(async (domain, i) => ({ domain, changes: loweredTtls(drafts[i] as Draft) })))
      : domains.map((domain, i) => ({ domain, changes: pending(drafts[i] as Draft) }));
    // Everything that can be wrong is found before the first change leaves; a TTL alone is in nobody's way.
    for (const draft of drafts) (request.lowerTtl ? expectSeen : expectPublishable)(draft);
    for (const { domain, changes } of ready) if (changes.length > 0 && request.into === undefined) await expectAsked(domain, dns);
    // A way that is not set up right is found before anything is carried out, too.
    for (const { domain, changes } of ready) if (changes.length > 0) publisherFor(domain, workspace, request, context);
    const done: Published[] = [];
    for (const { domain, changes } of ready) {
      if (changes.length === 0) {
        done.push(
          publishedOf(
            domain.name,
            { way: "none", to: "" },
            [],
            request.lowerTtl
              ? clause("publish-no-ttl-to-lower")
              : domain.asks.length === 0
                ? clause("publish-nothing-asked")
                : clause("publish-nothing-left", { waiting: waitingAsks(domain, loadJournalState(journal, domain.name)) }),
            dns.now,
          ),
        );
        continue;
      }
      const earlier = done.filter((candidate) => candidate.changed > 0).map((one) => displayName(one.domain as DomainName));
      const alreadyDone = earlier.length === 0 ? {} : { alreadyDone: earlier.join(", ") };
      done.push(await apply(domain, changes, { journal, workspace, request, context, ...alreadyDone }));
    }
    // A file that takes the place of the DNS host says nothing about what is served.
    const looked = request.into === undefined ? domains : [];
    const lost = (await Promise.all(looked.map((domain) => missedOf(domain, { journal, workspace, request, context })))).flat();
    // What a person or the DNS host refused, what did not come, and what is missed beside it, is not done.
    return {
      ended:
        lost.length > 0 || done.some(({ failed }) => failed === true)
          ? "problem"
          : done.some(({ failed }) => failed === null)
            ? "undetermined"
            : "fine",
      result: {
        at: context.clock.now(),
        published: done,
        check: [],
        lost,
        compared: 0,
        lowered: request.lowerTtl,
        judgements: [],
      },
    };
  });
}
