import * as z from "zod";
import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { memoized } from "../../core/lookup/index.ts";
import type { DomainName } from "../../core/name/index.ts";
import { printData, splitCharacterStrings } from "../../core/record/index.ts";
import {
  combine,
  type Flattened,
  flattenSpf,
  lookupSpf,
  MAX_LOOKUPS,
  readSpfRecord,
  type SpfRecord,
  spfTree,
  treeLookups,
  withoutTerms,
} from "../../core/spf/index.ts";
import { findWorkspace, type JournalEvent, openWorkspace, type Workspace } from "../../workspace/index.ts";
import { duplicateOf, ownService, reviseAsks, type ServiceOfAsk } from "../asks/add.ts";
import type { NewAsk } from "../asks/new-ask.ts";
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
  ask: z.string().nullable().describe("the ask that was saved for it, with --write"),
  saved: z
    .enum(["new", "changed", "same"])
    .nullable()
    .describe("with --write: whether the ask is new, has other addresses than the last time, or has the same; else null"),
  remembered: z.boolean().describe("whether the journal remembers the sources, so that the audit can say when they move"),
});

export type SpfFlattenResult = z.output<typeof spfFlattenSchema>;

/** What {@link spfFlatten} is asked. */
export interface SpfFlattenRequest extends CommonRequest, DnsOptions {
  readonly include: readonly string[];
  readonly remember: boolean;
  readonly write: boolean;
  readonly service: string | undefined;
}

/** What an earlier run with --write saved: its ask, the includes it replaced, and the terms in their place. */
interface Saved {
  readonly id: string;
  readonly includes: readonly string[];
  readonly terms: SpfRecord | undefined;
}

function savedIn(workspace: Workspace | undefined, domain: DomainName, id: string): Saved | undefined {
  const ask = workspace?.domains.find((candidate) => candidate.name === domain)?.asks.find((candidate) => candidate.id === id);
  const want = ask?.wants.find((candidate) => candidate.kind === "spf-terms" && candidate.without !== undefined);
  if (want?.kind !== "spf-terms") return undefined;
  return { id, includes: (want.without?.terms ?? []).map((term) => term.text), terms: want.record };
}

/** The record as it would be had nobody flattened it: the includes again in place of the addresses saved for them. */
function unflattened(own: SpfRecord, saved: Saved | undefined, includes: readonly string[]): SpfRecord {
  if (saved?.terms === undefined) return own;
  const asked = readSpfRecord(`v=spf1 ${includes.map((one) => `include:${one.replace(/^\+?include:/i, "")}`).join(" ")}`);
  if (!asked.ok) return own;
  const whole = readSpfRecord(combine(withoutTerms(own, [saved.terms]), [asked.value]));
  return whole.ok ? whole.value : own;
}

/** The addresses as an ask in whose favour the includes go; undefined where nothing would change. */
function askFor(
  base: SpfRecord,
  flattened: Flattened,
  domain: DomainName,
  id: string,
  service: string,
  ttl: number,
): NewAsk | undefined {
  const after = readSpfRecord(flattened.text);
  const fresh = after.ok ? withoutTerms(after.value, [base]) : undefined;
  if (fresh === undefined || fresh.terms.length === 0) return undefined;
  return {
    id,
    service,
    purpose: "sending",
    domain,
    after: [],
    records: flattened.parts.map(({ name, text }) => ({
      name,
      type: "TXT",
      ttl,
      data: { strings: splitCharacterStrings(text) },
    })),
    spf: fresh.terms.map((term) => term.text).join(" "),
    spfWithout: flattened.sources.map((source) => source.term).join(" "),
  };
}

/** Saves the ask in place of that of the last time, unless that one asks for the very same, and what it was made from. */
function save(
  ask: NewAsk,
  sources: JournalEvent,
  service: ServiceOfAsk,
  workspace: Workspace,
  context: AppContext,
): Promise<"new" | "changed" | "same"> {
  return reviseAsks(workspace, ask.domain, context, (domain, now) => {
    const last = savedIn(now, ask.domain, ask.id);
    if (duplicateOf(ask, domain) === ask.id && last?.includes.join(" ") === ask.spfWithout)
      return { journal: [sources], result: "same" };
    const without = new Map(last === undefined ? [] : [[ask.id, clause("retired-rebuilt")]]);
    return { service, without, add: [ask], journal: [sources], result: last === undefined ? "new" : "changed" };
  });
}

/** Write the addresses an include stands for today in its place, so that receivers have to ask less. */
export async function spfFlatten(request: SpfFlattenRequest, context: AppContext): Promise<Outcome<SpfFlattenResult>> {
  const [operand, ...more] = request.operands;
  if (operand === undefined || more.length > 0) throw new Failure("flatten-include", {});
  const domain = nameOperand(operand);
  const plain = domain.slice(0, -1);
  const folder = findWorkspace(context.cwd, request.workspace);
  const workspace = folder === undefined ? undefined : openWorkspace(context.cwd, folder);
  if ((request.remember || request.write) && workspace === undefined) throw new Failure("needs-workspace", {});
  const service = workspace === undefined ? undefined : ownService(workspace, request);
  const id = `${service?.key ?? "own-mail"}-flattened`;
  const saved = savedIn(workspace, domain, id);
  // Without a word the includes of the last time are meant: that is how it is renewed.
  const includes = request.include.length > 0 ? request.include : (saved?.includes ?? []);
  if (includes.length === 0) throw new Failure("flatten-include", {});
  if (request.write && workspace?.domains.some((candidate) => candidate.name === domain) !== true)
    throw new Failure("not-in-workspace", { domain });
  const dns = openDns(request, context, workspace?.settings, [domain]);
  try {
    const lookup = memoized(dns.world);
    const own = await lookupSpf(plain, lookup);
    if ("problem" in own)
      throw own.problem.kind === "failed"
        ? new Failure("spf-unseen", { domain: plain, because: own.problem.because })
        : new Failure("spf-unusable", { because: own.problem.because });
    const base = unflattened(own.record, saved, includes);
    const flattened = await flattenSpf(base, domain, includes, lookup);
    if (!flattened.ok) throw new Failure("cannot-flatten", { term: flattened.error.term, because: flattened.error.because });
    const { text, parts, sources } = flattened.value;
    const parsed = readSpfRecord(text);
    // Records that are not published yet cost one question each.
    const after = parsed.ok ? treeLookups(await spfTree(parsed.value, plain, lookup, { addresses: false })) : 0;
    const remembered = { kind: "spf-flattened" as const, record: text, sources: sources.map((source) => ({ ...source })) };
    let saving: SpfFlattenResult["saved"] = null;
    if (request.write && workspace !== undefined && service !== undefined) {
      const ask = askFor(base, flattened.value, domain, id, service.key, workspace.settings.defaults.ttl);
      if (ask === undefined)
        throw new Failure("cannot-flatten", { term: includes.join(" "), because: clause("spf-nothing-changes") });
      saving = await save(ask, remembered, service, workspace, context);
    } else if (request.remember && workspace !== undefined) {
      const journal = await workspace.openJournal(context);
      try {
        journal.append(dns.now, domain, remembered);
      } finally {
        journal.close();
      }
    }
    const ttl = workspace?.settings.defaults.ttl ?? 3600;
    return {
      ended: after > MAX_LOOKUPS ? "problem" : "fine",
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
        remembered: request.remember || request.write,
        ask: request.write ? id : null,
        saved: saving,
      },
    };
  } finally {
    dns.close();
  }
}
