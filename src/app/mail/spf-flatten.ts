import * as z from "zod";
import { Failure } from "../../core/failure.ts";
import { memoized } from "../../core/lookup/index.ts";
import { printData, splitCharacterStrings } from "../../core/record/index.ts";
import { flattenSpf, lookupSpf, MAX_LOOKUPS, readSpfRecord, spfTree, treeLookups } from "../../core/spf/index.ts";
import { findWorkspace, openWorkspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { type DnsOptions, nameOperand, openDns } from "../dns/context.ts";
import { domainName } from "../shapes.ts";

export const spfFlattenSchema = z.object({
  domain: domainName,
  before: z.string(),
  after: z.string(),
  lines: z.array(z.string()).describe("every record to publish, as zone-file lines"),
  parts: z
    .array(z.object({ name: domainName, record: z.string() }))
    .describe("further names, where one record would be too long"),
  sources: z.array(z.object({ term: z.string(), addresses: z.array(z.string()) })),
  lookups: z.object({ before: z.number(), after: z.number(), limit: z.number() }),
  remembered: z.boolean().describe("whether the journal remembers the sources, so that the audit can say when they move"),
});

export type SpfFlattenResult = z.output<typeof spfFlattenSchema>;

/** What {@link spfFlatten} is asked. */
export interface SpfFlattenRequest extends CommonRequest, DnsOptions {
  readonly include: readonly string[];
  readonly remember: boolean;
}

/** Write the addresses an include stands for today in its place, so that receivers have to ask less. */
export async function spfFlatten(request: SpfFlattenRequest, context: AppContext): Promise<Outcome<SpfFlattenResult>> {
  const [operand, ...more] = request.operands;
  const includes = request.include ?? [];
  if (operand === undefined || more.length > 0 || includes.length === 0) throw new Failure("flatten-include", {});
  const domain = nameOperand(operand);
  const plain = domain.slice(0, -1);
  const folder = findWorkspace(context.cwd, request.workspace);
  const workspace = folder === undefined ? undefined : openWorkspace(context.cwd, folder);
  if (request.remember && workspace === undefined) throw new Failure("needs-workspace", {});
  const dns = openDns(request, context, workspace?.settings, [domain]);
  try {
    const lookup = memoized(dns.world);
    const own = await lookupSpf(plain, lookup);
    if ("problem" in own)
      throw new Failure(
        "spf-unusable",
        { because: own.problem.because },
        own.problem.kind === "failed" ? "undetermined" : "problem",
      );
    const flattened = await flattenSpf(own.record, domain, includes, lookup);
    if (!flattened.ok)
      throw new Failure("cannot-flatten", { term: flattened.error.term, because: flattened.error.because }, "problem");
    const { text, parts, sources } = flattened.value;
    const parsed = readSpfRecord(text);
    // Records that are not published yet cost one question each.
    const after = parsed.ok ? treeLookups(await spfTree(parsed.value, plain, lookup, { addresses: false })) : 0;
    if (request.remember && workspace !== undefined) {
      const journal = await workspace.openJournal();
      try {
        journal.append(dns.now, domain, { kind: "spf-flattened", record: text, sources: sources.map((one) => ({ ...one })) });
      } finally {
        journal.close();
      }
    }
    const ttl = workspace?.settings.defaults.ttl ?? 3600;
    return {
      ended: "fine",
      result: {
        domain,
        before: own.record.text,
        after: text,
        lines: [{ name: domain, text }, ...parts].map(
          (one) => `${one.name} ${ttl} IN TXT ${printData("TXT", { strings: splitCharacterStrings(one.text) })}`,
        ),
        parts: parts.map(({ name, text: record }) => ({ name, record })),
        sources: sources.map(({ term, addresses }) => ({ term, addresses: [...addresses] })),
        lookups: {
          before: treeLookups(await spfTree(own.record, plain, lookup, { addresses: false })),
          after,
          limit: MAX_LOOKUPS,
        },
        remembered: request.remember,
      },
    };
  } finally {
    dns.close();
  }
}
