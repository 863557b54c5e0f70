import * as z from "zod";
import { REASONS, type Source } from "../../core/aggregate/index.ts";
import type { AppContext, Outcome } from "../context.ts";
import { day, domainName } from "../shapes.ts";
import { type ReportedRequest, withReports } from "./reported.ts";

export const reportSourcesSchema = z.object({
  domain: domainName,
  reports: z.number(),
  receivers: z.number(),
  from: day,
  to: day,
  messages: z.number(),
  aligned: z.number().describe("messages that DMARC passes"),
  sources: z.array(
    z.object({
      title: z
        .string()
        .describe("a service, a domain, an address or a block of them; empty for all that are too many to tell apart"),
      service: z.string().nullable().describe("the service of the workspace it was recognised as"),
      ours: z.boolean().describe("whether it is known to send for you: a service, or somebody the SPF record lets send"),
      messages: z.number(),
      aligned: z.number(),
      byDkim: z.number(),
      bySpf: z.number(),
      bySpfOnly: z.number(),
      reasons: z.record(z.enum(REASONS), z.number()).describe("why messages are not proven"),
      dispositions: z.object({ none: z.number(), quarantine: z.number(), reject: z.number() }),
      nextTo: z.string().nullable().describe("a known service among whose addresses it sends without having one of them"),
      blocks: z.array(z.string()).describe("its addresses, as blocks where there are many"),
      signers: z.array(z.string()),
      envelopes: z.array(z.string()),
      from: z
        .array(z.object({ domain: z.string(), messages: z.number(), aligned: z.number() }))
        .describe("the From domains it uses, the busiest first"),
      weeks: z.array(z.object({ week: day.describe("its Monday"), messages: z.number(), aligned: z.number() })),
    }),
  ),
  page: z.string().nullable().describe("the page that was written"),
});

export type ReportSourcesResult = z.output<typeof reportSourcesSchema>;

const json = (source: Source): ReportSourcesResult["sources"][number] => ({
  ...source,
  service: source.service ?? null,
  ours: source.ours,
  nextTo: source.nextTo ?? null,
  reasons: { ...source.reasons },
  dispositions: { ...source.dispositions },
  blocks: [...source.blocks],
  signers: [...source.signers],
  envelopes: [...source.envelopes],
  from: [...source.from],
  weeks: source.weeks.map((week) => ({ ...week, week: week.week })),
});

/** What {@link reportSources} is asked. */
export interface ReportSourcesRequest extends ReportedRequest {
  readonly html: string | undefined;
}

/** Say who sends as you by the reports of receivers: your services and everyone else, proven or not, and why not. */
export async function reportSources(request: ReportSourcesRequest, context: AppContext): Promise<Outcome<ReportSourcesResult>> {
  return withReports(request, context, "dmarc sources", async ({ domain, reports, receivers, from, to, sources }) => {
    const shown: ReportSourcesResult = {
      domain,
      reports,
      receivers,
      from,
      to,
      messages: sources.reduce((sum, one) => sum + one.messages, 0),
      aligned: sources.reduce((sum, one) => sum + one.aligned, 0),
      sources: sources.map(json),
      page: request.html ?? null,
    };
    return {
      ended: sources.some((candidate) => candidate.ours && candidate.aligned < candidate.messages * 0.98) ? "problem" : "fine",
      result: shown,
    };
  });
}
