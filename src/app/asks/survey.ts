import type { Ask, State, View } from "../../core/ask/index.ts";
import { asAsked, dnsWants, isDelegated, isMet, look, recordsWanted, stateOf, webProofOf } from "../../core/ask/index.ts";
import { type Clash, COMMON_FORM, type Draft, fillIn, makeDraft } from "../../core/change/index.ts";
import { listOf } from "../../core/english.ts";
import type { Lookup } from "../../core/lookup/index.ts";
import { memoized, zoneLookup } from "../../core/lookup/index.ts";
import type { DomainName } from "../../core/name/index.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { type Cause, diagnose } from "../../core/ownership/index.ts";
import { containsAll, printRecord, type RecordSet } from "../../core/record/index.ts";
import type { WebProof, WebVerdict } from "../../core/site/index.ts";
import { longestWindow, visibleBy } from "../../core/spread/index.ts";
import { zonesOf } from "../../core/zone/index.ts";
import type { WebOptions } from "../../net/web.ts";
import type { Domain, Journal, JournalledChange, Publication, Workspace } from "../../workspace/index.ts";
import { type DnsContext, type DomainLook, hostServer, readZoneFile } from "../dns/context.ts";

/** The key of the service that stands for the organisation's own mail: records that Zandrel composed. */
export const OWN_SERVICE = "own-mail";

/** What the journal remembers of a domain, ready to be asked. */
export interface JournalState {
  /** When each ask was proven, with the records that were proven. */
  readonly proven: ReadonlyMap<string, { readonly at: number; readonly wanted: string }>;
  readonly settled: ReadonlyMap<string, { readonly at: number; readonly wanted: string }>;
  readonly publications: readonly Publication[];
}

const NOTHING: JournalState = { proven: new Map(), settled: new Map(), publications: [] };

/** The records of an ask as one text, by which a proof is tied to what was proven. */
export const wantedText = ({ wants }: Ask): string => {
  const proof = webProofOf(wants);
  const records = recordsWanted(asAsked(wants)).map((record) => printRecord({ ...record, ttl: 0 }));
  return (proof === undefined ? "" : `${JSON.stringify(proof)}\n`) + records.sort().join("\n");
};

export function loadJournalState(journal: Journal | undefined, domain: DomainName): JournalState {
  if (journal === undefined) return NOTHING;
  const last = (kind: "proven" | "settled") =>
    new Map(journal.entries(domain, kind).map((entry) => [entry.ask, { at: entry.at, wanted: entry.wanted }]));
  return { proven: last("proven"), settled: last("settled"), publications: journal.publications(domain) };
}

/** When a change of an ask's sets was published last, and when everyone sees it at the latest. */
interface Visibility {
  readonly publishedAt: number;
  readonly by: number;
  readonly because: string;
}

/** Where one ask stands, with the evidence. */
export interface AskStanding {
  readonly ask: Ask;
  readonly views: readonly View[];
  readonly state: State;
  readonly because: string;
  readonly causes: readonly Cause[];
  readonly visibility: Visibility | undefined;
}

export interface Survey {
  readonly domain: Domain;
  readonly look: DomainLook;
  readonly asks: readonly AskStanding[];
  readonly draft: Draft | undefined;
}

/** The zone as the draft has to see it: where its changes will go. */
export function draftSource(domain: Domain, looked: DomainLook, dns: DnsContext, workspace: Workspace): Lookup | undefined {
  if (dns.fromFiles) return looked.lookup;
  const publish = domain.host === undefined ? undefined : workspace.settings.hosts[domain.host]?.publish;
  // A file named on the command line lies where the user is, one named in zandrel.yaml in the workspace.
  const target = dns.into ?? (publish?.way === "zone-file" ? { folder: workspace.folder, file: publish.file } : undefined);
  if (target !== undefined) {
    const { document } = readZoneFile(
      target.folder,
      target.file,
      [domain.name],
      workspace.settings.defaults.ttl,
      dns.includeFrom,
    );
    return memoized(zoneLookup(zonesOf(document)));
  }
  if (publish?.way === "update") return dns.server(hostServer(publish.server, workspace.settings.defaults.authorityPort));
  return looked.lookup;
}

/** Ids of the asks an ask waits for that are not proven. */
const waitingFor = (ask: Ask, journalled: JournalState, domain: Domain): string[] =>
  ask.after.filter((id) => {
    const other = domain.asks.find((one) => one.id === id);
    return other === undefined || journalled.proven.get(id)?.wanted !== wantedText(other);
  });

/** The last publication that put something at a place, and was neither refused nor taken back. */
function lastPublication({ publications }: JournalState, { name, type }: Pick<RecordSet, "name" | "type">) {
  const undone = new Set(publications.filter(({ closed }) => closed?.end === "published").map(({ opened }) => opened.undoes));
  const publication = publications.findLast(
    ({ opened, closed }) =>
      closed?.end === "published" &&
      !undone.has(opened.id) &&
      opened.changes.some((change) => change.name === name && change.type === type),
  );
  const change = publication?.opened.changes.find((one) => one.name === name && one.type === type);
  return publication === undefined || change === undefined ? undefined : { at: publication.opened.at, change };
}

/** Whether Zandrel put every one of these records there for one of these asks, and they were not changed since. */
const isOwn =
  (journalled: JournalState) =>
  (set: RecordSet, asks: readonly string[]): boolean => {
    const last = lastPublication(journalled, set);
    if (last === undefined || set.data.length === 0) return false;
    const { before, after, asks: forAsks } = last.change;
    return (
      forAsks.some((id) => asks.includes(id)) &&
      containsAll(after, set) &&
      !set.data.some((data) => containsAll(before, { ...set, data: [data] }))
    );
  };

/** Who put a set there, as far as the workspace knows; Zandrel only where its journal says so and nobody changed it since. */
function provenanceOf(domain: Domain, journalled: JournalState): (set: RecordSet) => string {
  return (set) => {
    const last = lastPublication(journalled, set);
    if (
      last !== undefined &&
      containsAll(last.change.after, set) &&
      !set.data.some((data) => containsAll(last.change.before, { ...set, data: [data] }))
    )
      return `Zandrel on ${new Date(last.at).toISOString().slice(0, 10)} for ${listOf(last.change.asks)}`;
    const ask = domain.asks.find((one) =>
      dnsWants(one.wants).some(
        (want) => want.kind !== "absent" && want.name === set.name && want.type === set.type && isMet(set, want),
      ),
    );
    return ask === undefined
      ? "somebody else (the DNS host's default for new domains, or an older service)"
      : `somebody else, as the ask ${ask.id} wants it`;
  };
}

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

function visibilityOf(ask: Ask, journalled: JournalState): Visibility | undefined {
  const wants = (change: JournalledChange) =>
    dnsWants(ask.wants).some(
      (want) => want.name === change.name && want.type === change.type && change.after !== undefined && isMet(change.after, want),
    );
  const publication = journalled.publications.findLast(
    ({ opened, closed }) => closed?.end === "published" && opened.changes.some(wants),
  );
  if (publication?.closed === undefined) return undefined;
  const cacheWindow = longestWindow(publication.opened.changes.filter(wants).flatMap((change) => change.cacheWindow ?? []));
  const publishedAt = publication.closed.at;
  return cacheWindow === undefined
    ? undefined
    : { publishedAt, by: visibleBy(publishedAt, cacheWindow), because: cacheWindow.because };
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
): Promise<AskStanding> {
  const common = { ask, views: [], visibility: undefined };
  const verdict =
    dns.web === undefined
      ? { found: undefined, because: "a proof on the web cannot be looked at in zone files", remedy: "" }
      : await lookAtPage(proof, dns.web);
  const proven = journalled.proven.get(ask.id)?.wanted === wantedText(ask);
  const settled = journalled.settled.get(ask.id)?.wanted === wantedText(ask);
  if (verdict.found === undefined) return { ...common, state: "unknown", because: verdict.because, causes: [] };
  if (verdict.found)
    return {
      ...common,
      state: proven ? "proven" : "settled",
      because: proven ? "the service confirmed it, and it is still there" : verdict.because,
      causes: [],
    };
  const causes: Cause[] = [{ kind: "web-proof", at: proof.url, because: verdict.because, remedy: verdict.remedy }];
  const state = proven || settled ? "lapsed" : waits.length > 0 ? "waiting" : "noted";
  const because =
    state === "waiting"
      ? `${waits.join(", ")} must be proven first`
      : state === "lapsed"
        ? `it was there, and now ${verdict.because}`
        : verdict.because;
  return { ...common, state, because, causes };
}

/** A clash as a cause: what stands there, and what to do about it in the form of the DNS host. */
export function causeOf({ kind, name, because, options, offending }: Clash, domain: Domain, workspace: Workspace): Cause {
  const at = displayName(name);
  if (offending === undefined) return { kind, at, because, remedy: options.join("; or ") };
  const way = domain.host === undefined ? undefined : workspace.settings.hosts[domain.host]?.publish;
  const form = way?.way === "by-hand" ? (way.form ?? COMMON_FORM) : COMMON_FORM;
  const { type } = offending;
  const entries = fillIn([{ name: offending.name, type, before: offending, after: undefined }], domain.name, form);
  const fields = entries.map(
    ({ host, value }) => `with the host ${host === "" ? "left empty" : `“${host}”`} and the value “${value}”`,
  );
  return {
    kind,
    at,
    because,
    remedy: `at ${hostTitle(domain, workspace)}, delete the ${type} ${entries.length === 1 ? "record" : "records"} ${listOf(fields)}`,
  };
}

/** Looks at a domain from everywhere and derives where each of its asks stands. */
export async function survey(
  domain: Domain,
  dns: DnsContext,
  workspace: Workspace,
  journal: Journal | undefined,
): Promise<Survey> {
  const journalled = loadJournalState(journal, domain.name);
  const looked = await dns.look(domain);
  const { authority, lookup, viewpoints, undelegatedHosts } = looked;
  const trouble = authority.kind === "delegated" ? undefined : { kind: authority.kind, because: authority.because };
  const source = trouble === undefined ? draftSource(domain, looked, dns, workspace) : undefined;
  const draft = source === undefined ? undefined : await draftOf(domain, source, dns.world, journalled, new Set());
  const siblings = async () => {
    const others = workspace.domains.filter((other) => other.name !== domain.name);
    const seen = await Promise.all(others.map(async (other) => ({ domain: other.name, lookup: (await dns.look(other)).lookup })));
    return seen.flatMap((one) => (one.lookup === undefined ? [] : [{ domain: one.domain, lookup: one.lookup }]));
  };
  const asks = await Promise.all(
    domain.asks.map(async (ask): Promise<AskStanding> => {
      const proof = webProofOf(ask.wants);
      if (proof !== undefined) return webStanding(ask, proof, dns, journalled, waitingFor(ask, journalled, domain));
      const views = trouble === undefined ? await look(dnsWants(ask.wants), viewpoints) : [];
      const astray = dnsWants(ask.wants).filter(
        (set) =>
          set.kind !== "absent" &&
          (trouble?.kind === "not-delegated" ||
            views.some(
              (view) =>
                view.role === "authoritative" &&
                view.name === set.name &&
                view.type === set.type &&
                view.absent !== true &&
                (view.sees === "old" || view.sees === "nothing" || isDelegated(view)),
            )),
      );
      const others = astray.length > 0 ? await siblings() : [];
      const causes = (
        await Promise.all(
          astray.map((wanted) =>
            diagnose({
              wanted,
              apex: domain.name,
              viewpoints,
              views: views.filter((view) => view.name === wanted.name && view.type === wanted.type && view.absent !== true),
              lookup,
              labels: [ask.service],
              undelegatedHosts,
              siblings: others,
            }),
          ),
        )
      ).flat();
      const text = wantedText(ask);
      const at = (known: JournalState["proven"]) => (known.get(ask.id)?.wanted === text ? known.get(ask.id)?.at : undefined);
      const clash = draft?.clashes.find((one) => one.ask === ask.id && !one.contradicts);
      const contradictions = draft?.clashes.filter((one) => one.ask === ask.id && one.contradicts) ?? [];
      // A value that merely differs is what the draft is about to change; everything else points at a mistake.
      const miss = causes.find(
        (cause) => cause.kind !== "other-value" && cause.kind !== "other-target" && cause.kind !== "alias-in-the-way",
      );
      const verdict = stateOf({
        ask,
        views,
        waitingFor: waitingFor(ask, journalled, domain),
        provenAt: at(journalled.proven),
        settledAt: at(journalled.settled),
        clash: clash?.because,
        contradiction: contradictions[0]?.because,
        miss: miss?.because,
        trouble,
      });
      const beside = contradictions.map((one) => causeOf(one, domain, workspace));
      // What Zandrel composed proves itself: there is no service to ask.
      const own: typeof verdict =
        ask.service === OWN_SERVICE && verdict.state === "settled"
          ? { state: "proven", because: "it is your own record, and everyone sees it" }
          : verdict;
      return { ask, views, ...own, causes: [...causes, ...beside], visibility: visibilityOf(ask, journalled) };
    }),
  );
  return { domain, look: looked, asks, draft };
}

/** The step that brings an ask on from where it stands. */
export function nextStep({ ask, state, causes }: AskStanding, domain: DomainName, workspace: Workspace): string {
  const name = withoutRootDot(domain);
  const alone = workspace.domains.filter((one) => one.asks.some(({ id }) => id === ask.id)).length === 1;
  const idOf = (id: string) => (alone ? id : `${name}/${id}`);
  switch (state) {
    case "waiting":
      return `zandrel prove ${idOf(ask.after[0] as string)}`;
    case "noted":
    case "clashing":
    case "lapsed":
      return webProofOf(ask.wants) === undefined
        ? `zandrel draft ${name}`
        : (causes[0]?.remedy ?? `zandrel prove ${idOf(ask.id)}`);
    case "astray":
      return causes[0]?.remedy ?? `zandrel prove ${idOf(ask.id)}`;
    case "spreading":
      return `zandrel watch ${name}`;
    case "settled":
      return `zandrel prove ${idOf(ask.id)}`;
    case "unknown":
      return `zandrel status ${name}`;
    case "proven":
      return "";
  }
}

/** Journals that asks were seen settled for the first time, so that it is noticed when they lapse. */
export function rememberSettled(journal: Journal, result: Survey, now: number): void {
  const journalled = loadJournalState(journal, result.domain.name);
  for (const { ask, state } of result.asks)
    if (
      (state === "settled" || (state === "proven" && ask.service === OWN_SERVICE)) &&
      journalled.settled.get(ask.id)?.wanted !== wantedText(ask)
    )
      journal.append(now, result.domain.name, { kind: "settled", ask: ask.id, wanted: wantedText(ask) });
}

/** The host a domain is served by, for people. */
export const hostTitle = (domain: Domain, workspace: Workspace): string =>
  domain.host === undefined ? "no DNS host named" : (workspace.settings.hosts[domain.host]?.title ?? domain.host);
