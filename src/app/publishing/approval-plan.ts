import { dnsWants, isMet } from "../../core/ask/index.ts";
import { type Change, type Clash, type Draft, pending } from "../../core/change/index.ts";
import { type Clause, clause } from "../../core/clause/index.ts";
import { distinct } from "../../core/distinct.ts";
import { Failure } from "../../core/failure.ts";
import type { TemplateUse } from "../../core/kit/index.ts";
import type { Lookup } from "../../core/lookup/index.ts";
import { type DomainName, parseName, withoutRootDot } from "../../core/name/index.ts";
import { containsAll, type RecordSet } from "../../core/record/index.ts";
import { type TemplateCall, templateCalls, templateOfKit } from "../../core/template/index.ts";
import type { ApprovalHost } from "../../net/index.ts";
import { type Domain, kitsOf, type Workspace } from "../../workspace/index.ts";
import type { AppContext } from "../context.ts";
import { type DnsRequest, openDns } from "../dns/context.ts";
import { approvalHostOf } from "../hosts/discover.ts";
import { type HostTemplate, incomingOf, keptTemplate, otherCalls, removedFrom, rivalInstance, wantsOf } from "./host-removals.ts";
import type { ApprovalOptions } from "./ways.ts";
import { freshly } from "./zone-look.ts";

/** What an approval is about: the domain's host, and how the person is reached. */
export interface ApprovalContext {
  /** The key of the DNS host in zandrel.yaml. */
  readonly host: string;
  readonly title: string;
  readonly workspace: Workspace;
  readonly request: DnsRequest & ApprovalOptions;
  readonly context: AppContext;
}

/** A change that a template may bring: it is added for asks that are all groups of templates. */
interface Covered {
  readonly change: Change;
  readonly uses: readonly TemplateUse[];
}

/** Why nothing is known of a zone that could not be asked at all. */
export const UNSEEN = clause("answer-nobody-answers");

/** Types at whose names a host may take something away. */
const LOOKED_AT = ["A", "AAAA", "CNAME", "MX", "TXT", "SRV", "NS"] as const;

/** Whether a change brings what its asks want, or makes room for it; taking something back is nobody's template. */
const isWanted = (domain: Domain, { name, type, after, asks }: Change): boolean =>
  after === undefined ||
  domain.asks.some(
    ({ id, wants }) =>
      asks.includes(id) &&
      dnsWants(wants).some((want) => want.kind !== "absent" && want.name === name && want.type === type && isMet(after, want)),
  );

/** Whether something comes, or is already, in the place of what a change takes away: a template's records, then. */
const makesWay = (domain: Domain, change: Change, changes: readonly Change[]): boolean =>
  changes.some(({ name, after }) => name === change.name && after !== undefined) ||
  domain.asks
    .filter(({ id }) => change.asks.includes(id))
    .flatMap(({ wants }) => dnsWants(wants))
    .some(
      ({ kind, name, type }) =>
        kind !== "absent" && name === change.name && !changes.some((other) => other.name === name && other.type === type),
    );

/** The changes that a template brings, and those that nobody's template does. */
function divide(domain: Domain, changes: readonly Change[]): { covered: readonly Covered[]; rest: readonly Change[] } {
  const covered: Covered[] = [];
  const rest: Change[] = [];
  for (const change of changes) {
    const uses = change.asks.map((id) => domain.asks.find((ask) => ask.id === id)?.template);
    if (
      !makesWay(domain, change, changes) ||
      uses.length === 0 ||
      uses.some((use) => use === undefined) ||
      !isWanted(domain, change)
    )
      rest.push(change);
    else covered.push({ change, uses: uses as readonly TemplateUse[] });
  }
  return { covered, rest };
}

/** What is at some names, of the types that a host may touch; `unseen` is why some of it could not be asked for. */
export interface Standing {
  readonly sets: readonly RecordSet[];
  readonly unseen: Clause | undefined;
}

/** Looks at the names that a template touches. */
export async function standing(names: readonly DomainName[], source: Lookup): Promise<Standing> {
  let unseen: Clause | undefined;
  const asked = [...new Set(names)].flatMap((name) =>
    LOOKED_AT.map(async (type): Promise<RecordSet[]> => {
      const answer = await source.ask(name, type);
      const [alias] = answer.chain;
      if (answer.kind === "failed" && alias === undefined) unseen = answer.detail;
      if (answer.kind === "found" && alias === undefined) return [answer.set];
      return alias !== undefined && type === "CNAME" ? [alias] : [];
    }),
  );
  return { sets: (await Promise.all(asked)).flat(), unseen };
}

/** What a host would take away by itself that neither the draft takes away nor the person named. */
function unagreed(
  removed: readonly RecordSet[],
  changes: readonly Change[],
  domain: Domain,
  replace: readonly string[],
): RecordSet[] {
  const named = new Set(
    replace.flatMap((text) => [parseName(text, domain.name), parseName(text)].flatMap((one) => (one.ok ? [one.value] : []))),
  );
  return removed.filter((set) => {
    const own = changes.find((change) => change.name === set.name && change.type === set.type);
    const drops = own !== undefined && !set.data.some((data) => containsAll(own.after, { ...set, data: [data] }));
    return !drops && !named.has(set.name);
  });
}

/** The changes as the host carries them out: what it takes away by itself goes with them. */
function withRemovals(changes: readonly Change[], removed: readonly RecordSet[], asks: readonly string[]): Change[] {
  const lacks = (set: RecordSet, gone: RecordSet): RecordSet | undefined => {
    const data = set.data.filter((recordData) => !containsAll(gone, { ...set, data: [recordData] }));
    return data.length === 0 ? undefined : { ...set, data };
  };
  const changed = changes.map((change) => {
    const gone = removed.find((set) => set.name === change.name && set.type === change.type);
    return gone === undefined || change.after === undefined
      ? change
      : { ...change, after: lacks(change.after, gone) ?? change.after };
  });
  const others = removed.filter((set) => !changes.some((change) => change.name === set.name && change.type === set.type));
  return [
    ...changed,
    ...others.map(
      (set): Change => ({
        action: "remove",
        name: set.name,
        type: set.type,
        before: set,
        after: undefined,
        because: clause("approve-host-removes"),
        asks,
      }),
    ),
  ];
}

/** The same, or as a kit of the workspace has it, for asks that were saved before they kept any. */
async function ownTemplate({ folder }: Workspace, call: TemplateCall): Promise<HostTemplate | undefined> {
  const kept = keptTemplate(call);
  if (kept !== undefined) return kept;
  const kits = (await kitsOf(folder)).map(({ kit }) => kit);
  const own = kits.find(({ template }) => template?.providerId === call.provider && template.serviceId === call.service);
  return own === undefined ? undefined : templateOfKit(own).template;
}

/** One template that is ready to be applied at a host. */
interface Ready {
  readonly call: TemplateCall;
  readonly template: HostTemplate | undefined;
  readonly changes: readonly Change[];
}

/** Which templates a host knows, and why those are left out that it cannot apply. */
async function readyAt(
  host: ApprovalHost,
  covered: readonly Covered[],
  workspace: Workspace,
  timeout: number,
): Promise<{ ready: readonly Ready[]; left: readonly { readonly change: Change; readonly because: Clause }[] }> {
  const { readHostTemplate } = await import("../../net/approval.ts");
  const ready: Ready[] = [];
  const left: { change: Change; because: Clause }[] = [];
  for (const call of templateCalls(covered.flatMap(({ uses }) => uses))) {
    const own = covered.flatMap(({ change, uses }) => (uses.some((use) => call.uses.includes(use)) ? [change] : []));
    const known = await readHostTemplate(host, call, timeout);
    if (known.ok) ready.push({ call, template: known.value ?? (await ownTemplate(workspace, call)), changes: own });
    else left.push(...own.map((change) => ({ change, because: known.error.because })));
  }
  return { ready, left };
}

/** A template with what is at its names, and what of that the host takes away by itself. */
export interface Planned extends Ready {
  readonly before: readonly RecordSet[];
  readonly removed: readonly RecordSet[];
}

/** What of a template touches the zone: what it wants of its asks, what the host puts there, what other templates brought, all their names. */
function touchOf(domain: Domain, call: TemplateCall, template: HostTemplate | undefined, changes: readonly Change[]) {
  // The host applies whole groups, also where only a part of one is missing.
  const wants = wantsOf(domain, call);
  const incoming = incomingOf(template, call, wants, domain.name);
  const others = otherCalls(domain, call).flatMap((other) => wantsOf(domain, other));
  return { wants, names: [domain.name, ...[...wants, ...changes, ...incoming, ...others].map(({ name }) => name)] };
}

/** A template that is wanted twice, as a clash of each ask of it that something would be published for. */
const clashesOf = (
  { asks, others }: { readonly asks: readonly string[]; readonly others: readonly string[] },
  changes: readonly Change[],
  { provider, service }: TemplateCall,
): Clash[] =>
  asks.flatMap((ask) => {
    const own = changes.find((change) => change.asks.includes(ask));
    if (own === undefined) return [];
    const { name, type } = own;
    return [
      {
        ...{ kind: "asks-disagree", name, type, ask, replaceable: false, contradicts: false },
        because: clause("approve-one-instance", { asks: [...asks, ...others], provider, service }),
        breaks: clause("change-breaks-nothing-yet"),
        options: [clause("approve-retire-instance", { asks, others })],
      },
    ];
  });

/**
 * A draft with what the DNS host of its domain takes away by itself when it applies the templates of its asks, by the rules that the asks
 * keep; the host is not asked. `names` are those at which nobody agreed to that yet.
 */
export async function withApproval(
  draft: Draft,
  domain: Domain,
  source: Lookup,
  { settings }: Workspace,
): Promise<{ readonly draft: Draft; readonly names: readonly string[] }> {
  if (domain.host === undefined || settings.hosts[domain.host]?.publish.way !== "approval") return { draft, names: [] };
  const changes = pending(draft);
  const { covered } = divide(domain, changes);
  const all: RecordSet[] = [];
  const clashes: Clash[] = [];
  for (const call of templateCalls(covered.flatMap(({ uses }) => uses))) {
    const template = keptTemplate(call);
    const rival = rivalInstance(domain, call, template);
    if (rival !== undefined) {
      clashes.push(...clashesOf(rival, changes, call));
      continue;
    }
    const own = covered.flatMap(({ change, uses }) => (uses.some((use) => call.uses.includes(use)) ? [change] : []));
    const { wants, names } = touchOf(domain, call, template, own);
    const { sets } = await standing(names, source);
    all.push(...removedFrom(sets, { template, call }, wants, domain));
  }
  const disputed = new Set(clashes.map(({ ask }) => ask));
  const free = {
    ...draft,
    changes: draft.changes.filter(({ asks, action }) => action === "keep" || !asks.some((ask) => disputed.has(ask))),
    clashes: [...draft.clashes, ...clashes],
  };
  const removed = unagreed(all, changes, domain, []);
  if (removed.length === 0) return { draft: free, names: [] };
  const asks = [...new Set(covered.flatMap(({ change }) => change.asks))];
  const planned = withRemovals(pending(free), removed, asks);
  const isPlanned = ({ name, type }: Change) => planned.some((change) => change.name === name && change.type === type);
  return {
    draft: { ...free, changes: [...planned, ...free.changes.filter((change) => !isPlanned(change))] },
    names: [...new Set(removed.map(({ name }) => withoutRootDot(name)))],
  };
}

/** What is known of a host and its templates before anything is asked of anybody. */
export interface Prepared {
  readonly host: ApprovalHost | undefined;
  readonly ready: readonly Planned[];
  readonly left: readonly Change[];
  readonly reasons: readonly Clause[];
  /** The changes as the host carries them out. */
  readonly changes: readonly Change[];
}

/** Finds the host and its templates, and what it would take away; refuses what nobody agreed to. */
export async function planApproval(domain: Domain, changes: readonly Change[], how: ApprovalContext): Promise<Prepared> {
  const { workspace, request, context, title } = how;
  const { covered, rest } = divide(domain, changes);
  const nothing = (because: Clause): Prepared => ({ host: undefined, ready: [], left: changes, reasons: [because], changes });
  if (covered.length === 0) return nothing(clause("approve-no-template"));
  const dns = openDns(request, context, workspace.settings, [domain.name]);
  try {
    const found = await approvalHostOf(domain.name, dns, request.timeout);
    if (!found.ok) return nothing(clause("approve-none-taken", { title, because: found.error.because }));
    const { ready, left } = await readyAt(found.value, covered, workspace, request.timeout);
    for (const { call, template } of ready) {
      const rival = rivalInstance(domain, call, template);
      if (rival !== undefined)
        throw new Failure("approval-twice", { title, ...rival, provider: call.provider, service: call.service });
    }
    const touching = ready.map((one) => ({ ...one, ...touchOf(domain, one.call, one.template, one.changes) }));
    const all = touching.flatMap(({ names }) => names);
    const seen = await freshly(domain, workspace, request, context, (source) => standing(all, source));
    // What is not seen may be taken away unnoticed.
    if (seen === undefined || seen.unseen !== undefined) throw new Failure("publish-unseen", { because: seen?.unseen ?? UNSEEN });
    let after = changes;
    const planned = touching.map(({ wants, names, ...one }) => {
      const before = seen.sets.filter(({ name }) => names.includes(name));
      const removed = removedFrom(before, one, wants, domain);
      const refused = unagreed(removed, changes, domain, request.replace ?? []);
      if (refused.length > 0) throw new Failure("approval-removes", { title, domain: domain.name, sets: refused });
      const asks = [...new Set(one.changes.flatMap((change) => change.asks))];
      after = withRemovals(after, removed, asks);
      return { ...one, removed, before, names, asks };
    });
    /** What became of a change. */
    const last = (change: Change): Change =>
      after.find(({ name, type }) => name === change.name && type === change.type) ?? change;
    return {
      host: found.value,
      ready: planned.map(({ names, asks, ...one }) => ({
        ...one,
        changes: after.filter((change) => names.includes(change.name) && change.asks.some((ask) => asks.includes(ask))),
      })),
      left: [...rest, ...left.map(({ change }) => change)].map(last),
      reasons: distinct(left.map(({ because }) => because)).map((because) => clause("approve-said", { title, because })),
      changes: after,
    };
  } finally {
    dns.close();
  }
}
