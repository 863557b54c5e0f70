import { sourcesOf } from "../../core/aggregate/index.ts";
import type { Ask } from "../../core/ask/index.ts";
import { clause, NOTHING } from "../../core/clause/index.ts";
import { DAY_MS } from "../../core/day.ts";
import type { ChainFlaw } from "../../core/dnssec/index.ts";
import { nearness, type Watched } from "../../core/guard/index.ts";
import type { Lookup } from "../../core/lookup/index.ts";
import { memoized } from "../../core/lookup/index.ts";
import { name as nameOf, under, withoutRootDot } from "../../core/name/index.ts";
import { printData } from "../../core/record/index.ts";
import type { DayOfEvents } from "../../core/sending/index.ts";
import { lookupSpf, movedFrom, spfTree } from "../../core/spf/index.ts";
import type { Domain, Journal, ReportStore, Workspace } from "../../workspace/index.ts";
import type { DnsContext } from "../dns/context.ts";
import { watchDs } from "../dns/ds-memory.ts";
import { sendersOf } from "../reports/reported.ts";
import { checkDomain, hasSite } from "../site/check.ts";
import { OWN_SERVICE, wantedText } from "../standing/journal-state.ts";
import { lossParameters } from "../standing/losses.ts";
import { type AskStanding, nextStep, rememberSettled, type Survey, signaturesOf, survey } from "../standing/survey.ts";
import type { NoticeWording } from "./notify.ts";

/** Days before signatures end at which it is said: they are renewed all the time, and late is a matter of hours. */
const SIGNATURES_WITHIN = 2;

/** Days without a report, or an event, after which something is wrong with whoever sends them. */
const SILENT_DAYS = 3;

/** Everything that is looked at for one domain. */
export interface Watching {
  readonly domain: Domain;
  readonly workspace: Workspace;
  readonly dns: DnsContext;
  readonly journal: Journal;
  /** Days before an end at which it is said. */
  readonly within: number;
  /** What reports say, where any were imported. */
  readonly reports: ReportStore | undefined;
  /** How what goes wrong is said. */
  readonly wording: Pick<NoticeWording, "failure">;
  /** What services told of late, the newest day first. */
  readonly days: readonly DayOfEvents[];
}

/** What is watched of a domain as it is now, and the shortest TTL of it in seconds. */
export interface DomainWatched {
  readonly watched: readonly Watched[];
  readonly ttl: number | undefined;
}

/** An end that is near, or far; the state says how near. */
const ending = (ends: number, now: number, within: number): Pick<Watched, "state" | "level" | "ends"> => {
  const near = nearness(ends, now, within);
  return near === undefined ? { state: "fine", level: "fine", ends } : { state: `within ${near}`, level: "soon", ends };
};

/** Whether what was proven is still there. */
const isRight = ({ piece }: AskStanding): boolean => piece.is === "met" || piece.is === "not-visible-yet";

/** The asks that were proven or settled once, and Zandrel's own records. */
function proofs({ domain, workspace, dns }: Watching, surveyed: Survey): Watched[] {
  const { journalled } = surveyed;
  // One that was changed since is asked for again, and has not lapsed.
  const wasRight = (ask: Ask): boolean =>
    [journalled.proven, journalled.settled].some((known) => known.get(ask.id)?.wanted === wantedText(ask));
  return surveyed.asks
    .filter(
      (standing) =>
        standing.state === "settled" || wasRight(standing.ask) || (standing.ask.service === OWN_SERVICE && isRight(standing)),
    )
    .map((standing) => {
      const { ask, state, because, causes, piece } = standing;
      const [cause] = causes;
      const right = isRight(standing);
      return {
        ...{ kind: "proof", subject: ask.id, state },
        level: piece.is === "undetermined" ? "unknown" : right ? "fine" : "bad",
        because: cause === undefined || right ? because : cause.because,
        next: right ? NOTHING : nextStep(standing, domain.name, workspace, dns.now),
        wasRight: true,
      } as const;
    });
}

/** What stood beside what was published, and is still needed. */
function beside({ domain }: Watching, { lost }: Survey): Watched {
  const [first] = lost;
  const common = { kind: "records", subject: withoutRootDot(domain.name), wasRight: true } as const;
  if (first === undefined)
    return { ...common, state: "fine", level: "fine", because: clause("guard-nothing-missed"), next: NOTHING };
  return {
    ...common,
    state: lost.map(({ name, type }) => `${name} ${type}`).join(" "),
    level: "bad",
    because: clause("guard-missed", { of: lost.length, because: clause("sheet-lost", lossParameters(first)) }),
    next: clause("next-check-sheet", { domain: domain.name }),
  };
}

/** The site, where an ask for it was proven, and its certificates. */
async function site({ domain, workspace, dns, journal, within }: Watching): Promise<Watched[]> {
  const { web } = dns;
  const leads = domain.asks.some(({ purpose }) => purpose === "site" || purpose === "redirect");
  if (web === undefined || !hasSite(domain) || (!leads && domain.role !== "redirect")) return [];
  const checks = await checkDomain({ domain, workspace, dns, web, journal });
  const next = clause("next-site", { domain: domain.name });
  return checks.map(({ id, name, met, because, until }): Watched => {
    const common = {
      subject: id === "certificate" ? name : `${id} ${name}`,
      because,
      next: met === true ? NOTHING : next,
    };
    const kind = id === "certificate" ? "certificate" : "site";
    if (met === undefined) return { ...common, kind, state: "unknown", level: "unknown" };
    if (!met) return { ...common, kind, state: "bad", level: "bad" };
    if (until === undefined) return { ...common, kind, state: "fine", level: "fine" };
    const end = ending(until, dns.now, within);
    const renews = clause("guard-certificate-renew");
    return {
      ...{ ...common, kind, ...end },
      because: end.level === "soon" ? clause("guard-certificate-ends", { name, at: until }) : because,
      next: end.level === "soon" ? renews : NOTHING,
    };
  });
}

/** Who serves the domain, and what its parent says of its keys and signatures. */
async function ground({ domain, dns, journal }: Watching, { look }: Survey): Promise<Watched[]> {
  const { authority } = look;
  const plain = withoutRootDot(domain.name);
  const delegation: Watched =
    authority.kind === "failed"
      ? {
          ...{ kind: "delegation", subject: plain, state: "unknown", level: "unknown" },
          because: authority.because,
          next: NOTHING,
        }
      : authority.kind === "delegated"
        ? {
            ...{ kind: "delegation", subject: plain, level: "fine" },
            state: [...authority.servers.map(({ name }) => name), ...authority.unreachable.map(({ name }) => name)]
              .sort()
              .join(" "),
            because: clause("guard-name-servers", {
              names: [...authority.servers, ...authority.unreachable].map(({ name }) => name),
            }),
            next: clause("next-find-host", { domain: domain.name }),
          }
        : {
            ...{ kind: "delegation", subject: plain, state: "none", level: "bad", because: authority.because },
            next: clause("guard-registration-ended"),
          };
  const { ds, unseen } = await watchDs(domain.name, dns, journal);
  const texts = (ds ?? []).map((delegationSigner) => printData("DS", delegationSigner)).sort();
  const keys: Watched = {
    ...{ kind: "ds", subject: plain, next: clause("next-audit", { domain: domain.name }) },
    ...(ds === undefined
      ? { state: "unknown", level: "unknown", because: unseen }
      : {
          ...{ state: texts.join(", "), level: "fine" },
          because: clause("guard-ds", { keyTags: ds.map(({ keyTag }) => keyTag) }),
        }),
  };
  const policy = under(nameOf("_dmarc"), domain.name);
  const { verdict: trust, until = 0 } = await signaturesOf(
    [
      ...["SOA", "MX", "TXT"].map((type) => ({ name: domain.name, type })),
      ...(policy === undefined ? [] : [{ name: policy, type: "TXT" }]),
    ],
    dns,
  );
  const common = { kind: "signatures", subject: plain, next: NOTHING } as const;
  const signatures: Watched[] =
    trust.kind === "secure"
      ? [
          {
            ...{ ...common, ...ending(until, dns.now, SIGNATURES_WITHIN) },
            because: clause("guard-signatures-good", { until }),
          },
        ]
      : trust.kind === "bogus"
        ? [bogus(trust.flaw, domain, common)]
        : trust.kind === "insecure"
          ? [{ ...common, state: "none", level: "fine", because: clause("guard-not-signed") }]
          : trust.why === "unresolved"
            ? [{ ...common, state: "unknown", level: "unknown", because: trust.because }]
            : [];
  return [delegation, keys, ...signatures];
}

function bogus(flaw: ChainFlaw, domain: Domain, common: object): Watched {
  const broken = { flaw, domain: domain.name };
  return {
    ...(common as Pick<Watched, "kind" | "subject">),
    state: flaw.code,
    level: "bad",
    because: clause("dnssec-broken", broken),
    next: clause("dnssec-mend", broken),
    wasRight: true,
  };
}

/** The includes of the own SPF record, and the addresses that stand in place of others. */
async function includes({ domain, journal }: Watching, lookup: Lookup): Promise<Watched[]> {
  const plain = withoutRootDot(domain.name);
  const spf = await lookupSpf(plain, lookup);
  if (!("record" in spf)) {
    if (spf.problem.kind !== "failed") return [];
    const unseen = { state: "unknown", level: "unknown", because: spf.problem.because, next: NOTHING } as const;
    return [{ kind: "spf", subject: plain, ...unseen }];
  }
  const tree = await spfTree(spf.record, plain, lookup, { addresses: true });
  const own = tree.branches.flatMap(({ term, below, failed }): Watched[] => {
    if (below === undefined || term.kind !== "mechanism") return [];
    const common = { kind: "include", subject: term.text, next: clause("next-explain-spf", { domain: domain.name }) } as const;
    const { problem } = below;
    if (failed !== undefined || problem?.kind === "failed")
      return [{ ...common, state: "unknown", level: "unknown", because: failed ?? problem?.because ?? NOTHING }];
    return problem === undefined
      ? [{ ...common, state: "fine", level: "fine", because: clause("guard-include-leads", { term: term.text }) }]
      : [{ ...common, state: problem.kind, level: "bad", because: problem.because }];
  });
  const flattened = journal.entries(domain.name, "spf-flattened").at(-1)?.sources ?? [];
  const moved = flattened.map(async ({ term, addresses }): Promise<Watched> => {
    const include = term.replace(/^\+?include:/i, "");
    const common = { kind: "addresses", subject: term, wasRight: true } as const;
    const found = await lookupSpf(include, lookup);
    if (!("record" in found)) {
      const { kind, because } = found.problem;
      const level = kind === "failed" ? "unknown" : "bad";
      return { ...common, state: kind, level, because, next: clause("guard-ask-service") };
    }
    const move = movedFrom(term, addresses, await spfTree(found.record, include, lookup, { addresses: true }));
    if (move.kind === "same")
      return { ...common, state: "fine", level: "fine", because: clause("guard-addresses-named", { term }), next: NOTHING };
    const level = move.kind === "unknown" ? "unknown" : "bad";
    return { ...common, state: move.kind, level, because: move.because, next: clause("next-flatten", { domain: domain.name }) };
  });
  return [...own, ...(await Promise.all(moved))];
}

/** Who sends as the domain and is not known, and whether reports still come. */
async function reported({ domain, workspace, dns, reports }: Watching, lookup: Lookup): Promise<Watched[]> {
  const lastDay = reports?.extent(domain.name).lastDay;
  if (reports === undefined || lastDay === undefined) return [];
  const plain = withoutRootDot(domain.name);
  const silent = Math.floor(dns.now / DAY_MS) - lastDay > SILENT_DAYS;
  const newest: Watched = {
    ...{ kind: "reports", subject: plain, wasRight: true },
    ...(silent ? { state: "silent", level: "bad" } : { state: "fine", level: "fine" }),
    because: clause("guard-newest-report", { day: lastDay }),
    next: silent ? clause("next-explain-dmarc", { domain: domain.name }) : NOTHING,
  };
  const { senders, unresolved } = await sendersOf(domain.name, workspace, lookup);
  // Where a known sender could not be asked for, its mail would look like that of somebody unknown.
  const [unseen] = unresolved;
  if (unseen !== undefined) {
    const because = clause("guard-senders-unresolved", { unseen });
    return [newest, { kind: "senders", subject: plain, state: "unknown", level: "unknown", because, next: NOTHING }];
  }
  const unknown = sourcesOf(reports.since(domain.name, lastDay - 27), senders).filter(({ ours }) => !ours);
  return [
    newest,
    ...unknown.map(
      ({ title, messages, aligned, nextTo }): Watched => ({
        ...{ kind: "sender", subject: title, state: "seen", level: "bad", next: clause("next-sources", { domain: domain.name }) },
        because: clause("guard-unknown-sender", { messages, title, domain: domain.name, aligned, nextTo }),
      }),
    ),
  ];
}

/** Whether services that told what became of the mail still do. */
function events({ domain, workspace, dns, days }: Watching): Watched[] {
  const newest = new Map<string, number>();
  for (const { service, domain: of, day } of days)
    if (`${of.replace(/\.$/, "")}.` === domain.name && !newest.has(service)) newest.set(service, day);
  return [...newest].map(([service, day]): Watched => {
    const title = workspace.settings.services[service]?.title ?? service;
    const silent = Math.floor(dns.now / DAY_MS) - day > SILENT_DAYS;
    return {
      ...{ kind: "events", subject: title, wasRight: true },
      ...(silent ? { state: "silent", level: "bad" } : { state: "fine", level: "fine" }),
      because: clause("guard-newest-event", { title, day }),
      next: silent ? clause("next-events", { service }) : NOTHING,
    };
  });
}

/** Looks at everything of a domain that was proven, and at what it rests on. */
export async function watchedOf(watching: Watching): Promise<DomainWatched> {
  const { domain, workspace, dns, journal } = watching;
  const surveyed = await survey(domain, dns, workspace, journal);
  rememberSettled(journal, surveyed, dns.now);
  const lookup = memoized(dns.world);
  const parts = await Promise.all([
    site(watching),
    ground(watching, surveyed),
    includes(watching, lookup),
    reported(watching, lookup),
    events(watching),
  ]);
  const ttls = surveyed.asks.flatMap(({ views }) =>
    views.flatMap(({ answer }) => (answer.kind === "found" ? [answer.set.ttl] : [])),
  );
  return {
    watched: [...proofs(watching, surveyed), beside(watching, surveyed), ...parts.flat()],
    ttl: ttls.length === 0 ? undefined : Math.min(...ttls),
  };
}

/** The name of a watched thing in the journal. */
export const aboutOf = ({ kind, subject }: Pick<Watched, "kind" | "subject">): string => `${kind} ${subject}`;
