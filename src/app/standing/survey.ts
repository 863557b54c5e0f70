import type { Ask, State, View } from "../../core/ask/index.ts";
import { dnsWants, isDelegated, look, stateOf, webProofOf } from "../../core/ask/index.ts";
import { type Clash, type Draft, fillIn, type Loss, makeDraft } from "../../core/change/index.ts";
import { type Clause, clause, NOTHING } from "../../core/clause/index.ts";
import { distinct } from "../../core/distinct.ts";
import type { ChainFlaw, Verdict } from "../../core/dnssec/index.ts";
import { type Judgement, judge, type Piece, pieceOf } from "../../core/judgement/index.ts";
import type { Lookup } from "../../core/lookup/index.ts";
import type { DomainName } from "../../core/name/index.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { type Cause, diagnose } from "../../core/ownership/index.ts";
import { isOfType } from "../../core/record/index.ts";
import type { WebProof, WebVerdict } from "../../core/site/index.ts";
import type { WebOptions } from "../../net/web.ts";
import type { Domain, Journal, Workspace } from "../../workspace/index.ts";
import type { Ended } from "../context.ts";
import { type DnsContext, type DomainLook, hostServer } from "../dns/context.ts";
import { dsGone, hadDs, watchDs } from "../dns/ds-memory.ts";
import { formOf, hostTitle } from "./host.ts";
import {
  isOwn,
  type JournalState,
  loadJournalState,
  OWN_SERVICE,
  provenanceOf,
  type Visibility,
  visibilityOf,
  wantedText,
} from "./journal-state.ts";
import { lostAt } from "./losses.ts";
import { draftSource } from "./source.ts";

/** Where one ask stands, with the evidence. */
export interface AskStanding {
  readonly ask: Ask;
  readonly views: readonly View[];
  readonly state: State;
  readonly because: Clause;
  readonly causes: readonly Cause[];
  readonly visibility: Visibility | undefined;
  /** How it stands, for whoever says done, missing or to be done. */
  readonly piece: Piece;
}

export interface Survey {
  readonly domain: Domain;
  readonly look: DomainLook;
  readonly asks: readonly AskStanding[];
  readonly draft: Draft | undefined;
  /** What somebody deleted or changed beside what was published, and that is still needed. */
  readonly lost: readonly Loss[];
  readonly judgement: Judgement;
  /** What the journal remembered when it was looked. */
  readonly journalled: JournalState;
  /**
   * When the first DNSSEC signature of the domain ends, where that is before everyone sees what was published (milliseconds since
   * 1970).
   */
  readonly signaturesEnd: number | undefined;
}

/** Ids of the asks an ask waits for that are not proven. */
const waitingFor = (ask: Ask, journalled: JournalState, domain: Domain): string[] =>
  ask.after.filter((id) => {
    const other = domain.asks.find((candidate) => candidate.id === id);
    return other === undefined || journalled.proven.get(id)?.wanted !== wantedText(other);
  });

/** Ids of the asks of a domain whose turn has not come. */
export const waitingAsks = (domain: Domain, journalled: JournalState): string[] =>
  domain.asks.filter((ask) => waitingFor(ask, journalled, domain).length > 0).map(({ id }) => id);

/** Computes the draft of a domain: every ask that does not wait for another. */
export async function draftOf(
  domain: Domain,
  source: Lookup,
  world: Lookup,
  journalled: JournalState,
  replace: ReadonlySet<DomainName>,
  only?: readonly string[],
): Promise<Draft> {
  const asks = domain.asks.filter((ask) => waitingFor(ask, journalled, domain).length === 0 && only?.includes(ask.id) !== false);
  return makeDraft({
    domain: domain.name,
    asks,
    all: domain.asks,
    lookup: source,
    world,
    replace,
    provenanceOf: provenanceOf(domain, journalled),
    isOwn: isOwn(journalled),
  });
}

/** What a page shows of a proof; reading pages is loaded only where somebody asks for one. */
async function lookAtPage(proof: WebProof, web: WebOptions): Promise<WebVerdict> {
  const [{ judgeProof }, { fetchPage }] = await Promise.all([import("../../core/site/index.ts"), import("../../net/web.ts")]);
  return judgeProof(proof, await fetchPage(proof.url, web));
}

/** Where an ask stands whose proof is on the web: nothing spreads there, it is there or it is not. */
async function webStanding(
  ask: Ask,
  proof: WebProof,
  dns: DnsContext,
  journalled: JournalState,
  waits: readonly string[],
): Promise<Omit<AskStanding, "piece">> {
  const common = { ask, views: [], visibility: undefined };
  const verdict =
    dns.web === undefined
      ? { found: undefined, because: clause("state-web-unseen"), remedy: NOTHING }
      : await lookAtPage(proof, dns.web);
  const proven = journalled.proven.get(ask.id)?.wanted === wantedText(ask);
  const settled = journalled.settled.get(ask.id)?.wanted === wantedText(ask);
  if (verdict.found === undefined) return { ...common, state: "unknown", because: verdict.because, causes: [] };
  if (verdict.found)
    return {
      ...common,
      state: proven ? "proven" : "settled",
      because: proven ? clause("state-still-proven") : verdict.because,
      causes: [],
    };
  const causes: Cause[] = [{ kind: "web-proof", at: proof.url, because: verdict.because, remedy: verdict.remedy }];
  const state = proven || settled ? "lapsed" : waits.length > 0 ? "waiting" : "noted";
  const because =
    state === "waiting"
      ? clause("state-waiting", { waitingFor: waits })
      : state === "lapsed"
        ? clause("state-was-there", { because: verdict.because })
        : verdict.because;
  return { ...common, state, because, causes };
}

/** A clash as a cause: what is in the way, and what to do about it in the form of the DNS host. */
export function causeOf({ kind, name, because, options, offending }: Clash, domain: Domain, workspace: Workspace): Cause {
  const at = displayName(name);
  if (offending === undefined) return { kind, at, because, remedy: clause("cause-options", { options }) };
  const { type } = offending;
  const entries = fillIn(
    [{ name: offending.name, type, before: offending, after: undefined }],
    domain.name,
    formOf(domain, workspace),
  );
  return {
    kind,
    at,
    because,
    remedy: clause("cause-leftover-mend", {
      host: hostTitle(domain, workspace),
      type,
      entries: entries.map(({ host, value }) => ({ host, value })),
    }),
  };
}

/** The DNS host of the workspace that still serves a key which the DS records at the registrar stand for. */
async function keyHolder(flaw: ChainFlaw, domain: Domain, dns: DnsContext, { settings }: Workspace): Promise<string | undefined> {
  if (flaw.code !== "ds-without-key") return undefined;
  const { keyTag } = await import("../../core/dnssec/index.ts");
  for (const { title, servers } of Object.values(settings.hosts)) {
    const [first] = servers;
    if (first === undefined) continue;
    const answer = await dns.server(hostServer(first, settings.defaults.authorityPort)).ask(domain.name, "DNSKEY");
    if (answer.kind !== "found" || !isOfType(answer.set, "DNSKEY")) continue;
    if (answer.set.data.some((key) => flaw.dsTags.includes(keyTag(key)))) return title;
  }
  return undefined;
}

/** Why resolvers that check signatures refuse what was looked for; undefined where none does. */
async function refusalCause(
  views: readonly View[],
  domain: Domain,
  dns: DnsContext,
  journal: Journal | undefined,
  workspace: Workspace,
): Promise<Cause | undefined> {
  const refused = views.find((view) => view.answer.kind === "failed" && view.answer.why === "bogus");
  if (refused === undefined) return undefined;
  const verdict = await dns.trust(refused.name, refused.type);
  if (verdict.kind === "bogus") {
    // Once the DS records are deleted, they are still remembered for a while.
    if ("dsTtl" in verdict.flaw) await watchDs(domain.name, dns, journal);
    const { flaw } = verdict;
    const broken = { flaw, domain: domain.name, fits: await keyHolder(flaw, domain, dns, workspace) };
    return {
      kind: `dnssec-${flaw.code}`,
      at: displayName(flaw.name),
      because: clause("dnssec-broken", broken),
      remedy: clause("dnssec-mend", broken),
    };
  }
  return {
    kind: "dnssec-refused",
    at: displayName(refused.name),
    because: refused.answer.kind === "failed" ? refused.answer.detail : NOTHING,
    remedy: clause("dnssec-refused-mend"),
  };
}

/** What is known of a domain when its asks are judged one by one. */
interface Surveying {
  readonly domain: Domain;
  readonly dns: DnsContext;
  readonly workspace: Workspace;
  readonly journal: Journal | undefined;
  readonly journalled: JournalState;
  readonly looked: DomainLook;
  /** Why nobody serves the domain, or why that is not known. */
  readonly trouble: { readonly kind: "failed" | "not-delegated"; readonly because: Clause } | undefined;
  readonly draft: Draft | undefined;
  /** Since when its DS records are gone, where they are. */
  readonly gone: ReturnType<typeof dsGone>;
}

/** The other domains of the workspace, as they are served. */
async function siblingsOf({ domain, dns, workspace }: Surveying): Promise<{ domain: DomainName; lookup: Lookup }[]> {
  const others = workspace.domains.filter((other) => other.name !== domain.name);
  const seen = await Promise.all(others.map(async (other) => ({ domain: other.name, lookup: (await dns.look(other)).lookup })));
  return seen.flatMap((one) => (one.lookup === undefined ? [] : [{ domain: one.domain, lookup: one.lookup }]));
}

/** Why records that an ask wants are not where they should be. */
async function causesOf(ask: Ask, views: readonly View[], surveying: Surveying): Promise<Cause[]> {
  const { domain, looked, trouble } = surveying;
  const isAstray = (view: View): boolean =>
    view.role === "authoritative" &&
    view.absent !== true &&
    (view.sees === "old" || view.sees === "nothing" || isDelegated(view));
  const astray = dnsWants(ask.wants).filter(
    (set) =>
      set.kind !== "absent" &&
      (trouble?.kind === "not-delegated" ||
        views.some((view) => isAstray(view) && view.name === set.name && view.type === set.type)),
  );
  const siblings = astray.length > 0 ? await siblingsOf(surveying) : [];
  const all = domain.asks.flatMap(({ wants }) => dnsWants(wants));
  const { viewpoints, lookup, undelegatedHosts } = looked;
  const causes = await Promise.all(
    astray.map((wanted) =>
      diagnose({
        ...{ wanted, apex: domain.name, viewpoints, lookup, labels: [ask.service], undelegatedHosts, siblings, all },
        views: views.filter((view) => view.name === wanted.name && view.type === wanted.type && view.absent !== true),
      }),
    ),
  );
  // What befell several sets of an ask in the same way is one cause.
  return distinct(causes.flat());
}

/** The name servers that could not be asked, where others could: what they do is a cause of its own, and nothing about the ask. */
function sickServers(views: readonly View[], domain: Domain, workspace: Workspace): Cause[] {
  const authorities = views.filter((view) => view.role === "authoritative");
  const answering = new Set(authorities.filter(({ sees }) => sees !== "unknown").map(({ from }) => from));
  const sick = authorities.filter(({ from, sees }) => sees === "unknown" && answering.size > 0 && !answering.has(from));
  return distinct(sick, ({ from }) => from).map(({ from, answer }) => ({
    kind: "sick-server",
    at: from,
    because: clause("cause-sick-server", { server: from, because: answer.kind === "failed" ? answer.detail : NOTHING }),
    remedy: clause("cause-sick-server-mend", { server: from, host: hostTitle(domain, workspace) ?? "the DNS host" }),
  }));
}

/** When everyone sees an ask: a DS record that was deleted may be remembered, whatever was published meanwhile. */
function afterDs(visibility: Visibility | undefined, { gone, dns }: Surveying): Visibility | undefined {
  if (gone === undefined) return visibility;
  const by = gone.at + gone.ttl * 1000;
  return by <= (visibility?.by ?? dns.now)
    ? visibility
    : { publishedAt: visibility?.publishedAt ?? gone.at, by, because: clause("dnssec-ds-remembered", { ttl: gone.ttl }) };
}

/** How an ask stands, for the judgement of its domain. */
function judged(standing: Omit<AskStanding, "piece">, { draft, trouble, dns }: Surveying): AskStanding {
  const { ask, state, causes, visibility } = standing;
  const ofAsk = <T extends { readonly asks: readonly string[] }>({ asks }: T) => asks.includes(ask.id);
  const isSick = causes.length > 0 && causes.every(({ kind }) => kind === "sick-server" || kind === "some-servers-only");
  const piece = pieceOf({
    ...{ ask: ask.id, state, now: dns.now, until: visibility?.by, isOwn: ask.service === OWN_SERVICE },
    isContradicted: draft?.clashes.some((clash) => clash.ask === ask.id) === true,
    ground:
      trouble?.kind === "not-delegated"
        ? "not-delegated"
        : causes.some(({ kind }) => kind.startsWith("dnssec-"))
          ? "refused"
          : isSick
            ? "sick-server"
            : undefined,
    drafted: (draft?.changes ?? []).filter(ofAsk).flatMap(({ action }) => (action === "keep" ? [] : [action])),
  });
  return { ...standing, piece };
}

/** Where one ask stands. */
async function standingOf(ask: Ask, surveying: Surveying): Promise<Omit<AskStanding, "piece">> {
  const { domain, dns, workspace, journal, journalled, looked, trouble, draft } = surveying;
  const waiting = waitingFor(ask, journalled, domain);
  const proof = webProofOf(ask.wants);
  if (proof !== undefined) return webStanding(ask, proof, dns, journalled, waiting);
  const views = trouble === undefined ? await look(dnsWants(ask.wants), looked.viewpoints) : [];
  const causes = await causesOf(ask, views, surveying);
  const refusal = await refusalCause(views, domain, dns, journal, workspace);
  if (refusal !== undefined) causes.unshift(refusal);
  const text = wantedText(ask);
  const at = (known: JournalState["proven"]) => (known.get(ask.id)?.wanted === text ? known.get(ask.id)?.at : undefined);
  const clash = draft?.clashes.find((candidate) => candidate.ask === ask.id && !candidate.contradicts);
  const contradictions = draft?.clashes.filter((candidate) => candidate.ask === ask.id && candidate.contradicts) ?? [];
  // A value that merely differs is what the draft is about to change; everything else points at a mistake.
  const miss = causes.find(
    (cause) => cause.kind !== "other-value" && cause.kind !== "other-target" && cause.kind !== "alias-in-the-way",
  );
  const verdict = stateOf({
    ask,
    views,
    waitingFor: waiting,
    provenAt: at(journalled.proven),
    settledAt: at(journalled.settled),
    clash: clash?.because,
    contradiction: contradictions[0]?.because,
    miss: miss?.because,
    trouble,
    refused: refusal?.because,
  });
  const beside = contradictions.map((one) => causeOf(one, domain, workspace));
  // What Zandrel composed proves itself: there is no service to ask.
  const visibility = afterDs(visibilityOf(ask, journalled), surveying);
  const own: typeof verdict = (await isCatchingUp(verdict, causes, visibility, surveying))
    ? { state: "spreading", because: clause("state-catching-up", { lacking: causes.map(({ at }) => at) }) }
    : ask.service === OWN_SERVICE && verdict.state === "settled" && !isEarly(visibility, dns.now)
      ? { state: "proven", because: clause("state-own") }
      : verdict;
  return { ask, views, ...own, causes: [...causes, ...beside, ...sickServers(views, domain, workspace)], visibility };
}

/** How a command ends that asks whether domains are done: only time is left is not as wanted, and what wants nothing is. */
export const endedBy = (verdicts: readonly Judgement["verdict"][]): Ended =>
  verdicts.includes("undetermined")
    ? "undetermined"
    : verdicts.every((verdict) => verdict === "done" || verdict === "nothing-asked")
      ? "fine"
      : "problem";

/** The judgement of a domain, as results show it. */
export const judgementShown = ({ domain, judgement: { verdict, pieces, lost } }: Survey) => ({
  ...{ domain: domain.name, verdict, lost },
  pieces: pieces.map((piece) => ({ ...piece, until: piece.until ?? null })),
});

/** Looks at a domain from everywhere and derives where each of its asks stands. */
export async function survey(
  domain: Domain,
  dns: DnsContext,
  workspace: Workspace,
  journal: Journal | undefined,
): Promise<Survey> {
  const journalled = loadJournalState(journal, domain.name);
  const looked = await dns.look(domain);
  const { authority } = looked;
  // A domain of the workspace is a zone of its own: where it is not delegated, its host's servers are asked by nobody.
  const trouble =
    authority.kind === "delegated" || (authority.kind === "within" && dns.fromFiles)
      ? undefined
      : ({ kind: authority.kind === "failed" ? "failed" : "not-delegated", because: authority.because } as const);
  const source = trouble === undefined ? draftSource(domain, looked, dns, workspace) : undefined;
  const draft = source === undefined ? undefined : await draftOf(domain, source, dns.world, journalled, new Set());
  const gone = hadDs(domain.name, journal) ? (await watchDs(domain.name, dns, journal)).gone : dsGone(domain.name, journal);
  const surveying = { domain, dns, workspace, journal, journalled, looked, trouble, draft, gone };
  const asks = await Promise.all(domain.asks.map(async (ask) => judged(await standingOf(ask, surveying), surveying)));
  const early = asks.filter(({ visibility }) => isEarly(visibility, dns.now));
  const lastSeen = Math.max(...early.map(({ visibility }) => visibility?.by ?? 0));
  const wanted = early.flatMap(({ ask }) => dnsWants(ask.wants)).map(({ name, type }) => ({ name, type }));
  const end = early.length === 0 ? undefined : (await signaturesOf([{ name: domain.name, type: "SOA" }, ...wanted], dns)).until;
  const lost = source === undefined || journal === undefined ? [] : await lostAt(domain, source, journal, dns.now, draft);
  return {
    domain,
    look: looked,
    asks,
    draft,
    lost,
    judgement: judge(
      asks.map(({ piece }) => piece),
      lost.length,
    ),
    journalled,
    signaturesEnd: end !== undefined && end < lastSeen ? end : undefined,
  };
}

/**
 * What signatures prove of several sets together: the first that is refused or could not be judged, and else until when all of them
 * last (milliseconds since 1970); undefined where nothing is signed, or known.
 */
export async function signaturesOf(
  sets: readonly { readonly name: DomainName; readonly type: string }[],
  dns: Pick<DnsContext, "trust">,
): Promise<{ readonly verdict: Verdict; readonly until: number | undefined }> {
  const [first, ...others] = sets as [(typeof sets)[number], ...typeof sets];
  const own = await dns.trust(first.name, first.type);
  // Where the zone itself is not signed, or not rightly, the sets in it are as it is.
  if (own.kind !== "secure") return { verdict: own, until: undefined };
  const verdicts = [own, ...(await Promise.all(others.map(({ name, type }) => dns.trust(name, type))))];
  const verdict = verdicts.find(({ kind }) => kind === "bogus") ?? verdicts.find(({ kind }) => kind === "indeterminate") ?? own;
  const until = Math.min(...verdicts.flatMap((one) => (one.kind === "secure" ? [one.until] : [])));
  return { verdict, until: until * 1000 };
}

/**
 * Whether somebody may still see the old records: the resolvers we look from are not all there are, and any other may hold
 * the old answer until the latest moment that was computed.
 */
export const isEarly = (visibility: Visibility | undefined, now: number): boolean =>
  visibility !== undefined && now < visibility.by;

/** How long name servers may take to agree where the zone does not say how often they look (milliseconds). */
const USUAL_REFRESH = 900_000;

/**
 * Whether all that is wrong is that some name server did not fetch yet what was published: that is a change on its way for as long as
 * the zone's own refresh time lasts (RFC 1035 section 3.3.13).
 */
async function isCatchingUp(
  { state }: Pick<AskStanding, "state">,
  causes: readonly Cause[],
  visibility: Visibility | undefined,
  { looked, domain, dns }: Surveying,
): Promise<boolean> {
  if (state !== "astray" || visibility === undefined || causes.length === 0) return false;
  if (!causes.every(({ kind }) => kind === "some-servers-only")) return false;
  const soa = await looked.lookup?.ask(domain.name, "SOA");
  const refresh = soa?.kind === "found" && isOfType(soa.set, "SOA") ? (soa.set.data[0]?.refresh ?? 0) * 1000 : USUAL_REFRESH;
  return dns.now - visibility.publishedAt < refresh;
}

/** The step that brings an ask on from where it stands. */
export function nextStep(standing: AskStanding, domain: DomainName, workspace: Workspace, now: number): Clause {
  const { ask, state, causes, visibility } = standing;
  const alone = workspace.domains.filter((candidate) => candidate.asks.some(({ id }) => id === ask.id)).length === 1;
  const idOf = (id: string) => (alone ? id : `${withoutRootDot(domain)}/${id}`);
  const prove = clause("next-prove", { ask: idOf(ask.id) });
  switch (state) {
    case "waiting":
      return clause("next-prove", { ask: idOf(ask.after[0] as string) });
    case "noted":
    case "clashing":
    case "lapsed":
      return webProofOf(ask.wants) === undefined ? clause("next-draft", { domain }) : (causes[0]?.remedy ?? prove);
    case "astray":
      return causes[0]?.remedy ?? prove;
    case "spreading":
      return clause("next-watch", { domain });
    case "settled":
      return isEarly(visibility, now) ? clause("next-watch-proven", { domain }) : prove;
    case "unknown":
      return clause("next-status", { domain });
    case "proven":
      return NOTHING;
  }
}

/** Journals that asks were seen settled for the first time, so that it is noticed when they lapse. */
export function rememberSettled(journal: Journal, result: Survey, now: number): void {
  for (const { ask, state } of result.asks)
    if (
      (state === "settled" || (state === "proven" && ask.service === OWN_SERVICE)) &&
      result.journalled.settled.get(ask.id)?.wanted !== wantedText(ask)
    )
      journal.append(now, result.domain.name, { kind: "settled", ask: ask.id, wanted: wantedText(ask) });
}
