import * as z from "zod";
import type { Clause } from "../../core/clause/index.ts";
import { clause, NOTHING } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { type Lookup, memoized } from "../../core/lookup/index.ts";
import {
  addressCount,
  branchesOf,
  describeTerm,
  isSpf,
  joinNetworks,
  letsEverybodyIn,
  lookupSpf,
  MAX_LOOKUPS,
  networkTerm,
  readSpfRecord,
  type SpfTree,
  spfTree,
  treeError,
  treeLookups,
} from "../../core/spf/index.ts";
import { organizationalDomain } from "../../core/suffix/index.ts";
import { findWorkspace, openWorkspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Ended, Outcome } from "../context.ts";
import { type DnsOptions, nameOperand, openDns } from "../dns/context.ts";
import { sentence } from "../shapes.ts";

export const treeShape = z.object({
  domain: z.string().nullable(),
  record: z.string().nullable(),
  problem: sentence.nullable().describe("why there is no record that could be explained"),
  mistakes: z.array(z.object({ at: z.number(), text: z.string(), message: sentence, meant: z.string().nullable() })),
  lookups: z.number(),
  limit: z.number(),
  unresolved: z.array(z.string()).describe("names that could not be asked, so that the numbers are at least these"),
  addresses: z.object({ ipv4: z.number(), ipv6: z.string(), blocks: z.array(z.string()) }).describe("everybody who passes today"),
  everybody: z.boolean().describe("whether everybody in the world may send"),
  error: z
    .object({ term: z.string(), because: sentence })
    .nullable()
    .describe("the term at which receivers give up and treat the whole record as an error"),
  branches: z.array(
    z.object({
      depth: z.number(),
      text: z.string(),
      words: sentence,
      lookups: z.number(),
      addresses: z.array(z.string()),
      ineffective: z.object({ kind: z.enum(["void", "duplicate", "shadowed", "unreachable"]), because: sentence }).nullable(),
      risks: z.array(z.object({ kind: z.string(), because: sentence })),
      problem: sentence.nullable(),
    }),
  ),
});

export type SpfExplainResult = z.output<typeof treeShape>;

function treeJson(tree: SpfTree, domain: string | null): SpfExplainResult {
  const all = [...branchesOf(tree)];
  const passing = tree.branches.flatMap(({ term, networks, ineffective }) =>
    ineffective?.kind !== "unreachable" && (term.kind === "modifier" || term.qualifier === "+") ? networks : [],
  );
  const txtValue = joinNetworks(passing);
  return {
    domain,
    record: tree.text ?? null,
    problem: null,
    mistakes: [],
    lookups: treeLookups(tree),
    limit: MAX_LOOKUPS,
    unresolved: all.flatMap(({ branch }) => (branch.failed === undefined ? [] : [branch.term.text])),
    addresses: {
      ipv4: Number(addressCount(txtValue, 4)),
      ipv6: addressCount(txtValue, 6).toString(),
      blocks: txtValue.map(networkTerm),
    },
    everybody: letsEverybodyIn(tree),
    error: treeError(tree) ?? null,
    branches: all.map(({ branch, depth }) => ({
      depth,
      text: branch.term.text,
      words: describeTerm(branch.term, depth > 0),
      lookups: branch.lookups,
      addresses: joinNetworks(branch.networks).map(networkTerm),
      ineffective: branch.ineffective ?? null,
      risks: branch.risks.map((risk) => ({ ...risk })),
      problem: branch.below?.problem?.because ?? branch.failed ?? null,
    })),
  };
}

const empty = (domain: string | null, record: string | null, problem: Clause): SpfExplainResult => ({
  domain,
  record,
  problem,
  mistakes: [],
  lookups: 0,
  limit: MAX_LOOKUPS,
  unresolved: [],
  addresses: { ipv4: 0, ipv6: "0", blocks: [] },
  everybody: false,
  error: null,
  branches: [],
});

/** Eyes for commands about one SPF record; the domain's own workspace is used where there is one. */
async function withSpfLookup<T>(
  request: SpfExplainRequest,
  context: AppContext,
  domain: string,
  work: (lookup: Lookup) => Promise<T>,
): Promise<T> {
  const folder = findWorkspace(context.cwd, request.workspace);
  const settings = folder === undefined ? undefined : openWorkspace(context.cwd, folder).settings;
  const dns = openDns(request, context, settings, domain === "" ? [] : [nameOperand(domain)]);
  try {
    return await work(memoized(dns.world));
  } finally {
    dns.close();
  }
}

function endedOf({ problem, error, lookups, unresolved, branches }: SpfExplainResult): Ended {
  const wrong =
    problem !== null ||
    error !== null ||
    lookups > MAX_LOOKUPS ||
    branches.some(
      (candidate) =>
        candidate.risks.length > 0 ||
        candidate.ineffective !== null ||
        (candidate.problem !== null && !unresolved.includes(candidate.text)),
    );
  return wrong ? "problem" : unresolved.length > 0 ? "undetermined" : "fine";
}

/** What {@link spfExplain} is asked. */
export interface SpfExplainRequest extends CommonRequest, DnsOptions {}

/** Say in words who may send for a domain, what each part of its SPF record costs, and which parts are dead or dangerous. */
export async function spfExplain(request: SpfExplainRequest, context: AppContext): Promise<Outcome<SpfExplainResult>> {
  const operand = request.operands.join(" ");
  const isRecord = /[\s=:]/.test(operand);
  const domain = isRecord ? "" : nameOperand(operand).slice(0, -1);
  const shown = await withSpfLookup(request, context, domain, async (lookup): Promise<SpfExplainResult> => {
    const asked = isRecord ? undefined : await lookupSpf(domain, lookup);
    if (asked !== undefined && "problem" in asked && asked.problem.kind === "failed")
      throw new Failure("spf-unseen", { domain, because: asked.problem.because });
    const own = asked !== undefined && "record" in asked ? asked.record.text : undefined;
    const text = isRecord ? operand : own;
    if (text === undefined) {
      const problem = asked !== undefined && "problem" in asked ? asked.problem : undefined;
      return {
        ...empty(`${domain}.`, null, problem?.because ?? NOTHING),
        mistakes: (problem?.errors ?? []).map(({ meant, ...one }) => ({ ...one, meant: meant ?? null })),
      };
    }
    const parsed = readSpfRecord(text);
    if (!parsed.ok)
      return {
        ...empty(isRecord ? null : `${domain}.`, text, clause(isSpf(text) ? "spf-treated-as-error" : "spf-no-record-at-all")),
        mistakes: parsed.error.map(({ meant, ...one }) => ({ ...one, meant: meant ?? null })),
      };
    const tree = await spfTree(parsed.value, domain, lookup, { addresses: true, organizationalDomain });
    const mistakes = parsed.value.warnings.map(({ meant, ...one }) => ({ ...one, meant: meant ?? null }));
    return { ...treeJson(tree, isRecord ? null : `${domain}.`), mistakes };
  });
  return { ended: endedOf(shown), result: shown };
}
