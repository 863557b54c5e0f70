import { type Advice, adviseOn, type KnownService, type Source, sourcesOf } from "../../core/aggregate/index.ts";
import { asRecords, dnsWants } from "../../core/ask/index.ts";
import { discoverByWalk, type Policy } from "../../core/dmarc/index.ts";
import { Failure } from "../../core/failure.ts";
import { type Lookup, memoized } from "../../core/lookup/index.ts";
import { type DomainName, labelsOf, withoutRootDot } from "../../core/name/index.ts";
import { isOfType } from "../../core/record/index.ts";
import { lookupSpf, type Network, type SpfRecord, type SpfTree, spfTree } from "../../core/spf/index.ts";
import { organizationalDomain } from "../../core/suffix/index.ts";
import { type Domain, openWorkspace, type ReportStore, type Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest } from "../context.ts";
import { type DnsOptions, nameOperand, openDns } from "../dns/context.ts";

/** What commands on aggregate reports share. */

/** What is asked about reports: how many days to look back from the newest one, and where to look names up. */
export interface ReportedRequest extends CommonRequest, DnsOptions {
  readonly days: number;
}

/** What a record includes, as far as that is a plain name. */
const includesOf = ({ terms }: SpfRecord): string[] =>
  terms.flatMap((term) =>
    term.kind === "mechanism" && term.name === "include" && term.domain !== undefined && !term.domain.includes("%")
      ? [term.domain.replace(/\.$/, "")]
      : [],
  );

/** Records that an ask wants, as far as they tell whose service it is. */
function targetsOf(domain: Domain, service: string): { names: DomainName[]; keyNames: string[]; includes: string[] } {
  const names: DomainName[] = [];
  const keyNames: string[] = [];
  const includes: string[] = [];
  for (const ask of domain.asks) {
    if (ask.service !== service) continue;
    for (const want of dnsWants(ask.wants)) {
      if (want.name.includes("._domainkey.")) keyNames.push(want.name);
      if (want.kind === "spf-terms") includes.push(...includesOf(want.record));
      if (want.kind !== "records") continue;
      const set = asRecords(want);
      if (isOfType(set, "CNAME")) names.push(...set.data.map((data) => data.target));
      if (isOfType(set, "MX")) names.push(...set.data.map((data) => data.exchange));
    }
  }
  return { names, keyNames, includes };
}

const networksOf = (tree: SpfTree): Network[] =>
  tree.branches.flatMap((branch) => (branch.ineffective?.kind === "unreachable" ? [] : branch.networks));

/** The addresses of an include; one that could not be asked for is noted, because it may stand for anybody. */
const networksIn = async (include: string, lookup: Lookup, unresolved: Set<string>): Promise<Network[]> => {
  const at = await lookupSpf(include, lookup);
  if ("problem" in at && at.problem.kind === "failed") unresolved.add(include);
  return "record" in at ? networksOf(await spfTree(at.record, include, lookup, { addresses: true })) : [];
};

/**
 * Who is known to send for a domain, with what gives their mail away: the services of the workspace, by the targets of
 * their records, their keys and the addresses of their includes; and whomever else the published SPF record includes.
 */
export async function sendersOf(
  domain: DomainName,
  workspace: Workspace,
  lookup: Lookup,
): Promise<{ senders: KnownService[]; unresolved: string[] }> {
  const unresolved = new Set<string>();
  const own = new Set(workspace.domains.map((one) => organizationalDomain(one.name)));
  const spf = await lookupSpf(domain.slice(0, -1), lookup);
  if ("problem" in spf && spf.problem.kind === "failed") unresolved.add(domain.slice(0, -1));
  const published = "record" in spf ? includesOf(spf.record) : [];
  const ownerOf = (include: string): DomainName => organizationalDomain(`${include}.` as DomainName);
  const services = await Promise.all(
    Object.entries(workspace.settings.services).map(async ([key, { title }]): Promise<KnownService> => {
      const found = workspace.domains.map((one) => targetsOf(one, key));
      // A service whose asks were never saved: what zandrel.yaml calls it is the first label of its domain.
      const byName = published.filter((include) => labelsOf(ownerOf(include))[0] === key);
      const includes = [...new Set([...found.flatMap((one) => one.includes), ...byName])];
      const targets = [
        ...found
          .flatMap((one) => one.names)
          .filter((domainName) => domainName !== ".")
          .map(organizationalDomain),
        ...includes.map(ownerOf),
      ];
      const networks = await Promise.all(includes.map((include) => networksIn(include, lookup, unresolved)));
      return {
        key,
        title,
        domains: [...new Set(targets)].filter((candidate) => !own.has(candidate)),
        keyNames: found.flatMap((one) => one.keyNames),
        networks: networks.flat(),
      };
    }),
  );
  const others = published
    .map((include) => ({ include, at: ownerOf(include) }))
    .filter(({ at }) => !own.has(at) && !services.some((knownService) => knownService.domains.includes(at)));
  const spfOnlySenders = others.map(
    async ({ include, at }): Promise<KnownService> => ({
      title: withoutRootDot(at),
      domains: [at],
      keyNames: [],
      networks: await networksIn(include, lookup, unresolved),
    }),
  );
  const senders = [...services, ...(await Promise.all(spfOnlySenders))];
  return { senders, unresolved: [...unresolved] };
}

/** Reports on one domain, summed up. */
export interface Reported {
  readonly domain: DomainName;
  readonly reports: number;
  readonly receivers: number;
  /** First and last day that reports of this time speak of, since 1970. */
  readonly from: number;
  readonly to: number;
  readonly sources: readonly Source[];
  /** Every day of the time that has reports. */
  readonly days: number;
  readonly addresses: ReadonlySet<string>;
  /** Names that could not be asked for, so that it is not fully known who sends for the domain. */
  readonly unresolved: readonly string[];
  readonly lookup: Lookup;
}

/** Addresses kept to tell which includes are used. */
const MAX_ADDRESSES = 20_000;

/** Runs a command on what was reported of a domain: the one named, or the only one with reports. */
export async function withReports<T>(
  request: ReportedRequest,
  context: AppContext,
  name: string,
  work: (reported: Reported, workspace: Workspace) => Promise<T>,
): Promise<T> {
  const workspace = openWorkspace(context.cwd, request.workspace);
  const [operand] = request.operands;
  const span = request.days;
  // Looking makes no file.
  if (!workspace.hasReports) throw noReports(operand === undefined ? undefined : nameOperand(operand));
  const store = await workspace.openReports(context);
  try {
    const domain = pick(operand, workspace, store, name);
    const { lastDay } = store.extent(domain);
    if (lastDay === undefined) throw noReports(domain);
    const { reports, receivers, days, firstDay: from = lastDay } = store.extent(domain, lastDay - span + 1);
    const dns = openDns(request, context, workspace.settings, [domain]);
    try {
      const lookup = memoized(dns.world);
      const { senders, unresolved } = await sendersOf(domain, workspace, lookup);
      const addresses = new Set<string>();
      const passing = function* () {
        for (const seen of store.since(domain, from)) {
          if (addresses.size < MAX_ADDRESSES) addresses.add(seen.ip);
          yield seen;
        }
      };
      const sources = sourcesOf(passing(), senders);
      return await work(
        {
          domain,
          reports,
          receivers,
          from,
          to: lastDay,
          sources,
          days,
          addresses,
          unresolved,
          lookup,
        },
        workspace,
      );
    } finally {
      dns.close();
    }
  } finally {
    store.close();
  }
}

const noReports = (domain: DomainName | undefined): Failure => new Failure("no-reports", { domain });

function pick(operand: string | undefined, workspace: Workspace, store: ReportStore, _name: string): DomainName {
  if (operand !== undefined) return nameOperand(operand);
  const reported = workspace.domains.filter((candidate) => store.extent(candidate.name).reports > 0);
  const [only, ...others] = reported;
  if (only === undefined) throw noReports(undefined);
  if (others.length > 0) throw new Failure("which-reports", { domains: reported.map((one) => one.name) });
  return only.name;
}

/** What the reports advise, given the policy and the SPF record that are published. */
export async function adviceFrom({
  domain,
  sources,
  days,
  reports,
  addresses,
  unresolved,
  lookup,
}: Reported): Promise<Advice & { readonly policy: Policy }> {
  const found = await discoverByWalk(domain, lookup);
  if (found.failed !== undefined && found.record === undefined)
    throw new Failure("dmarc-unseen", { domain, because: found.failed });
  const policy = found.record?.policy ?? "none";
  const plain = domain.slice(0, -1);
  const spf = await lookupSpf(plain, lookup);
  const tree = "record" in spf ? await spfTree(spf.record, plain, lookup, { addresses: true }) : undefined;
  const includes = (tree?.branches ?? []).flatMap(({ term, networks, complete }) =>
    term.kind === "mechanism" && term.name === "include" && complete ? [{ term: term.text, networks }] : [],
  );
  return { policy, ...adviseOn({ sources, policy, days, reports, includes, unresolved, addresses }) };
}

/** Whether reports allow a policy; undefined where there are none, or too few. */
export async function reportsAllow(
  request: ReportedRequest,
  context: AppContext,
  domain: DomainName,
  policy: Policy,
): Promise<boolean | undefined> {
  const asked: ReportedRequest = { ...request, operands: [domain], days: 28 };
  return withReports(
    asked,
    context,
    "dmarc advise",
    async (reported) => (await adviceFrom(reported)).steps.find((step) => step.policy === policy)?.safe,
  );
}
