import { resolve } from "node:path";
import { dnsWants, isMet } from "../../core/ask/index.ts";
import { type Change, fillIn } from "../../core/change/index.ts";
import { Failure } from "../../core/failure.ts";
import type { TemplateUse } from "../../core/kit/index.ts";
import type { Lookup } from "../../core/lookup/index.ts";
import { type DomainName, displayName, parseName, withoutRootDot } from "../../core/name/index.ts";
import { containsAll, type RecordSet, sameData } from "../../core/record/index.ts";
import {
  approvalLink,
  type Incoming,
  linkQuery,
  removedByHost,
  signedQuery,
  type Template,
  type TemplateCall,
  templateCalls,
  templateOfKit,
} from "../../core/template/index.ts";
import { type ApprovalHost, isSafeAddress } from "../../net/index.ts";
import { type Domain, kitsOf, readPrivateKey, type Workspace } from "../../workspace/index.ts";
import { formOf } from "../asks/host.ts";
import type { AppContext } from "../context.ts";
import { type DnsRequest, openDns } from "../dns/context.ts";
import { approvalHostOf } from "../hosts/discover.ts";
import { grantFor } from "../hosts/granted.ts";
import { APPROVAL_WINDOW, type ApprovalOptions, type Publisher, type PublishOutcome } from "./ways.ts";
import { compare, freshly } from "./zone-look.ts";

interface ApprovalContext {
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

/** Types at whose names a host may take something away. */
const LOOKED_AT = ["A", "AAAA", "CNAME", "MX", "TXT", "SRV", "NS"] as const;

/** How long the zone is looked at until everything that was approved is there, and how often (milliseconds). */
const ARRIVAL = 10_000;
const AGAIN = 500;

/** Whether a change brings what its asks want, or makes room for it; taking something back is nobody's template. */
const isWanted = (domain: Domain, { name, type, after, asks }: Change): boolean =>
  after === undefined ||
  domain.asks.some(
    ({ id, wants }) =>
      asks.includes(id) &&
      dnsWants(wants).some((want) => want.kind !== "absent" && want.name === name && want.type === type && isMet(after, want)),
  );

/** The changes that a template brings, and those that nobody's template does. */
function divide(domain: Domain, changes: readonly Change[]): { covered: readonly Covered[]; rest: readonly Change[] } {
  const covered: Covered[] = [];
  const rest: Change[] = [];
  for (const change of changes) {
    const uses = change.asks.map((id) => domain.asks.find((ask) => ask.id === id)?.template);
    // What is removed to make room goes with what comes in its place.
    const comes = changes.some(({ name, after }) => name === change.name && after !== undefined);
    if (!comes || uses.length === 0 || uses.some((use) => use === undefined) || !isWanted(domain, change)) rest.push(change);
    else covered.push({ change, uses: uses as readonly TemplateUse[] });
  }
  return { covered, rest };
}

/** What stands at the names that a template touches. */
async function standing(names: readonly DomainName[], source: Lookup): Promise<readonly RecordSet[]> {
  const asked = [...new Set(names)].flatMap((name) =>
    LOOKED_AT.map(async (type): Promise<RecordSet[]> => {
      const answer = await source.ask(name, type);
      const [alias] = answer.chain;
      if (answer.kind === "found" && alias === undefined) return [answer.set];
      return alias !== undefined && type === "CNAME" ? [alias] : [];
    }),
  );
  return (await Promise.all(asked)).flat();
}

/** The records that a template brings for a domain, with its rules for texts. */
function incomingOf(template: Template | undefined, covered: readonly Covered[], domain: Domain): Incoming[] {
  return covered.flatMap(({ change: { name, type, after } }): Incoming[] => {
    if (after === undefined) return [];
    const label = name === domain.name ? "@" : displayName(name).slice(0, -displayName(domain.name).length - 1);
    const record = template?.records.find((one) => one.type === type && (one.host ?? "@") === label);
    const mode = record?.txtConflictMatchingMode;
    const prefix = record?.txtConflictMatchingPrefix ?? "";
    return [
      { name, type, texts: mode === "All" ? { mode: "all" } : mode === "Prefix" ? { mode: "prefix", prefix } : { mode: "none" } },
    ];
  });
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
    const data = set.data.filter((one) => !containsAll(gone, { ...set, data: [one] }));
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
        because: "the DNS host removes it by itself",
        asks,
      }),
    ),
  ];
}

/** The template as a kit of the workspace has it; its rules count where the host does not show its own copy. */
async function ownTemplate({ folder }: Workspace, { provider, service }: TemplateCall): Promise<Template | undefined> {
  const kits = (await kitsOf(folder)).map(({ kit }) => kit);
  const own = kits.find(({ template }) => template?.providerId === provider && template.serviceId === service);
  return own === undefined ? undefined : templateOfKit(own).template;
}

/** One template that is ready to be applied at a host. */
interface Ready {
  readonly call: TemplateCall;
  readonly template: Template | undefined;
  readonly covered: readonly Covered[];
}

/** Which templates a host knows, and why those are left out that it cannot apply. */
async function readyAt(
  host: ApprovalHost,
  covered: readonly Covered[],
  workspace: Workspace,
  timeout: number,
): Promise<{ ready: readonly Ready[]; left: readonly { readonly change: Change; readonly because: string }[] }> {
  const { readHostTemplate } = await import("../../net/approval.ts");
  const ready: Ready[] = [];
  const left: { change: Change; because: string }[] = [];
  for (const call of templateCalls(covered.flatMap(({ uses }) => uses))) {
    const own = covered.filter(({ uses }) => uses.some((use) => use.provider === call.provider && use.service === call.service));
    const known = await readHostTemplate(host, call, timeout);
    if (known.ok) ready.push({ call, template: known.value ?? (await ownTemplate(workspace, call)), covered: own });
    else left.push(...own.map(({ change }) => ({ change, because: known.error.because })));
  }
  return { ready, left };
}

/** Why a person did not approve, in a sentence; undefined where they did. */
function refusal(query: URLSearchParams): string | undefined {
  const error = query.get("error");
  if (error === null) return undefined;
  const words = query.get("error_description");
  return error === "access_denied" || error === "user_cancel"
    ? "it was not approved"
    : `the host says ${error}${words === null ? "" : ` (${words})`}`;
}

/** Shows the page on which a person approves, and waits until they come back, where anybody waits. */
async function byLink(
  host: ApprovalHost,
  { call, template }: Ready,
  domain: Domain,
  { workspace, request, context, title }: ApprovalContext,
): Promise<{ kind: "came-back" } | { kind: "open" } | { kind: "not"; because: string }> {
  if (host.page === undefined) return { kind: "not", because: `${title} has no page for it; run zandrel host approve first` };
  if (template?.syncBlock === true)
    return {
      kind: "not",
      because: `the template ${call.service} may only be applied by a grant; run zandrel host approve first`,
    };
  const own = Object.values(workspace.settings.services).find(({ signing }) => signing?.provider === call.provider)?.signing;
  if (template?.syncPubKeyDomain !== undefined && own === undefined)
    return { kind: "not", because: `links for ${call.provider} have to be signed with a key that only the service has` };
  const sign = (query: string) =>
    own === undefined ? query : signedQuery(query, readPrivateKey(resolve(workspace.folder, own.key)), own.label);
  const waits = request.linkOnly !== true;
  const { listenForRedirect } = await import("../../net/redirect-listener.ts");
  const listener = waits ? await listenForRedirect("You may close this window, and go back to the terminal.\n") : undefined;
  try {
    const back = listener === undefined ? {} : { back: { redirect: listener.url, state: listener.state } };
    const link = approvalLink(host.page, call, sign(linkQuery(call, { domain: withoutRootDot(domain.name), ...back })));
    if (!isSafeAddress(link)) return { kind: "not", because: `the page that ${title} names is not an https one` };
    await context.showPage({
      copy: request.copy === true,
      title,
      host: new URL(link).host,
      link,
      open: request.open === true,
      minutes: waits ? APPROVAL_WINDOW / 60_000 : 0,
    });
    if (listener === undefined) return { kind: "open" };
    const came = await listener.wait(APPROVAL_WINDOW);
    if (came.kind === "nobody")
      return { kind: "not", because: `nobody came back from the page within ${APPROVAL_WINDOW / 60_000} minutes` };
    const refused = refusal(came.query);
    return refused === undefined ? { kind: "came-back" } : { kind: "not", because: refused };
  } finally {
    await listener?.close();
  }
}

/** Looks at the zone until the changes are there, or time is up; gives back those that are not. */
async function missing(
  domain: Domain,
  changes: readonly Change[],
  { workspace, request, context }: ApprovalContext,
  patience = ARRIVAL,
): Promise<readonly Change[]> {
  const until = performance.now() + patience;
  for (;;) {
    const left: Change[] = [];
    await freshly(domain, workspace, request, context, async (source) => {
      for (const change of changes) {
        const { done, unseen } = await compare([{ ...change, asks: [...change.asks] } as never], domain.name, source);
        if (done === 0 || unseen !== undefined) left.push(change);
      }
    });
    if (left.length === 0 || performance.now() > until) return left;
    await new Promise((resolve) => setTimeout(resolve, AGAIN));
  }
}

/** What a host changed beside what was approved. */
async function changedBeside(
  domain: Domain,
  before: readonly RecordSet[],
  changes: readonly Change[],
  { workspace, request, context }: ApprovalContext,
): Promise<readonly RecordSet[]> {
  const names = before.map(({ name }) => name);
  const after = await freshly(domain, workspace, request, context, (source) => standing(names, source));
  if (after === undefined) return [];
  return before.filter((set) => {
    if (changes.some((change) => change.name === set.name && change.type === set.type)) return false;
    if (set.type === "SOA") return false;
    return !sameData(
      set,
      after.find((one) => one.name === set.name && one.type === set.type),
    );
  });
}

/** A template with what stands at its names, and what of that the host takes away by itself. */
interface Planned extends Ready {
  readonly before: readonly RecordSet[];
  readonly removed: readonly RecordSet[];
}

/** What is known of a host and its templates before anything is asked of anybody. */
interface Prepared {
  readonly host: ApprovalHost | undefined;
  readonly ready: readonly Planned[];
  readonly left: readonly Change[];
  readonly reasons: readonly string[];
}

/**
 * Publishes by approval: what templates bring is shown at the DNS host to whoever approves it there, or applied by a grant, and the
 * zone is looked at afterwards. What no template brings, what the host does not know and what did not come is left as a sheet.
 */
export function approvalOf(domain: Domain, how: ApprovalContext): Pick<Publisher, "prepare" | "apply"> {
  const { workspace, request, context, title } = how;
  let prepared: Prepared = { host: undefined, ready: [], left: [], reasons: [] };

  /** Has the host take templates back that it applied by a grant; what comes back by that need not be entered. */
  async function revert(changes: readonly Change[]): Promise<PublishOutcome> {
    const uses = domain.asks.flatMap(({ id, template }) =>
      template !== undefined && changes.some(({ asks }) => asks.includes(id)) ? [template] : [],
    );
    const dns = openDns(request, context, workspace.settings, [domain.name]);
    const reasons: string[] = [];
    let reverted = false;
    try {
      const found = uses.length === 0 ? undefined : await approvalHostOf(domain.name, dns, request.timeout);
      for (const call of found?.ok === true ? templateCalls(uses) : []) {
        const grant = await grantFor(how.host, domain, call, workspace, request.timeout);
        const done = found?.ok === true ? await grant?.revert(found.value, call) : undefined;
        reverted ||= done?.ok === true;
        if (done?.ok === false) reasons.push(`${title}: ${done.error.because}`);
      }
    } finally {
      dns.close();
    }
    const left = uses.length === 0 ? changes : await missing(domain, changes, how, reverted ? ARRIVAL : 0);
    return left.length === 0
      ? { kind: "published", because: `${title} took back what it had applied` }
      : {
          kind: "by-hand",
          because: [...reasons, `these records are to be entered at ${title}`].join("; "),
          sheet: fillIn(left, domain.name, formOf(domain, workspace)),
        };
  }

  /** Finds the host and its templates, and what it would take away; refuses what nobody agreed to. */
  async function prepare(changes: readonly Change[]): Promise<readonly Change[]> {
    if (request.undoes === true) return changes;
    const { covered, rest } = divide(domain, changes);
    const all = covered.map(({ change }) => change);
    prepared = { host: undefined, ready: [], left: changes, reasons: ["no template brings these records"] };
    if (covered.length === 0) return changes;
    const dns = openDns(request, context, workspace.settings, [domain.name]);
    try {
      const found = await approvalHostOf(domain.name, dns, request.timeout);
      if (!found.ok) {
        prepared = { ...prepared, reasons: [`${title} takes no approval (${found.error.because})`] };
        return changes;
      }
      const { ready, left } = await readyAt(found.value, covered, workspace, request.timeout);
      let after: readonly Change[] = changes;
      const planned: Planned[] = [];
      for (const one of ready) {
        const names = [domain.name, ...one.covered.map(({ change }) => change.name)];
        const there = (await freshly(domain, workspace, request, context, (source) => standing(names, source))) ?? [];
        const removed = removedByHost(there, domain.name, incomingOf(one.template, one.covered, domain));
        const refused = unagreed(removed, changes, domain, request.replace ?? []);
        if (refused.length > 0) throw new Failure("approval-removes", { title, domain: domain.name, sets: refused }, "problem");
        const asks = [...new Set(one.covered.flatMap(({ change }) => change.asks))];
        after = withRemovals(after, removed, asks);
        const own = after.filter((change) => names.includes(change.name) && change.asks.some((ask) => asks.includes(ask)));
        planned.push({ ...one, removed, before: there, covered: own.map((change) => ({ change, uses: [] })) });
      }
      prepared = {
        host: found.value,
        ready: planned,
        left: [...rest, ...left.map(({ change }) => change)],
        reasons: [...new Set(left.map(({ because }) => `${title}: ${because}`))],
      };
      return all.length === 0 ? changes : after;
    } finally {
      dns.close();
    }
  }

  async function apply(changes: readonly Change[]): Promise<PublishOutcome> {
    if (request.undoes === true) return revert(changes);
    const { host, ready } = prepared;
    const left = [...prepared.left];
    const reasons = [...prepared.reasons];
    const meddled: string[] = [];
    for (const one of host === undefined ? [] : ready) {
      const own = one.covered.map(({ change }) => change);
      const ended = await askFor(host as ApprovalHost, one);
      if (ended !== "done") {
        reasons.push(ended);
        left.push(...own);
        continue;
      }
      const absent = await missing(domain, own, how);
      left.push(...absent);
      if (absent.length > 0) reasons.push(`${title} said yes, and ${absent.length} of ${own.length} changes did not come`);
      const beside = await changedBeside(domain, one.before, own, how);
      if (beside.length > 0)
        meddled.push(
          `it also changed ${beside.map((set) => `${displayName(set.name)} ${set.type}`).join(", ")}, which nobody approved`,
        );
    }
    // What a host changed besides is for a person to look at, even where everything else came.
    if (left.length === 0 && meddled.length === 0)
      return { kind: "published", because: `${title} published all of it after it was approved there` };
    const done = changes.length - left.length;
    const came = done === 0 ? [] : [`${done} of ${changes.length} changes came by approval`];
    const rest = left.length === 0 ? [] : [`${done === 0 ? "these records" : "the others"} are to be entered at ${title}`];
    return {
      kind: "by-hand",
      because: [...came, ...reasons, ...meddled, ...rest].join("; "),
      sheet: fillIn(left, domain.name, formOf(domain, workspace)),
    };
  }

  /** Has one template applied, by the grant that is there, or by whoever clicks; otherwise why it was not. */
  async function askFor(host: ApprovalHost, one: Planned): Promise<string> {
    const grant = await grantFor(how.host, domain, one.call, workspace, request.timeout);
    if (grant !== undefined) {
      const applied = await grant.apply(host, one.call, one.removed.length > 0);
      return applied.ok ? "done" : `${title}: ${applied.error.because}`;
    }
    const ended = await byLink(host, one, domain, how);
    return ended.kind === "came-back"
      ? "done"
      : ended.kind === "open"
        ? `nobody waits for the approval at ${title}, and what it does not bring stands here`
        : ended.because;
  }

  return { prepare, apply };
}
