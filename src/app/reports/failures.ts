import ipaddr from "ipaddr.js";
import * as z from "zod";
import type { Source } from "../../core/aggregate/index.ts";
import { DAY } from "../../core/day.ts";
import { Failure } from "../../core/failure.ts";
import { AUTH_FAILURES, DELIVERIES, type FailureReport } from "../../core/failure-report/index.ts";
import type { DomainName } from "../../core/name/index.ts";
import { openWorkspace, type ReportStore, type Workspace } from "../../workspace/index.ts";
import type { AppContext, Outcome } from "../context.ts";
import { nameOperand } from "../dns/context.ts";
import { day, domainName, time } from "../shapes.ts";
import { type ReportedRequest, withReports } from "./reported.ts";

const failedCase = z.object({
  at: time.describe("when the message arrived"),
  receiver: z.string().describe("whose server reports it"),
  ip: z.string().nullable().describe("the server that sent it"),
  source: z.string().nullable().describe("who that is, by the daily reports"),
  ours: z.boolean().nullable().describe("whether it is known to send for you; null where nobody can say"),
  from: domainName,
  failure: z.enum(AUTH_FAILURES),
  delivery: z.enum(DELIVERIES).nullable().describe("what became of the message"),
  aligned: z
    .array(z.enum(["dkim", "spf"]))
    .nullable()
    .describe("what was aligned with From"),
  envelope: domainName.nullable(),
  signer: domainName.nullable(),
  selector: z.string().nullable(),
  spf: z.string().nullable().describe("the SPF record as the receiver saw it"),
  count: z.number().describe("messages that it stands for"),
  changed: z
    .array(
      z.object({
        field: z.string(),
        what: z.enum(["changed", "added", "missing"]),
        was: z.string().nullable().describe("as it was when it was signed; null where it would be personal data"),
        is: z.string().nullable().describe("as it came"),
      }),
    )
    .describe("fields of the header that are not as they were signed, where the report carries both"),
  author: z.string().nullable().describe("personal data, only where it was kept"),
  subject: z.string().nullable().describe("personal data, only where it was kept"),
});

export const dmarcFailuresSchema = z.object({
  domain: domainName,
  from: day,
  to: day,
  messages: z.number(),
  receivers: z.array(z.string()),
  sums: z
    .array(
      z.object({
        source: z.string().nullable(),
        ours: z.boolean().nullable(),
        failure: z.enum(AUTH_FAILURES),
        messages: z.number(),
        refused: z.number().describe("messages that were refused or went to the junk folder"),
        last: time,
        fields: z.array(z.string()).describe("fields of the header that were changed on the way"),
      }),
    )
    .describe("who failed, by which check; those that send for you first"),
  cases: z.array(failedCase).describe("single messages, the newest first"),
  more: z.number().describe("cases that are not shown"),
});

export type DmarcFailuresResult = z.output<typeof dmarcFailuresSchema>;

/** What {@link dmarcFailures} is asked. */
export interface DmarcFailuresRequest extends ReportedRequest {
  /** Single messages that are shown. */
  readonly cases: number;
}

/** Whether an address is one of a source's. */
function isOf(ip: string, { blocks }: Pick<Source, "blocks">): boolean {
  const address = ipaddr.process(ip);
  return blocks.some((block) => {
    const [start = "", length] = block.split("/");
    if (!ipaddr.isValid(start)) return false;
    const network = ipaddr.process(start);
    if (network.kind() !== address.kind()) return false;
    const bits = length === undefined ? (network.kind() === "ipv4" ? 32 : 128) : Number(length);
    return network.kind() === "ipv4"
      ? (address as ipaddr.IPv4).match(network as ipaddr.IPv4, bits)
      : (address as ipaddr.IPv6).match(network as ipaddr.IPv6, bits);
  });
}

/** The source of a failed message: by its address, or else by who signed it. */
function sourceOf({ ip, signer, selector }: FailureReport, sources: readonly Source[]): Source | undefined {
  const byAddress = ip === undefined ? undefined : sources.find((source) => isOf(ip, source));
  if (byAddress !== undefined || signer === undefined) return byAddress;
  const names = [signer, ...(selector === undefined ? [] : [`${selector}._domainkey.${signer}`])].map((name) =>
    name.replace(/\.$/, ""),
  );
  return sources.find(({ signers }) => signers.some((one) => names.includes(one)));
}

type Sum = DmarcFailuresResult["sums"][number];

const isRefused = ({ delivery }: FailureReport): boolean => delivery === "reject" || delivery === "spam" || delivery === "policy";

function shown(report: FailureReport, source: Source | undefined): DmarcFailuresResult["cases"][number] {
  const { at, receiver, ip, from, failure, delivery, aligned, envelope, signer, selector, spf, count, changed, personal } =
    report;
  return {
    at: at * 1000,
    receiver,
    ip: ip ?? null,
    source: source?.title ?? null,
    ours: source?.ours ?? null,
    from,
    failure,
    delivery: delivery ?? null,
    aligned: aligned === undefined ? null : [...aligned],
    envelope: envelope ?? null,
    signer: signer ?? null,
    selector: selector ?? null,
    spf: spf ?? null,
    count,
    changed: changed.map((one) => ({ field: one.field, what: one.what, was: one.was ?? null, is: one.is ?? null })),
    author: personal?.author ?? null,
    subject: personal?.subject ?? null,
  };
}

/** The domain that was named, or the only one that there are such reports of. */
function domainOf(operand: string | undefined, workspace: Workspace, store: ReportStore): DomainName {
  if (operand !== undefined) return nameOperand(operand);
  const reported = workspace.domains.filter(({ name }) => store.newestFailure(name) !== undefined).map(({ name }) => name);
  const [only, ...others] = reported;
  if (only === undefined) throw new Failure("no-failures", { domain: undefined });
  if (others.length > 0) throw new Failure("which-reports", { domains: reported });
  return only;
}

/** Say which single messages failed, by which check and why, from the reports that receivers send about them. */
export async function dmarcFailures(request: DmarcFailuresRequest, context: AppContext): Promise<Outcome<DmarcFailuresResult>> {
  const workspace = openWorkspace(context.cwd, request.workspace);
  const [operand] = request.operands;
  if (!workspace.hasReports)
    throw new Failure("no-failures", { domain: operand === undefined ? undefined : nameOperand(operand) });
  const store = await workspace.openReports(context);
  try {
    const domain = domainOf(operand, workspace, store);
    const newest = store.newestFailure(domain);
    if (newest === undefined) throw new Failure("no-failures", { domain });
    // Who is behind an address is known from the daily reports, where there are any.
    const sources = await withReports(
      { ...request, operands: [domain] },
      context,
      "dmarc failures",
      async (reported) => reported.sources,
    ).catch((error) => {
      if (error instanceof Failure && error.code === "no-reports") return [];
      throw error;
    });
    return { ended: "problem", result: summedUp(domain, store, sources, newest, request) };
  } finally {
    store.close();
  }
}

/** Everything that was reported in the days up to the newest report. */
function summedUp(
  domain: DomainName,
  store: ReportStore,
  sources: readonly Source[],
  newest: number,
  { days, cases: most }: DmarcFailuresRequest,
): DmarcFailuresResult {
  const to = Math.floor(newest / DAY);
  const from = to - days + 1;
  const sums = new Map<string, Sum>();
  const receivers = new Set<string>();
  const cases: DmarcFailuresResult["cases"] = [];
  let messages = 0;
  let all = 0;
  for (const report of store.failures(domain, from * DAY)) {
    const source = sourceOf(report, sources);
    const key = `${source?.title ?? ""}\n${report.failure}`;
    const sum = sums.get(key) ?? {
      source: source?.title ?? null,
      ours: source?.ours ?? null,
      failure: report.failure,
      messages: 0,
      refused: 0,
      last: report.at * 1000,
      fields: [],
    };
    sums.set(key, sum);
    sum.messages += report.count;
    sum.refused += isRefused(report) ? report.count : 0;
    for (const { field } of report.changed) if (!sum.fields.includes(field)) sum.fields.push(field);
    messages += report.count;
    all += 1;
    receivers.add(report.receiver);
    if (cases.length < most) cases.push(shown(report, source));
  }
  const rank = ({ ours }: Sum): number => (ours === true ? 0 : ours === null ? 1 : 2);
  return {
    domain,
    from,
    to,
    messages,
    receivers: [...receivers].sort(),
    sums: [...sums.values()].sort((a, b) => rank(a) - rank(b) || b.messages - a.messages),
    cases,
    more: all - cases.length,
  };
}
