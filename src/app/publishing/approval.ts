import type { KeyObject } from "node:crypto";
import { resolve } from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import { type Change, fillIn } from "../../core/change/index.ts";
import { type Clause, clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { withoutRootDot } from "../../core/name/index.ts";
import { type RecordSet, sameData } from "../../core/record/index.ts";
import { approvalLink, linkQuery, signedQuery, type Template, templateCalls } from "../../core/template/index.ts";
import { type ApprovalHost, isSafeAddress } from "../../net/index.ts";
import type { RedirectListener } from "../../net/redirect-listener.ts";
import { type Domain, readPrivateKey } from "../../workspace/index.ts";
import { openDns } from "../dns/context.ts";
import { approvalHostOf } from "../hosts/discover.ts";
import { APPROVAL_WINDOW, grantFor } from "../hosts/granted.ts";
import { formOf } from "../standing/host.ts";
import {
  type ApprovalContext,
  type Planned,
  type Prepared,
  planApproval,
  type Standing,
  standing,
  UNSEEN,
} from "./approval-plan.ts";
import type { Publisher, PublishOutcome } from "./ways.ts";
import { compare, freshly, journalled } from "./zone-look.ts";

/** How long the zone is looked at until everything that was approved is there, and how often (milliseconds). */
const ARRIVAL = 10_000;
const AGAIN = 500;

/** Why a person did not approve, in a sentence; undefined where they did. */
function refusal(query: URLSearchParams): Clause | undefined {
  const error = query.get("error");
  if (error === null) return undefined;
  const words = query.get("error_description");
  return error === "access_denied" || error === "user_cancel"
    ? clause("approve-not-approved")
    : clause("approve-host-says", { error, words: words ?? undefined });
}

/** The key with which links for a template are signed; refuses one with which no host can verify them: the format knows RSA only. */
function signingKey(
  { call }: Pick<Planned, "call">,
  { workspace }: ApprovalContext,
): { readonly key: KeyObject; readonly label: string } | undefined {
  const own = Object.values(workspace.settings.services).find(({ signing }) => signing?.provider === call.provider)?.signing;
  if (own === undefined) return undefined;
  const key = readPrivateKey(resolve(workspace.folder, own.key));
  if (key.asymmetricKeyType !== "rsa") throw new Failure("signing-key-kind", { path: own.key, provider: call.provider });
  return { key, label: own.label };
}

/** Shows the page on which a person approves, and waits until they come back, where anybody waits. */
async function byLink(
  host: ApprovalHost,
  { call, template, changes, removed }: Planned,
  domain: Domain,
  how: ApprovalContext,
): Promise<{ kind: "came-back" } | { kind: "open"; link: string } | { kind: "not"; because: Clause }> {
  const { request, context, title } = how;
  if (host.page === undefined) return { kind: "not", because: clause("approve-no-page", { title }) };
  if (template?.syncBlock === true)
    return {
      kind: "not",
      because: clause("approve-grant-only", { service: call.service }),
    };
  const own = signingKey({ call }, how);
  if (template?.syncPubKeyDomain !== undefined && own === undefined)
    return { kind: "not", because: clause("approve-signed-links", { provider: call.provider }) };
  const sign = (query: string) => (own === undefined ? query : signedQuery(query, own.key, own.label));
  const waits = request.linkOnly !== true;
  const { listenForRedirect } = await import("../../net/redirect-listener.ts");
  const listener =
    waits && context.browsesHere && mayReturnHere(template, own !== undefined)
      ? await listenForRedirect(`${await context.inWords(clause("page-close-window"))}\n`)
      : undefined;
  try {
    const back = listener === undefined ? {} : { back: { redirect: listener.url, state: listener.state } };
    const link = approvalLink(host.page, call, sign(linkQuery(call, { domain: withoutRootDot(domain.name), ...back })));
    if (!isSafeAddress(link)) return { kind: "not", because: clause("approve-not-https", { title }) };
    await context.showPage({
      copy: request.copy === true,
      publishes: changes.filter(({ after }) => after !== undefined),
      removes: removed,
      title,
      host: new URL(link).host,
      link,
      open: request.open === true,
      minutes: waits ? APPROVAL_WINDOW / 60_000 : 0,
    });
    return waits ? await approved(listener, domain, changes, how) : { kind: "open", link };
  } finally {
    await listener?.close();
  }
}

/**
 * Whether a host may send the browser back to this machine: a template that names the places where it may lead takes others from signed
 * links only.
 */
function mayReturnHere(template: Partial<Template> | undefined, isSigned: boolean): boolean {
  const places = template?.syncRedirectDomain?.split(",").map((place) => place.trim().toLowerCase());
  return isSigned || places === undefined || places.includes("127.0.0.1");
}

/**
 * Waits until a person has approved: the browser that comes back, the zone that shows it (who approves on a telephone, or in a browser
 * elsewhere, never comes back here), a line at the terminal, and time, whichever is first.
 */
async function approved(
  listener: RedirectListener | undefined,
  domain: Domain,
  changes: readonly Change[],
  how: ApprovalContext,
): Promise<{ kind: "came-back" } | { kind: "not"; because: Clause }> {
  const { context, title } = how;
  const stop = new AbortController();
  const inTime = async () => {
    await sleep(APPROVAL_WINDOW, undefined, { signal: stop.signal }).catch(() => undefined);
    return { kind: "nobody" } as const;
  };
  const typed = async () => {
    await context.prompt(clause("approve-enter"), stop.signal);
    return { kind: stop.signal.aborted ? "nobody" : "typed" } as const;
  };
  const came = await Promise.race([
    untilThere(domain, changes, how, stop.signal),
    listener === undefined ? inTime() : listener.wait(APPROVAL_WINDOW, stop.signal),
    ...(context.interactive ? [typed()] : []),
  ]);
  stop.abort();
  switch (came.kind) {
    case "there":
      return { kind: "came-back" };
    case "nobody":
      return { kind: "not", because: clause("approve-nobody-back", { minutes: APPROVAL_WINDOW / 60_000 }) };
    case "typed": {
      const seen = await missing(domain, changes, how, WHILE_WAITING).catch(() => undefined);
      return seen?.left.length === 0 && seen.unseen === undefined
        ? { kind: "came-back" }
        : { kind: "not", because: clause("approve-gave-up", { title }) };
    }
    case "came-back": {
      const refused = refusal(came.query);
      return refused === undefined ? { kind: "came-back" } : { kind: "not", because: refused };
    }
  }
}

/** How long after one look at the zone the next one follows, while a person approves (milliseconds). */
const WHILE_WAITING = 2000;

/**
 * Looks at the zone while a person approves; ends once all of it is there, and with nothing once it is stopped. A look that fails is no
 * end of the waiting.
 */
async function untilThere(
  domain: Domain,
  changes: readonly Change[],
  how: ApprovalContext,
  stop: AbortSignal,
): Promise<{ readonly kind: "there" } | { readonly kind: "nobody" }> {
  for (;;) {
    await sleep(WHILE_WAITING, undefined, { signal: stop }).catch(() => undefined);
    if (stop.aborted) return { kind: "nobody" };
    const seen = await missing(domain, changes, how, 0).catch(() => undefined);
    if (seen?.left.length === 0 && seen.unseen === undefined) return { kind: "there" };
  }
}

/** Looks at the zone until the changes are there, or time is up; gives back those that are not, or are not seen. */
async function missing(
  domain: Domain,
  changes: readonly Change[],
  { workspace, request, context }: ApprovalContext,
  patience = ARRIVAL,
): Promise<{ readonly left: readonly Change[]; readonly unseen: Clause | undefined }> {
  const until = performance.now() + patience;
  for (;;) {
    const seen = await freshly(domain, workspace, request, context, async (source) => {
      const left: Change[] = [];
      let unseen: Clause | undefined;
      for (const change of changes) {
        const compared = await compare([journalled(change)], domain.name, source);
        unseen ??= compared.unseen;
        if (compared.done === 0) left.push(change);
      }
      return { left, unseen };
    });
    // What could not be looked at is not known to have come.
    if (seen?.left.length === 0 || performance.now() > until) return seen ?? { left: changes, unseen: UNSEEN };
    await sleep(AGAIN);
  }
}

/** What a host changed beside what was approved, also what it put where nothing was. */
async function changedBeside(
  domain: Domain,
  applied: readonly Planned[],
  { workspace, request, context }: ApprovalContext,
): Promise<Standing> {
  const before = applied.flatMap((planned) => planned.before);
  const changes = applied.flatMap((planned) => planned.changes);
  const names = [domain.name, ...[...before, ...changes].map(({ name }) => name)];
  const seen = await freshly(domain, workspace, request, context, (source) => standing(names, source));
  if (seen === undefined || seen.unseen !== undefined) return { sets: [], unseen: seen?.unseen ?? UNSEEN };
  const after = seen.sets;
  const at = (sets: readonly RecordSet[], { name, type }: RecordSet) =>
    sets.find((recordSet) => recordSet.name === name && recordSet.type === type);
  // What two templates look at is told once.
  const all = [
    ...new Map(before.map((set) => [`${set.name} ${set.type}`, set])).values(),
    ...after.filter((set) => at(before, set) === undefined),
  ];
  const sets = all.filter(
    (set) =>
      !changes.some((change) => change.name === set.name && change.type === set.type) &&
      !sameData(at(before, set), at(after, set)),
  );
  return { sets, unseen: undefined };
}

/** Has the host take templates back that it applied by a grant; what comes back by that need not be entered. */
async function revert(changes: readonly Change[], domain: Domain, how: ApprovalContext): Promise<PublishOutcome> {
  const { workspace, request, context, title } = how;
  const uses = domain.asks.flatMap(({ id, template }) =>
    template !== undefined && changes.some(({ asks }) => asks.includes(id)) ? [template] : [],
  );
  const dns = openDns(request, context, workspace.settings, [domain.name]);
  const reasons: Clause[] = [];
  let reverted = false;
  try {
    const found = uses.length === 0 ? undefined : await approvalHostOf(domain.name, dns, request.timeout);
    for (const call of templateCalls(uses)) {
      if (found?.ok !== true) break;
      const done = await (await grantFor(how, domain, call, found.value))?.revert();
      reverted ||= done?.ok === true;
      if (done?.ok === false) reasons.push(clause("approve-said", { title, because: done.error }));
    }
  } finally {
    dns.close();
  }
  const { left } = uses.length === 0 ? { left: changes } : await missing(domain, changes, how, reverted ? ARRIVAL : 0);
  return left.length === 0
    ? { kind: "published", because: clause("approve-took-back", { title }) }
    : {
        kind: "by-hand",
        because: clause("publish-together", { parts: [...reasons, clause("publish-enter", { title, some: false })] }),
        sheet: fillIn(left, domain.name, formOf(domain, workspace)),
      };
}

/**
 * Publishes by approval: what templates bring is shown at the DNS host to whoever approves it there, or applied by a grant, and the
 * zone is looked at afterwards. What no template brings, what the host does not know and what did not come is left as a sheet.
 */
export function approvalOf(domain: Domain, how: ApprovalContext): Pick<Publisher, "prepare" | "apply"> {
  const { workspace, request, title } = how;
  let prepared: Prepared | undefined;

  async function apply(changes: readonly Change[]): Promise<PublishOutcome> {
    if (request.undoes === true) return revert(changes, domain, how);
    prepared ??= await planApproval(domain, changes, how);
    const { host, ready } = prepared;
    const reasons = [...prepared.reasons];
    const pages: string[] = [];
    const unapprovedChanges: Clause[] = [];
    const [applied, refused]: [Planned[], Planned[]] = [[], []];
    for (const planned of host === undefined ? [] : ready) {
      const ended = await askFor(host as ApprovalHost, planned);
      if (ended === "done") applied.push(planned);
      else {
        refused.push(planned);
        if ("link" in ended) pages.push(ended.link);
        reasons.push("link" in ended ? clause("approve-nobody-waits", { title }) : ended);
      }
    }
    // One set may be changed for several templates, so the zone is looked at when all of them are through.
    const left = new Set([...prepared.left, ...refused.flatMap((planned) => planned.changes)]);
    let failed: boolean | null = refused.length > 0 && request.linkOnly !== true;
    const asked = [...new Set(applied.flatMap((planned) => planned.changes))].filter((change) => !left.has(change));
    if (applied.length > 0) {
      const absent = await missing(domain, asked, how);
      for (const change of absent.left) left.add(change);
      const some = { title, left: absent.left.length, of: asked.length };
      const isUnseen = absent.unseen !== undefined;
      // What could not be looked at is not known to have failed.
      if (absent.left.length > 0 && !isUnseen) failed = true;
      if (absent.unseen !== undefined) reasons.push(clause("approve-came-unseen", { ...some, unseen: absent.unseen }));
      else if (absent.left.length > 0) reasons.push(clause("approve-did-not-come", some));
      const beside = await changedBeside(domain, applied, how);
      // What nobody approved and is gone or changed is no success either.
      if (beside.sets.length > 0) failed = true;
      else if (isUnseen || beside.unseen !== undefined) failed ||= null;
      if (beside.unseen !== undefined && absent.unseen === undefined)
        unapprovedChanges.push(clause("approve-beside-unseen", { unseen: beside.unseen }));
      if (beside.sets.length > 0)
        unapprovedChanges.push(clause("approve-also-changed", { sets: beside.sets.map(({ name, type }) => ({ name, type })) }));
    }
    // What a host changed besides is for a person to look at, even where everything else came.
    if (left.size === 0 && unapprovedChanges.length === 0)
      return { kind: "published", because: clause("approve-published", { title }) };
    const done = changes.length - left.size;
    const came = done === 0 ? [] : [clause("approve-came", { done, of: changes.length })];
    const rest = left.size === 0 ? [] : [clause("publish-enter", { title, some: done > 0 })];
    return {
      kind: "by-hand",
      because: clause("publish-together", { parts: [...came, ...reasons, ...unapprovedChanges, ...rest] }),
      sheet: fillIn([...left], domain.name, formOf(domain, workspace)),
      failed,
      pages,
    };
  }

  /** Has one template applied, by the grant that is there, or by whoever clicks; otherwise why it was not, or where it can be. */
  async function askFor(host: ApprovalHost, planned: Planned): Promise<"done" | Clause | { readonly link: string }> {
    const grant = await grantFor(how, domain, planned.call, host);
    if (grant !== undefined) {
      const applied = await grant.apply(planned.removed.length > 0);
      return applied.ok ? "done" : clause("approve-said", { title, because: applied.error });
    }
    const ended = await byLink(host, planned, domain, how);
    return ended.kind === "came-back" ? "done" : ended.kind === "open" ? { link: ended.link } : ended.because;
  }

  return {
    async prepare(changes) {
      // What is taken back is as it was before, whatever a template would make of it.
      if (request.undoes === true) return changes;
      prepared = await planApproval(domain, changes, how);
      for (const planned of prepared.ready) signingKey(planned, how);
      return prepared.changes;
    },
    apply,
  };
}
