import * as z from "zod";
import { clause } from "../../core/clause/index.ts";
import {
  describePolicy,
  destinationOf,
  discover,
  discoveryDifference,
  readDmarcRecord,
  scenarios,
  verifyExternalDestination,
} from "../../core/dmarc/index.ts";
import { memoized } from "../../core/lookup/index.ts";
import type { DomainName } from "../../core/name/index.ts";
import { organizationalDomain } from "../../core/suffix/index.ts";
import type { Mistake } from "../../core/tag-list.ts";
import { findWorkspace, openWorkspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { type DnsOptions, nameOperand, openDns } from "../dns/context.ts";
import { discoveryWay } from "../messages/judge-messages.ts";
import { domainName, sentence } from "../shapes.ts";

const policy = z.enum(["none", "quarantine", "reject"]);

const mistakes = z.array(z.object({ at: z.number(), text: z.string(), message: sentence, meant: z.string().nullable() }));

export const dmarcExplainSchema = z.object({
  domain: domainName.nullable().describe("null where a record was given instead of a domain"),
  record: z.string().nullable(),
  at: domainName.nullable().describe("the domain whose record counts"),
  organizational: z.string().nullable(),
  because: sentence.nullable().describe("why no record counts, or why it cannot be said"),
  asked: z.boolean().describe("whether the record could be asked for; where not, nothing is known about it"),
  words: z.array(sentence),
  mistakes,
  scenarios: z.array(
    z.object({
      kind: z.enum(["domain", "subdomain", "made-up"]),
      from: domainName,
      policy: policy.nullable(),
      tag: z.string().nullable(),
      aligned: policy,
      unaligned: policy,
      forged: policy,
    }),
  ),
  difference: sentence.nullable().describe("where older and newer receivers find different policies"),
  destinations: z.array(z.object({ destination: domainName, permission: z.enum(["own", "granted", "missing", "unknown"]) })),
});

export type DmarcExplainResult = z.output<typeof dmarcExplainSchema>;

const mistakeJson = ({ at, text, message, meant }: Mistake): DmarcExplainResult["mistakes"][number] => ({
  at,
  text,
  message,
  meant: meant ?? null,
});

function explainText(text: string): DmarcExplainResult {
  const parsed = readDmarcRecord(text);
  return {
    domain: null,
    record: text,
    at: null,
    asked: true,
    organizational: null,
    because: parsed.ok ? null : clause("dmarc-ignored"),
    words: parsed.ok ? describePolicy(parsed.value) : [],
    mistakes: (parsed.ok ? parsed.value.mistakes : parsed.error).map(mistakeJson),
    scenarios: [],
    difference: null,
    destinations: [],
  };
}

/** What {@link dmarcExplain} is asked. */
export interface DmarcExplainRequest extends CommonRequest, DnsOptions {
  readonly discovery: "tree-walk" | "suffix-list";
}

/** Say in words what a DMARC record does to real and to forged mail, for the domain and its subdomains. */
export async function dmarcExplain(request: DmarcExplainRequest, context: AppContext): Promise<Outcome<DmarcExplainResult>> {
  const operand = request.operands.join(" ");
  if (operand.includes("=")) {
    const shown = explainText(operand);
    return { ended: shown.mistakes.length > 0 ? "problem" : "fine", result: shown };
  }
  const domain = nameOperand(operand);
  const folder = findWorkspace(context.cwd, request.workspace);
  const settings = folder === undefined ? undefined : openWorkspace(context.cwd, folder).settings;
  const dns = openDns(request, context, settings, [domain]);
  try {
    const lookup = memoized(dns.world);
    const how = await discoveryWay(request.discovery);
    const found = await discover(domain, lookup, how);
    const other = await discover(
      domain,
      lookup,
      how.way === "tree-walk" ? { way: "suffix-list", organizationalDomain } : { way: "tree-walk" },
    );
    const { record, at, failed, steps, organizational } = found;
    const own = steps[0]?.there;
    const because =
      record !== undefined
        ? null
        : failed !== undefined
          ? clause("dmarc-not-asked", { failed })
          : own?.kind === "several"
            ? clause("dmarc-several-there", { records: own.texts.length })
            : own?.kind === "unusable"
              ? clause("dmarc-unusable-there")
              : clause("dmarc-none-there");
    const destinations = await Promise.all(
      [
        ...new Set(
          (record === undefined ? [] : [...record.aggregate, ...record.failure]).flatMap((uri) => destinationOf(uri) ?? []),
        ),
      ].map(async (destination) => {
        const permission = await verifyExternalDestination(at as DomainName, organizational, destination, lookup);
        return { destination, permission: typeof permission === "string" ? permission : ("unknown" as const) };
      }),
    );
    const list = record?.mistakes ?? (own?.kind === "unusable" ? own.mistakes : []);
    const shown: DmarcExplainResult = {
      domain,
      record: record?.text ?? (own?.kind === "unusable" ? own.text : null),
      at: at ?? null,
      organizational,
      because,
      asked: record !== undefined || failed === undefined,
      words: record === undefined ? [] : describePolicy(record),
      mistakes: list.map(mistakeJson),
      scenarios: (await scenarios(domain, lookup, how)).map((scenario) => ({
        kind: scenario.kind,
        from: scenario.from,
        policy: scenario.policy ?? null,
        tag: scenario.tag ?? null,
        aligned: scenario.aligned,
        unaligned: scenario.unaligned,
        forged: scenario.forged,
      })),
      difference: (how.way === "tree-walk" ? discoveryDifference(found, other) : discoveryDifference(other, found)) ?? null,
      destinations,
    };
    const wrong = record === undefined || list.length > 0 || destinations.some((candidate) => candidate.permission === "missing");
    return {
      ended: failed !== undefined && record === undefined ? "undetermined" : wrong ? "problem" : "fine",
      result: shown,
    };
  } finally {
    dns.close();
  }
}
