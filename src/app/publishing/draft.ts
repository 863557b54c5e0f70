import { resolve } from "node:path";
import * as z from "zod";
import { dnsWants } from "../../core/ask/index.ts";
import { type Draft, draftCacheWindow, pending } from "../../core/change/index.ts";
import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { type DomainName, isAtOrBelow, under } from "../../core/name/index.ts";
import { timeline, visibleBy } from "../../core/spread/index.ts";
import type { Domain, Journal, Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { type DnsContext, type DnsOptions, nameOperand } from "../dns/context.ts";
import { domainOperands, reading } from "../session.ts";
import { domainName, loss, recordSet, sentence, time } from "../shapes.ts";
import { hostTitle, servedElsewhere, whoServesInstead } from "../standing/host.ts";
import { loadJournalState } from "../standing/journal-state.ts";
import { lossesShown, lostAt } from "../standing/losses.ts";
import { draftSource } from "../standing/source.ts";
import { draftOf, waitingAsks } from "../standing/survey.ts";
import { withApproval } from "./approval-plan.ts";

const change = z.object({
  domain: domainName,
  action: z.enum(["add", "replace", "merge", "remove", "keep"]),
  name: domainName,
  type: z.string(),
  before: recordSet,
  after: recordSet,
  because: sentence,
  asks: z.array(z.string()),
});

const clash = z.object({
  domain: domainName,
  kind: z.string(),
  name: domainName,
  type: z.string(),
  ask: z.string(),
  because: sentence,
  breaks: sentence,
  options: z.array(sentence).describe("how the clash can be resolved"),
  replaceable: z.boolean().describe("whether --replace NAME resolves it"),
  contradicts: z.boolean().describe("whether all that is asked is there, and this stands beside it"),
});

const launchStep = z.object({
  at: time,
  kind: z.enum(["lower-ttl", "publish", "visible", "ask-service", "launch"]),
  what: sentence,
  because: sentence,
});

export const draftSchema = z.object({
  lost: z.array(loss).describe("what nobody was to touch since the newest publication, and that is gone or changed"),
  publishWith: z
    .object({ replace: z.array(z.string()), only: z.array(z.string()), into: z.string().nullable() })
    .describe("what publishing needs to be told in order to carry out the same draft"),
  launch: z
    .object({ verdict: z.enum(["in-time", "hurry", "too-late"]), because: sentence, steps: z.array(launchStep) })
    .nullable()
    .describe("with --launch: the schedule, worked out backwards"),
  at: time,
  domains: z.array(domainName).describe("the domains that were looked at"),
  changes: z.array(change),
  clashes: z.array(clash),
  waiting: z
    .array(z.object({ domain: domainName, ask: z.string() }))
    .describe("asks whose turn has not come: another one is to be proven first"),
  undetermined: z.array(z.object({ domain: domainName, name: domainName, type: z.string(), because: sentence })),
  visible: z.object({ latest: time.nullable(), because: sentence }),
  hosts: z
    .record(z.string(), z.string().nullable())
    .describe("the DNS host of each domain, for people; null where none is named"),
  elsewhere: z
    .array(servedElsewhere)
    .describe("domains that other servers than those of their DNS host serve: publishing there is refused"),
});

export type DraftResult = z.output<typeof draftSchema>;

/** What decides which changes a draft may hold, and what it is compared with. */
export interface DraftOptions {
  /** Names at which records may be replaced. */
  readonly replace: readonly string[];
  /** Ids of the only asks that count; empty for all. */
  readonly only: readonly string[];
  /** The zone file that takes the place of the DNS host. */
  readonly into: string | undefined;
}

/** A name of a domain as people write it: `www`, `@`, or in full. */
export function nameIn(text: string, domain: DomainName): DomainName {
  const full = nameOperand(text === "@" ? domain : text);
  return isAtOrBelow(full, domain) || text.endsWith(".") ? full : (under(full, domain) ?? full);
}

/** Computes the drafts of some domains. */
export async function makeDrafts(
  { replace, only }: DraftOptions,
  workspace: Workspace,
  dns: DnsContext,
  journal: Journal | undefined,
  domains: readonly Domain[],
): Promise<Draft[]> {
  const known = domains.flatMap((domain) => domain.asks.map((ask) => ask.id));
  for (const id of only) if (!known.includes(id)) throw new Failure("unknown-ask", { given: id, known, option: "only" });
  return Promise.all(
    domains.map(async (domain): Promise<Draft> => {
      const asks = only.length === 0 ? domain.asks : domain.asks.filter((ask) => only.includes(ask.id));
      const looked = await dns.look(domain);
      const source = draftSource(domain, looked, dns, workspace);
      const named = new Set(replace.map((text) => nameIn(text, domain.name)));
      const journalled = loadJournalState(journal, domain.name);
      if (source !== undefined)
        return draftOf(domain, source, dns.world, journalled, named, only.length === 0 ? undefined : only);
      const because = looked.authority.kind === "delegated" ? clause("spread-servers-unfound") : looked.authority.because;
      const sets = asks.flatMap((ask) => dnsWants(ask.wants).map(({ name, type }) => ({ name, type, because, asks: [ask.id] })));
      return { domain: domain.name, changes: [], clashes: [], undetermined: sets };
    }),
  );
}

/** The drafts as one result: what every face shows. */
function resultOf(
  drafts: readonly Draft[],
  now: number,
): Omit<DraftResult, "lost" | "waiting" | "publishWith" | "launch" | "hosts" | "elsewhere"> {
  const windows = drafts.flatMap((one) => draftCacheWindow(one) ?? []);
  const [last] = windows.sort((a, b) => b.seconds - a.seconds);
  return {
    at: now,
    domains: drafts.map(({ domain }) => domain),
    changes: drafts.flatMap(({ domain, changes }) =>
      changes.map(({ action, name, type, before, after, because, asks }) => ({
        ...{ domain, action, name, type, before, after, because },
        asks: [...asks],
      })),
    ),
    clashes: drafts.flatMap(({ domain, clashes }) =>
      clashes.map(({ offending: _, ...one }) => ({ domain, ...one, options: [...one.options] })),
    ),
    undetermined: drafts.flatMap(({ domain, undetermined }) =>
      undetermined.map(({ name, type, because }) => ({ domain, name, type, because })),
    ),
    visible:
      last === undefined
        ? { latest: null, because: clause("spread-no-change") }
        : { latest: visibleBy(now, last), because: last.because },
  };
}

/** The schedule of a launch. */
function launchOf(
  drafts: readonly Draft[],
  domains: readonly Domain[],
  now: number,
  { launch, calendar, certificateMargin }: DraftRequest,
): DraftResult["launch"] {
  if (launch === undefined) {
    if (calendar !== undefined) throw new Failure("calendar-without-launch", {});
    return null;
  }
  if (launch <= now) throw new Failure("launch-passed", { at: launch, now });
  const needsCertificate = domains.some((domain) =>
    domain.asks.some((ask) => ask.purpose === "site" || ask.purpose === "certificate" || ask.purpose === "redirect"),
  );
  const changes = drafts
    .flatMap(pending)
    .flatMap(({ before, cacheWindow }) => (cacheWindow === undefined ? [] : [{ before, cacheWindow }]));
  const { steps, verdict, because } = timeline(changes, launch, now, needsCertificate ? certificateMargin / 1000 : 0);
  return { verdict, because, steps: [...steps] };
}

/** What somebody deleted or changed beside what was published, as the draft shows it. */
async function lossesOf(domain: Domain, of: Draft, dns: DnsContext, workspace: Workspace, journal: Journal | undefined) {
  const source = journal === undefined ? undefined : draftSource(domain, await dns.look(domain), dns, workspace);
  return source === undefined || journal === undefined
    ? []
    : lossesShown(domain.name, await lostAt(domain, source, journal, dns.now, of));
}

/** What {@link draft} is asked. */
export interface DraftRequest extends CommonRequest, DnsOptions, DraftOptions {
  /** The moment of the launch, in milliseconds since 1970. */
  readonly launch: number | undefined;
  /** Milliseconds that a certificate gets before the launch. */
  readonly certificateMargin: number;
  readonly calendar: string | undefined;
}

/** What would change in the zones, what is in the way, and when everyone would see it. */
export async function draft(request: DraftRequest, context: AppContext): Promise<Outcome<DraftResult>> {
  return reading(request, context, domainOperands(request.operands), async ({ workspace, domains, dns }, journal) => {
    const made = await makeDrafts(request, workspace, dns, journal, domains);
    const plans = await Promise.all(
      domains.map(async (domain, i) => {
        const source = draftSource(domain, await dns.look(domain), dns, workspace);
        const own = made[i] as Draft;
        return source === undefined ? { draft: own, names: [] } : withApproval(own, domain, source, workspace);
      }),
    );
    const drafts = plans.map(({ draft: planned }) => planned);
    const lost = await Promise.all(domains.map((domain, i) => lossesOf(domain, drafts[i] as Draft, dns, workspace, journal)));
    const result: DraftResult = {
      ...resultOf(drafts, dns.now),
      lost: lost.flat(),
      waiting: domains.flatMap((domain) =>
        waitingAsks(domain, loadJournalState(journal, domain.name)).map((ask) => ({ domain: domain.name, ask })),
      ),
      hosts: Object.fromEntries(domains.map((domain) => [domain.name, hostTitle(domain, workspace) ?? null])),
      elsewhere: (await Promise.all(domains.map((domain) => whoServesInstead(domain, dns)))).flatMap((instead) => instead ?? []),
      publishWith: {
        replace: [...new Set([...request.replace, ...plans.flatMap(({ names }) => names)])],
        only: [...request.only],
        into: request.into ?? null,
      },
      launch: launchOf(drafts, domains, dns.now, request),
    };
    const isProblem = result.clashes.length > 0 || result.lost.length > 0;
    return { ended: result.undetermined.length > 0 ? "undetermined" : isProblem ? "problem" : "fine", result };
  });
}

/** The path of a calendar file that was asked for. */
export const calendarPath = ({ calendar }: DraftRequest, { cwd }: Pick<AppContext, "cwd">): string | undefined =>
  calendar === undefined ? undefined : resolve(cwd, calendar);
