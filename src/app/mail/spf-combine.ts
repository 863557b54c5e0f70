import * as z from "zod";
import { clause, NOTHING } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { memoized } from "../../core/lookup/index.ts";
import {
  combineThoroughly,
  isSpf,
  lookupSpf,
  MAX_LOOKUPS,
  readSpfRecord,
  type SpfRecord,
  type SpfTree,
  treeLookups,
} from "../../core/spf/index.ts";
import { type Domain, findWorkspace, openWorkspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { type DnsOptions, nameOperand, openDns } from "../dns/context.ts";
import { domainName, sentence } from "../shapes.ts";

export const spfCombineSchema = z.object({
  domain: domainName,
  before: z.string().nullable(),
  others: z.array(z.string()).describe("further SPF records that are there now; they go, their terms are in the new one"),
  after: z.string(),
  lookups: z.object({ before: z.number().nullable(), after: z.number(), limit: z.number() }),
  added: z.array(z.string()),
  dropped: z.array(z.object({ text: z.string(), because: sentence })),
  unresolved: z.array(z.string()).describe("terms that could not be followed, so that the cost is at least that"),
  options: z
    .array(z.object({ saves: z.number(), what: sentence }))
    .describe("only where the limit is passed, the cheapest first"),
});

export type SpfCombineResult = z.output<typeof spfCombineSchema>;

/** The SPF terms that the asks of a domain want. */
function askedTerms(domain: Domain | undefined): SpfRecord[] {
  return (domain?.asks ?? []).flatMap((ask) =>
    ask.wants.flatMap((want) => (want.kind === "spf-terms" && want.name === domain?.name ? [want.record] : [])),
  );
}

/** Every way under the limit with what it saves: what does nothing first, then what saves most. */
function options(tree: SpfTree, domain: string): SpfCombineResult["options"] {
  const ineffective = tree.branches
    .filter(({ ineffective, lookups }) => ineffective !== undefined && lookups > 0)
    .map(({ term, lookups }) => ({ saves: lookups, what: clause("spf-take-out", { term: term.text }) }));
  const costly = tree.branches
    .filter(({ ineffective, lookups, term }) => ineffective === undefined && lookups > 0 && term.kind === "mechanism")
    .sort((a, b) => b.lookups - a.lookups)
    .flatMap(({ term, lookups, complete }) => {
      if (term.kind !== "mechanism") return [];
      if (term.name !== "include") return [{ saves: lookups, what: clause("spf-write-addresses", { term: term.text }) }];
      return [
        ...(complete ? [{ saves: lookups, what: clause("spf-flatten-saves", { domain, include: term.domain ?? "" }) }] : []),
        {
          saves: lookups,
          what: clause("spf-send-from-subdomain", { term: term.text, domain }),
        },
      ];
    });
  return [...ineffective, ...costly];
}

/** What {@link spfCombine} is asked. */
export interface SpfCombineRequest extends CommonRequest, DnsOptions {}

/** Make one SPF record of the one that is there and of what every service asks for, and count what it costs. */
export async function spfCombine(request: SpfCombineRequest, context: AppContext): Promise<Outcome<SpfCombineResult>> {
  const [operand, ...terms] = request.operands;
  const domain = nameOperand(operand as string);
  const plain = domain.slice(0, -1);
  const given = terms.length === 0 ? [] : [readSpfRecord(isSpf(terms.join(" ")) ? terms.join(" ") : `v=spf1 ${terms.join(" ")}`)];
  for (const one of given)
    if (!one.ok)
      throw new Failure("spf-term", {
        found: one.error[0]?.text ?? "",
        because: one.error[0]?.message ?? NOTHING,
        meant: one.error[0]?.meant,
      });
  const folder = findWorkspace(context.cwd, request.workspace);
  const workspace = folder === undefined ? undefined : openWorkspace(context.cwd, folder);
  const wanted = [
    ...askedTerms(workspace?.domains.find((candidate) => candidate.name === domain)),
    ...given.flatMap((one) => (one.ok ? [one.value] : [])),
  ];
  const dns = openDns(request, context, workspace?.settings, [domain]);
  try {
    const lookup = memoized(dns.world);
    const own = await lookupSpf(plain, lookup);
    if ("problem" in own && own.problem.kind === "failed")
      throw new Failure("spf-unseen", { domain: plain, because: own.problem.because });
    // Two records are what is to be made one; each has to be readable by itself.
    const several = "problem" in own ? (own.problem.texts ?? []).map(readSpfRecord) : [];
    const readable = several.flatMap((one) => (one.ok ? [one.value] : []));
    if ("problem" in own && own.problem.kind !== "none" && (several.length === 0 || readable.length < several.length))
      throw new Failure("spf-unusable", { because: own.problem.because });
    if ("problem" in own && readable.length === 0 && wanted.length === 0) throw new Failure("spf-none", { domain: plain });
    const [first, ...others] = readable;
    const existing = "record" in own ? own.record : first;
    const combined = await combineThoroughly(existing, [...others, ...wanted], plain, lookup);
    const after = treeLookups(combined.after);
    const unresolved = combined.after.branches.flatMap(({ term, failed }) => (failed === undefined ? [] : [term.text]));
    return {
      ended: after > MAX_LOOKUPS ? "problem" : unresolved.length > 0 ? "undetermined" : "fine",
      result: {
        domain,
        before: existing?.text ?? null,
        others: others.map((other) => other.text),
        after: combined.text,
        lookups: { before: combined.before === undefined ? null : treeLookups(combined.before), after, limit: MAX_LOOKUPS },
        added: [...combined.added],
        dropped: combined.dropped.map((one) => ({ ...one })),
        unresolved,
        options: after > MAX_LOOKUPS ? options(combined.after, plain) : [],
      },
    };
  } finally {
    dns.close();
  }
}
