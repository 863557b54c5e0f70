import { randomBytes } from "node:crypto";
import * as z from "zod";
import { STATES } from "../../core/ask/index.ts";
import { type Audit, SEVERITIES } from "../../core/audit/index.ts";
import { type Clause, clause } from "../../core/clause/index.ts";
import { distinct } from "../../core/distinct.ts";
import { discoverByWalk, POLICIES, readDmarcRecord } from "../../core/dmarc/index.ts";
import { Failure } from "../../core/failure.ts";
import { AnswerMemo } from "../../core/lookup/index.ts";
import { type DomainName, name, withoutRootDot } from "../../core/name/index.ts";
import { type DataOf, decodeUtf8, txtValue } from "../../core/record/index.ts";
import { type Domain, type Journal, openWorkspace, type Publication, type Workspace } from "../../workspace/index.ts";
import { auditDomain } from "../audit/one-domain.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { type DnsContext, type DnsOptions, openDns } from "../dns/context.ts";
import { history, historySchema } from "../history/history.ts";
import { dkimCheck, dkimCheckSchema } from "../mail/dkim-check.ts";
import { spfExplain, treeShape } from "../mail/spf-explain.ts";
import { advise, adviseSchema } from "../reports/advise.ts";
import { reportSources, reportSourcesSchema } from "../reports/sources.ts";
import { type Mailed, mailThrough } from "../services/mailing.ts";
import { domainOfAddress } from "../services/services.ts";
import { domainOperands } from "../session.ts";
import { domainName, sentence, time } from "../shapes.ts";
import { hostTitle } from "../standing/host.ts";
import { type JournalState, visibilityOf } from "../standing/journal-state.ts";
import { nextStep, survey } from "../standing/survey.ts";

const finding = z.object({
  id: z.string(),
  area: z.string(),
  severity: z.enum(SEVERITIES),
  title: z.string(),
  why: z.string(),
  evidence: z.string(),
  remedy: z.string(),
});

const ask = z.object({
  id: z.string(),
  service: z.string(),
  title: z.string().describe("what people call the service"),
  purpose: z.string(),
  state: z.enum(STATES),
  because: sentence,
  next: sentence,
  asked: time.nullable(),
  published: time.nullable(),
  proven: time.nullable(),
});

const domainShape = z.object({
  domain: domainName,
  role: z.string(),
  host: z.string().nullable().describe("the title of its DNS host; null where its file names none"),
  asks: z.array(ask),
  right: z.array(z.object({ area: z.string(), because: z.string() })),
  findings: z.array(finding),
  unresolved: z.array(sentence).describe("what could not be asked; something may be missing because of it"),
  spf: treeShape.nullable(),
  keys: dkimCheckSchema.shape.keys.element
    .extend({ since: time.nullable().describe("when it was published, as far as known") })
    .array(),
  policy: z
    .object({ record: z.string().nullable(), policy: z.enum(POLICIES).nullable(), failed: sentence.nullable() })
    .describe("the DMARC policy in force; null where there is none, or where it could not be asked (failed says why)"),
  keysUnknown: z.number().describe("usual selectors that could not be asked for"),
  policies: z
    .array(z.object({ at: time, policy: z.enum(POLICIES), record: z.string() }))
    .describe("DMARC policies that were published, in order"),
  advice: adviseSchema.nullable().describe("null where there are no reports"),
  sources: reportSourcesSchema.nullable(),
  spread: z
    .object({
      published: time,
      to: z.string(),
      records: z.array(z.string()),
      seen: z.array(z.object({ ask: z.string(), at: time })).describe("when every resolver we look from had it"),
      everyone: time.nullable().describe("when everyone sees it at the latest"),
    })
    .nullable()
    .describe("the newest change"),
  history: historySchema.shape.events,
  since: z
    .object({
      at: time,
      fixed: z.array(z.string()),
      fresh: z.array(z.string()),
      states: z.array(z.object({ ask: z.string(), was: z.string(), is: z.string() })),
    })
    .nullable()
    .describe("what is otherwise than in the last dossier; ids of findings"),
});

export const dossierSchema = z.object({
  at: time,
  organisation: z.string(),
  domains: z.array(domainShape),
  files: z.array(z.string()).describe("the files that were written"),
  mailed: z.array(z.object({ to: z.string(), sent: z.boolean(), because: sentence })),
});
export type DossierJson = z.output<typeof dossierSchema>;
/** What is known of a domain; {@link dossierSchema} is the same in words. */
export type DossierDomain = Omit<DossierJson["domains"][number], "right" | "findings"> & Pick<Audit, "right" | "findings">;
export type Dossier = Omit<DossierJson, "domains"> & { readonly domains: DossierDomain[] };

/** What {@link dossier} is asked. */
export interface DossierRequest extends CommonRequest, DnsOptions {
  /** How many days of reports and history are told. */
  readonly days: number;
}

/** The newest publication that was carried out, and how far it has spread. */
function spreadOf(domain: Domain, journal: Journal, journalled: JournalState): DossierDomain["spread"] {
  const last = journalled.publications.findLast(({ closed }) => closed?.end === "published");
  if (last?.closed === undefined) return null;
  const { opened, closed } = last;
  const ids = new Set(opened.changes.flatMap(({ asks }) => asks));
  const bys = domain.asks.filter(({ id }) => ids.has(id)).flatMap((one) => visibilityOf(one, journalled)?.by ?? []);
  const seen = journal
    .entries(domain.name, "settled")
    .filter((journalEntry) => ids.has(journalEntry.ask) && journalEntry.at >= closed.at);
  return {
    ...{ published: closed.at, to: opened.to },
    records: opened.changes.map((change) => `${change.type} ${withoutRootDot(name(change.name))}`),
    seen: [...new Map(seen.map((journalEntry) => [journalEntry.ask, journalEntry.at])).entries()].map(([id, at]) => ({
      ask: id,
      at,
    })),
    everyone: bys.length === 0 ? null : Math.max(...bys),
  };
}

/** Texts that publications put at a name, in order. */
function publishedTexts(publications: readonly Publication[], at: string): { at: number; text: string }[] {
  return publications.flatMap(({ opened, closed }) =>
    closed?.end !== "published"
      ? []
      : opened.changes
          .filter((change) => change.name === at && change.type === "TXT")
          .flatMap(({ after }) =>
            (after?.data ?? []).map((data) => ({ at: closed.at, text: decodeUtf8(txtValue(data as DataOf["TXT"])) })),
          ),
  );
}

function policiesOf(domain: DomainName, publications: readonly Publication[]): DossierDomain["policies"] {
  const steps = publishedTexts(publications, `_dmarc.${domain}`).flatMap(({ at, text }) => {
    const read = readDmarcRecord(text);
    return read.ok ? [{ at, policy: read.value.policy, record: text }] : [];
  });
  return steps.filter(({ policy }, i) => steps[i - 1]?.policy !== policy);
}

async function policyNow(domain: DomainName, dns: DnsContext): Promise<DossierDomain["policy"]> {
  const { record, failed } = await discoverByWalk(domain, dns.world);
  return { record: record?.text ?? null, policy: record?.policy ?? null, failed: record === undefined ? (failed ?? null) : null };
}

/** When something was first put at a name, and stayed. */
const firstAt = (publications: readonly Publication[], at: string): number | null =>
  publications.find(
    ({ opened, closed }) =>
      closed?.end === "published" && opened.changes.some((change) => change.name === at && change.after !== undefined),
  )?.closed?.at ?? null;

/** A use case that may end without a result: null where there are no reports; what could not be asked is noted. */
async function orNull<T>(what: Clause, unresolved: Clause[], work: () => Promise<Outcome<T>>): Promise<T | null> {
  try {
    return (await work()).result ?? null;
  } catch (error) {
    const unseen = error instanceof Failure && error.code.endsWith("-unseen");
    if (unseen) unresolved.push(what);
    else if (!(error instanceof Failure) || error.code !== "no-reports") throw error;
    return null;
  }
}

type Gist = Pick<DossierDomain, "domain" | "asks" | "findings">;

/** What is kept of a dossier, for the next one to compare with. */
const gistOf = ({ asks, findings }: Gist) => ({
  findings: [...new Set<string>(findings.filter(({ severity }) => severity !== "note").map(({ id }) => id))],
  states: Object.fromEntries(asks.map(({ id, state }) => [id, state])),
});

/** What the last dossier said, compared with this one; what could not be asked now is not called mended. */
function sinceLast(journal: Journal, gist: Gist, isWhole: boolean): DossierDomain["since"] {
  const last = journal.entries(gist.domain, "dossier-made").at(-1);
  const { findings: ids, states } = gistOf(gist);
  if (last === undefined) return null;
  return {
    at: last.at,
    fixed: isWhole ? last.findings.filter((id) => !ids.includes(id)) : [],
    fresh: ids.filter((id) => !last.findings.includes(id)),
    states: Object.entries(states)
      .filter(([id, is]) => last.states[id] !== is)
      .map(([id, is]) => ({ ask: id, was: last.states[id] ?? "", is })),
  };
}

async function oneDomain(
  domain: Domain,
  workspace: Workspace,
  dns: DnsContext,
  journal: Journal,
  request: DossierRequest,
  context: AppContext,
): Promise<DossierDomain> {
  const plain = withoutRootDot(domain.name);
  const about = { ...request, operands: [plain] };
  const unresolved: Clause[] = [];
  const audited = await auditDomain(domain.name, { workspace, journal, dns, selectors: [], areas: [], cwd: context.cwd });
  const surveyed = await survey(domain, dns, workspace, journal);
  const noted = new Map(journal.entries(domain.name, "ask-noted").map((entry) => [entry.ask, entry.at]));
  const { journalled } = surveyed;
  const asks = surveyed.asks.map((standing) => ({
    ...{ id: standing.ask.id, service: standing.ask.service, purpose: standing.ask.purpose },
    title: workspace.settings.services[standing.ask.service]?.title ?? standing.ask.service,
    ...{ state: standing.state, because: standing.because },
    next: nextStep(standing, domain.name, workspace, dns.now),
    asked: noted.get(standing.ask.id) ?? null,
    published: visibilityOf(standing.ask, journalled)?.publishedAt ?? null,
    proven: journalled.proven.get(standing.ask.id)?.at ?? null,
  }));
  const spf = await orNull(clause("dossier-spf"), unresolved, () => spfExplain(about, context));
  const checked = (await dkimCheck(about, context)).result;
  const told = await history({ ...about, between: undefined, on: undefined, file: undefined, force: false }, context);
  const reported = { ...about, days: request.days };
  const advice = await orNull(clause("dossier-dmarc"), unresolved, () => advise(reported, context));
  const sources = await orNull(clause("dossier-senders"), unresolved, () =>
    reportSources({ ...reported, html: undefined }, context),
  );
  const { right, findings } = audited;
  unresolved.push(...audited.unresolved.map(({ name: at, type }) => clause("dossier-record", { name: at, type })));
  return {
    ...{ domain: domain.name, role: domain.role, host: hostTitle(domain, workspace) ?? null, asks },
    right,
    findings,
    unresolved: distinct(unresolved),
    spf,
    keys: (checked?.keys ?? []).map((key) => ({ ...key, since: firstAt(journalled.publications, key.name) })),
    keysUnknown: checked?.usualUnknown ?? 0,
    policy: await policyNow(domain.name, dns),
    policies: policiesOf(domain.name, journalled.publications),
    advice,
    sources,
    spread: spreadOf(domain, journal, journalled),
    history: told.result?.events ?? [],
    since: sinceLast(journal, { domain: domain.name, asks, findings }, unresolved.length === 0),
  };
}

/** Everything that is known of domains, for people who do not use terminals; what it is written as is the interface's. */
export async function dossier(asked: DossierRequest, context: AppContext): Promise<Omit<Dossier, "files" | "mailed">> {
  const workspace = openWorkspace(context.cwd, asked.workspace);
  // Each part looks by itself, and each question is asked once all the same.
  const request = { ...asked, answers: new AnswerMemo() };
  const domains = domainOperands(request.operands)(workspace);
  if (domains.length === 0) throw new Failure("no-domain", {});
  const dns = openDns(
    request,
    context,
    workspace.settings,
    domains.map((one) => one.name),
  );
  const journal = await workspace.openJournal(context);
  try {
    const all: DossierDomain[] = [];
    for (const [i, domain] of domains.entries()) {
      await context.progress(clause("told-looking", { domain: domain.name, nth: i + 1, of: domains.length }));
      all.push(await oneDomain(domain, workspace, dns, journal, request, context));
    }
    return { at: dns.now, organisation: workspace.settings.organisation, domains: all };
  } finally {
    journal.close();
    dns.close();
  }
}

/** Keeps what a dossier said, once somebody has it, so that the next one says what changed since then. */
export async function rememberDossier(
  { at, domains }: Pick<Dossier, "at" | "domains">,
  request: Pick<CommonRequest, "workspace">,
  context: AppContext,
): Promise<void> {
  const journal = await openWorkspace(context.cwd, request.workspace).openJournal(context);
  try {
    journal.exclusively(() => {
      for (const dossierDomain of domains)
        journal.append(at, dossierDomain.domain, { kind: "dossier-made", ...gistOf(dossierDomain) });
    });
  } finally {
    journal.close();
  }
}

/** A file that goes along with a message. */
export interface Attachment {
  readonly filename: string;
  readonly content: Buffer;
  readonly contentType: string;
}

/** Says what is missing for a dossier that is to be sent, before any work is done for it. */
export function expectMailRoute(to: readonly string[], service: string | undefined, from: string | undefined): void {
  if (to.length > 0 && (from === undefined || service === undefined))
    throw new Failure("option-missing", { option: from === undefined ? "from" : "service", all: ["mail-to", "service", "from"] });
}

/** Sends a dossier by mail, through a service of the workspace. */
export async function mailDossier(
  {
    to,
    service,
    from,
  }: { readonly to: readonly string[]; readonly service: string | undefined; readonly from: string | undefined },
  {
    subject,
    text,
    attachments,
  }: { readonly subject: string; readonly text: string; readonly attachments: readonly Attachment[] },
  request: DossierRequest,
  context: AppContext,
): Promise<readonly Mailed[]> {
  if (to.length === 0) return [];
  if (from === undefined || service === undefined) return [];
  const workspace = openWorkspace(context.cwd, request.workspace);
  const dns = openDns(request, context, workspace.settings, []);
  const journal = await workspace.openJournal(context);
  try {
    const messageId = () => `${randomBytes(12).toString("hex")}@${withoutRootDot(domainOfAddress(from))}`;
    const message = () => ({ subject, text, attachments, messageId: messageId() });
    return await mailThrough({ service, from, to }, message, { workspace, journal, dns }, request, context);
  } finally {
    journal.close();
    dns.close();
  }
}
