import { z } from "zod";
import { nameOperand, openDns, resolverOptions } from "../../../app/dns/context.ts";
import { type Lookup, memoized } from "../../../core/lookup/index.ts";
import { displayName, parseName } from "../../../core/name/index.ts";
import {
  addressCount,
  branchesOf,
  branchWords,
  isSpf,
  joinNetworks,
  lookupSpf,
  MAX_LOOKUPS,
  networkTerm,
  readSpfRecord,
  type SpfTree,
  spfTree,
  treeLookups,
} from "../../../core/spf/index.ts";
import { organizationalDomain } from "../../../core/suffix/index.ts";
import { EXIT, type ExitCode, UserError } from "../../../core/user-error.ts";
import { columns, count, type Style, visible, wrap } from "../../../present/index.ts";
import { findWorkspace, openWorkspace } from "../../../workspace/index.ts";
import { type Arguments, type Context, command } from "../../command.ts";
import { pointed } from "../dmarc/explain.ts";

export const treeShape = z.object({
  domain: z.string().nullable(),
  record: z.string().nullable(),
  problem: z.string().nullable().describe("why there is no record that could be explained"),
  mistakes: z.array(z.object({ at: z.number(), text: z.string(), message: z.string(), meant: z.string().nullable() })),
  lookups: z.number(),
  limit: z.number(),
  unresolved: z.array(z.string()).describe("names that could not be asked, so that the numbers are at least these"),
  addresses: z.object({ ipv4: z.number(), ipv6: z.string(), blocks: z.array(z.string()) }).describe("everybody who passes today"),
  branches: z.array(
    z.object({
      depth: z.number(),
      text: z.string(),
      words: z.string(),
      lookups: z.number(),
      addresses: z.array(z.string()),
      ineffective: z.object({ kind: z.enum(["void", "duplicate", "shadowed", "unreachable"]), because: z.string() }).nullable(),
      risks: z.array(z.object({ kind: z.string(), because: z.string() })),
      problem: z.string().nullable(),
    }),
  ),
});
type Result = z.output<typeof treeShape>;

/** Blocks named in full behind a branch; of more only the number is said. */
const MAX_BLOCKS = 4;

function treeJson(tree: SpfTree, domain: string | null): Result {
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
    branches: all.map(({ branch, depth }) => ({
      depth,
      text: branch.term.text,
      words: branchWords(branch.term, depth > 0),
      lookups: branch.lookups,
      addresses: joinNetworks(branch.networks).map(networkTerm),
      ineffective: branch.ineffective ?? null,
      risks: branch.risks.map((one) => ({ ...one })),
      problem: branch.below?.problem?.because ?? branch.failed ?? null,
    })),
  };
}

const empty = (domain: string | null, record: string | null, problem: string): Result => ({
  domain,
  record,
  problem,
  mistakes: [],
  lookups: 0,
  limit: MAX_LOOKUPS,
  unresolved: [],
  addresses: { ipv4: 0, ipv6: "0", blocks: [] },
  branches: [],
});

/** Eyes for commands about one SPF record; the domain's own workspace is used where there is one. */
export async function withSpfLookup<T>(
  args: Arguments,
  context: Context,
  domain: string,
  work: (lookup: Lookup) => Promise<T>,
): Promise<T> {
  const folder = findWorkspace(context.cwd, args.workspace as string | undefined);
  const settings = folder === undefined ? undefined : openWorkspace(context.cwd, folder).settings;
  const dns = openDns(args, context, settings, domain === "" ? [] : [nameOperand(domain)]);
  try {
    return await work(memoized(dns.world));
  } finally {
    dns.close();
  }
}

function exitOf({ problem, lookups, unresolved, branches }: Result): ExitCode {
  const wrong =
    problem !== null ||
    lookups > MAX_LOOKUPS ||
    branches.some(
      (one) => one.risks.length > 0 || one.ineffective !== null || (one.problem !== null && !unresolved.includes(one.text)),
    );
  return wrong ? EXIT.not : unresolved.length > 0 ? EXIT.undetermined : EXIT.ok;
}

export function presentTree(shown: Result, style: Style, width: number): string {
  const { record, problem, mistakes, lookups, addresses, unresolved, branches } = shown;
  const lines = record === null ? [] : [style.quiet(wrap(visible(record), width))];
  if (problem !== null) lines.push(style.bad(wrap(`${problem[0]?.toUpperCase()}${visible(problem.slice(1))}.`, width)));
  if (record !== null) lines.push(...pointed(record, mistakes, width).map((line) => style.careful(line)));
  if (branches.length === 0) return `${lines.join("\n")}\n`;
  const rows = branches.map((one) => {
    const blocks =
      one.addresses.length > MAX_BLOCKS || one.text.match(/^[+?~-]?ip[46]:/i)
        ? one.addresses.length > MAX_BLOCKS
          ? count(one.addresses.length, "block")
          : ""
        : one.addresses.map((block) => block.slice(4)).join(", ");
    return [
      one.lookups === 0 ? "" : String(one.lookups),
      `${"  ".repeat(one.depth)}${visible(one.words)}`,
      visible(one.text),
      blocks,
    ];
  });
  lines.push(
    "",
    ...columns([["cost", "who", "term", "addresses today"], ...rows], (cell, _, row) =>
      row === 0 ? style.quiet(cell) : cell,
    ).map((line) => line.trimEnd()),
    "",
  );
  for (const one of branches) {
    const term = visible(one.text);
    if (one.ineffective !== null)
      lines.push(style.careful(wrap(`· ${term} does nothing: ${visible(one.ineffective.because)}.`, width, "  ")));
    else if (one.problem !== null) lines.push(style.bad(wrap(`! ${term}: ${visible(one.problem)}.`, width, "  ")));
    for (const risk of one.risks) lines.push(style.bad(wrap(`! ${term}: ${visible(risk.because)}.`, width, "  ")));
  }
  const cost = `${unresolved.length > 0 ? "At least " : ""}${count(lookups, "lookup")} of at most ${MAX_LOOKUPS}`;
  lines.push(lookups > MAX_LOOKUPS ? style.bad(`${cost}: receivers treat the whole record as an error.`) : `${cost}.`);
  const six =
    addresses.ipv6 === "0" ? "" : addresses.ipv6.length > 9 ? ", and very many of IPv6" : ` and ${addresses.ipv6} of IPv6`;
  lines.push(
    `${count(addresses.ipv4, "address", "addresses").replace(/\d+/, (digits) => Number(digits).toLocaleString("en"))} of IPv4${six} may send today.`,
  );
  return `${lines.join("\n")}\n`;
}

export default command<Result>({
  name: "spf explain",
  operands: "DOMAIN|RECORD",
  summary:
    "say in words who may send for a domain, what each part of its SPF record costs, and which parts are dead or dangerous",
  examples: [
    ["zandrel spf explain brackwater.example", "the record that is published"],
    ["zandrel spf explain 'v=spf1 ipv4:192.0.2.0/24 -all'", "a record before it is published, with its mistakes"],
  ],
  options: resolverOptions,
  schema: treeShape,
  async run(args, context) {
    if (args._.length === 0)
      throw new UserError("zandrel spf explain wants a domain or a record: for example zandrel spf explain brackwater.example.");
    const operand = args._.join(" ");
    const isRecord = /[\s=:]/.test(operand);
    const domain = isRecord ? "" : nameOperand(operand).slice(0, -1);
    const shown = await withSpfLookup(args, context, domain, async (lookup): Promise<Result> => {
      const asked = isRecord ? undefined : await lookupSpf(domain, lookup);
      if (asked !== undefined && "problem" in asked && asked.problem.kind === "failed")
        throw new UserError(
          `the SPF record of ${domain} could not be asked for (${asked.problem.because}): try again, or ask another resolver with --resolver.`,
          EXIT.undetermined,
        );
      const own = asked !== undefined && "record" in asked ? asked.record.text : undefined;
      const text = isRecord ? operand : own;
      if (text === undefined) {
        const problem = asked !== undefined && "problem" in asked ? asked.problem : undefined;
        return {
          ...empty(`${domain}.`, null, problem?.because ?? ""),
          mistakes: (problem?.errors ?? []).map(({ meant, ...one }) => ({ ...one, meant: meant ?? null })),
        };
      }
      const parsed = readSpfRecord(text);
      if (!parsed.ok)
        return {
          ...empty(
            isRecord ? null : `${domain}.`,
            text,
            isSpf(text) ? "receivers treat this record as an error" : "receivers do not take this for an SPF record",
          ),
          mistakes: parsed.error.map(({ meant, ...one }) => ({ ...one, meant: meant ?? null })),
        };
      const tree = await spfTree(parsed.value, domain, lookup, { addresses: true, organizationalDomain });
      return treeJson(tree, isRecord ? null : `${domain}.`);
    });
    return { exit: exitOf(shown), result: shown };
  },
  present(shown, { style, width }) {
    const parsed = shown.domain === null ? undefined : parseName(shown.domain);
    const title = parsed?.ok ? `${style.title(`SPF of ${displayName(parsed.value)}`)}\n` : "";
    return title + presentTree(shown, style, width);
  },
});
