import * as z from "zod";
import type { AppContext, Outcome } from "../context.ts";
import { day, domainName, sentence } from "../shapes.ts";
import { adviceFrom, type ReportedRequest, withReports } from "./reported.ts";

const policy = z.enum(["none", "quarantine", "reject"]);

export const adviseSchema = z.object({
  domain: domainName,
  policy: policy.describe("the policy in force"),
  from: day,
  to: day,
  repairs: z
    .array(
      z.object({
        source: z.string(),
        service: z.string().nullable(),
        messages: z.number(),
        share: z.number(),
        reason: z.string(),
        because: sentence,
        remedy: sentence,
      }),
    )
    .describe("services to fix, the most urgent first"),
  unexplained: z
    .array(z.object({ source: z.string(), messages: z.number(), of: z.number(), because: sentence }))
    .describe("unknown senders whose mail may be yours"),
  done: z
    .object({ quarantine: z.number(), reject: z.number() })
    .describe("messages that receivers put aside or refused over this time"),
  steps: z.array(
    z.object({
      policy,
      safe: z.boolean().nullable().describe("null where there is too little to go by"),
      because: sentence,
      stops: z
        .array(
          z.object({
            source: z.string(),
            service: z.string().nullable(),
            ours: z.boolean(),
            messages: z.number(),
            of: z.number(),
          }),
        )
        .describe("what it would have stopped"),
    }),
  ),
  unusedIncludes: z.array(z.string()).describe("SPF includes from whose addresses nothing came"),
});

/** What {@link advise} is asked. */
export type AdviseRequest = ReportedRequest;

/** Turn the reports into advice: which service to fix first and how, and when the policy can be tightened safely. */
export async function advise(request: AdviseRequest, context: AppContext): Promise<Outcome<z.output<typeof adviseSchema>>> {
  return withReports(request, context, "dmarc advise", async (reported) => {
    const advice = await adviceFrom(reported);
    const [next] = advice.steps;
    const failing = advice.repairs.some((repair) => repair.reason !== "spf-only");
    return {
      ended: failing ? "problem" : next !== undefined && next.safe === undefined ? "undetermined" : "fine",
      result: {
        domain: reported.domain,
        policy: advice.policy,
        from: reported.from,
        to: reported.to,
        repairs: advice.repairs.map((repair) => ({ ...repair, service: repair.service ?? null })),
        unexplained: [...advice.unexplained],
        done: advice.done,
        steps: advice.steps.map((step) => ({
          ...step,
          safe: step.safe ?? null,
          stops: step.stops.map((stop) => ({ ...stop, service: stop.service ?? null })),
        })),
        unusedIncludes: [...advice.unusedIncludes],
      },
    };
  });
}
