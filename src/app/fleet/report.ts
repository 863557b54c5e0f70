import * as z from "zod";
import { SEVERITIES } from "../../core/audit/index.ts";
import { ShareCounter, severityOf, WORST } from "../../core/sweep/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { domainName, time } from "../shapes.ts";
import { namedSweep, outcomesOf, type SweepsRequest, withSweeps } from "./store.ts";

const providers = z.array(z.object({ provider: domainName, domains: z.number() }));

export const sweepReportSchema = z.object({
  sweep: z.string(),
  started: time,
  finished: time.nullable().describe("null as long as domains are left to be looked at"),
  domains: z.number().describe("domains that were looked at"),
  left: z.number(),
  unresolved: z.number(),
  worst: z.array(z.object({ key: z.enum(WORST), domains: z.number() })),
  findings: z.array(z.object({ id: z.string(), severity: z.enum(SEVERITIES), domains: z.number(), title: z.string() })),
  nameServers: providers.describe("registered domains of the name servers"),
  mail: providers.describe("of the servers that take the mail"),
  signing: providers.describe("to which aliases of signing keys lead"),
  sending: providers.describe("whose servers the SPF record allows by name"),
  others: z.array(z.string()).describe("names of the other sweeps that are kept, the newest first"),
});
export type SweepReportJson = z.output<typeof sweepReportSchema>;
export type SweepReport = Omit<SweepReportJson, "findings"> & {
  readonly findings: readonly Omit<SweepReportJson["findings"][number], "title">[];
};

/** What a sweep says of all its domains together; the newest where none is named. */
export async function sweepReport(request: CommonRequest & SweepsRequest, context: AppContext): Promise<Outcome<SweepReport>> {
  return withSweeps(request, context, async (store) => {
    const sweep = await namedSweep(store, request.operands[0]);
    const counter = new ShareCounter();
    for await (const { result } of outcomesOf(store, sweep)) counter.add(result);
    const { domains } = await store.progress(sweep);
    const shares = counter.shares();
    const named = (role: keyof typeof shares.providers) =>
      shares.providers[role].map(({ key, domains: number }) => ({ provider: key, domains: number }));
    return {
      ended: "fine",
      result: {
        sweep: sweep.name,
        started: sweep.started,
        finished: sweep.finished ?? null,
        domains: shares.domains,
        left: domains - shares.domains,
        unresolved: shares.unresolved,
        worst: [...shares.worst],
        findings: shares.findings.map(({ key: id, domains: number }) => ({ id, severity: severityOf({ id }), domains: number })),
        ...{ nameServers: named("nameServers"), mail: named("mail"), signing: named("signing"), sending: named("sending") },
        others: (await store.sweeps()).map(({ name }) => name).filter((name) => name !== sweep.name),
      },
    };
  });
}
