import * as z from "zod";
import { dmarcName } from "../../core/ask/index.ts";
import { clause } from "../../core/clause/index.ts";
import {
  type Composed,
  composeDmarc,
  describePolicy,
  discoverByWalk,
  type FailuresWhen,
  type POLICIES,
  type Policy,
  readDmarcRecord,
} from "../../core/dmarc/index.ts";
import { Failure } from "../../core/failure.ts";
import { memoized } from "../../core/lookup/index.ts";
import { type DomainName, withoutRootDot } from "../../core/name/index.ts";
import { octetsOf, splitCharacterStrings } from "../../core/record/index.ts";
import { organizationalDomain } from "../../core/suffix/index.ts";
import { findWorkspace, openWorkspace, type Workspace } from "../../workspace/index.ts";
import { ownService, reviseAsks } from "../asks/add.ts";
import type { NewAsk } from "../asks/new-ask.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { onlyOperand } from "../context.ts";
import { type DnsOptions, nameOperand, openDns } from "../dns/context.ts";
import { reportsAllow } from "../reports/reported.ts";
import { domainName, sentence } from "../shapes.ts";
import { isOwn, loadJournalState } from "../standing/journal-state.ts";

export const dmarcComposeSchema = z.object({
  domain: domainName,
  record: z.string(),
  line: z.string().describe("the record as a zone-file line"),
  words: z.array(sentence),
  before: z.string().nullable().describe("the record that is there today"),
  foreign: z.boolean().describe("whether that record was not published by Zandrel, so that it has to be said that it may go"),
  obstacles: z.array(z.object({ kind: z.string(), because: sentence, wayOut: sentence })),
  permissions: z
    .array(z.object({ destination: domainName, line: z.string(), ask: z.string().nullable() }))
    .describe("records that the owners of report destinations must publish"),
  remarks: z.array(sentence),
  ask: z.string().nullable(),
});

export type DmarcComposeResult = z.output<typeof dmarcComposeSchema>;

/** What {@link dmarcCompose} is asked. */
export interface DmarcComposeRequest extends CommonRequest, DnsOptions {
  readonly policy: (typeof POLICIES)[number];
  readonly subdomains: (typeof POLICIES)[number] | undefined;
  readonly nonexistent: (typeof POLICIES)[number] | undefined;
  readonly reportsTo: readonly string[];
  readonly failuresTo: readonly string[];
  readonly failuresWhen: FailuresWhen | undefined;
  readonly reports: boolean;
  readonly strictDkim: boolean;
  readonly strictSpf: boolean;
  readonly gradual: boolean;
  readonly force: boolean;
  readonly service: string | undefined;
  readonly write: boolean;
}

/** Saves the policy as an ask in place of an earlier one, and the consent of other domains of the workspace that get its reports. */
async function savePolicy(
  { text, permissions }: Composed,
  domain: DomainName,
  workspace: Workspace | undefined,
  request: DmarcComposeRequest,
  context: AppContext,
): Promise<{ ask: string; given: ReadonlyMap<DomainName, string> }> {
  if (workspace?.domains.some((candidate) => candidate.name === domain) !== true)
    throw new Failure("not-in-workspace", { domain });
  const service = ownService(workspace, request);
  const { ttl } = workspace.settings.defaults;
  const policyAsk = (id: string, of: DomainName, name: DomainName, record: string): NewAsk => ({
    ...{ id, service: service.key, purpose: "policy", domain: of, after: [] },
    records: [{ name, type: "TXT", ttl, data: { strings: splitCharacterStrings(octetsOf(record)) } }],
  });
  const ask = `${service.key}-dmarc`;
  await reviseAsks(workspace, domain, context, (now) => ({
    service,
    without: new Map(now.asks.some((candidate) => candidate.id === ask) ? [[ask, clause("retired-other-policy")]] : []),
    add: [policyAsk(ask, domain, dmarcName(domain), text)],
    result: undefined,
  }));
  const given = new Map<DomainName, string>();
  const id = `${service.key}-reports-${withoutRootDot(domain).replace(/[^a-z0-9]+/g, "-")}`.slice(0, 63);
  for (const { destination, name, text: consent } of permissions) {
    if (!workspace.domains.some((candidate) => candidate.name === destination)) continue;
    const fresh = await reviseAsks(workspace, destination, context, (now) => {
      const there = now.asks.some((candidate) => candidate.id === id);
      return { service, add: there ? [] : [policyAsk(id, destination, name, consent)], result: !there };
    });
    if (fresh) given.set(destination, id);
  }
  return { ask, given };
}

/** Whether a policy that is there was published for the ask, so that a new version simply takes its place. */
async function isOwnPolicy(
  text: string,
  domain: DomainName,
  ask: string | null,
  workspace: Workspace | undefined,
  context: AppContext,
): Promise<boolean> {
  if (ask === null || workspace?.hasJournal !== true) return false;
  const journal = await workspace.openJournal(context);
  try {
    const there = { name: dmarcName(domain), type: "TXT", ttl: 0, data: [{ strings: splitCharacterStrings(octetsOf(text)) }] };
    return isOwn(loadJournalState(journal, domain))(there, [ask]);
  } finally {
    journal.close();
  }
}

/** Compose a DMARC record from a few answers, with guard rails against stopping your own mail. */
export async function dmarcCompose(request: DmarcComposeRequest, context: AppContext): Promise<Outcome<DmarcComposeResult>> {
  const operand = onlyOperand(request);
  const domain = nameOperand(operand);
  const folder = findWorkspace(context.cwd, request.workspace);
  const workspace = folder === undefined ? undefined : openWorkspace(context.cwd, folder);
  const dns = openDns(request, context, workspace?.settings, [domain]);
  try {
    const found = await discoverByWalk(domain, memoized(dns.world));
    const inWorkspace = workspace?.domains.find((candidate) => candidate.name === domain);
    const existing = found.at === domain ? found.record : undefined;
    const policy = request.policy as Policy;
    const inReports = workspace?.hasReports === true && policy !== "none" && inWorkspace !== undefined;
    const allowed = inReports
      ? await reportsAllow({ ...request, days: 28 }, context, domain, policy).catch((error) => {
          // Without reports that can be read nothing is allowed by them; a defect stays one.
          if (!(error instanceof Failure)) throw error;
          return undefined;
        })
      : undefined;
    const composed = composeDmarc(
      {
        policy,
        ...(request.subdomains === undefined ? {} : { subdomains: request.subdomains as Policy }),
        ...(request.nonexistent === undefined ? {} : { nonexistent: request.nonexistent as Policy }),
        aggregate: request.reportsTo ?? [],
        failure: request.failuresTo ?? [],
        ...(request.failuresWhen === undefined ? {} : { failuresWhen: request.failuresWhen }),
        strictDkim: request.strictDkim,
        strictSpf: request.strictSpf,
        gradual: request.gradual,
      },
      {
        domain,
        organizational: organizationalDomain(domain),
        ...(existing === undefined ? {} : { existing }),
        ...(allowed === undefined ? {} : { reportsAllow: allowed }),
        rua: request.reports === false ? "declined" : "wanted",
        insists: request.force,
      },
    );
    const read = readDmarcRecord(composed.text);
    const ttl = workspace?.settings.defaults.ttl ?? 3600;
    const saved = request.write && composed.obstacles.length === 0;
    const { ask, given } = saved
      ? await savePolicy(composed, domain, workspace, request, context)
      : { ask: null, given: new Map<DomainName, string>() };
    return {
      ended: composed.obstacles.length > 0 ? "problem" : found.failed === undefined ? "fine" : "undetermined",
      result: {
        domain,
        record: composed.text,
        line: `${dmarcName(domain)} ${ttl} IN TXT "${composed.text}"`,
        words: read.ok ? describePolicy(read.value) : [],
        before: existing?.text ?? null,
        foreign: existing !== undefined && !(await isOwnPolicy(existing.text, domain, ask, workspace, context)),
        obstacles: composed.obstacles.map((obstacle) => ({ ...obstacle })),
        permissions: composed.permissions.map(({ destination, name, text }) => ({
          destination,
          line: `${name} ${ttl} IN TXT "${text}"`,
          ask: given.get(destination) ?? null,
        })),
        remarks: [
          ...composed.remarks,
          ...(found.failed === undefined ? [] : [clause("dmarc-published-unresolved", { failed: found.failed })]),
        ],
        ask,
      },
    };
  } finally {
    dns.close();
  }
}
