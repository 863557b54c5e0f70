import { z } from "zod";
import { adviceFrom, REPORTED, withReports } from "../../../app/reports/reported.ts";
import { type DomainName, displayName } from "../../../core/name/index.ts";
import { EXIT } from "../../../core/user-error.ts";
import { dayText, visible, wrap } from "../../../present/index.ts";
import { command } from "../../command.ts";
import { percent } from "./sources.ts";

const policy = z.enum(["none", "quarantine", "reject"]);

const result = z.object({
  domain: z.string(),
  policy: policy.describe("the policy in force"),
  from: z.string(),
  to: z.string(),
  repairs: z
    .array(
      z.object({
        source: z.string(),
        service: z.string().nullable(),
        messages: z.number(),
        share: z.number(),
        reason: z.string(),
        because: z.string(),
        remedy: z.string(),
      }),
    )
    .describe("services to set right, the most urgent first"),
  steps: z.array(
    z.object({
      policy,
      safe: z.boolean().nullable().describe("null where there is too little to go by"),
      because: z.string(),
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

/** Sources named in full behind a step. */
const MAX_STOPS = 5;

export default command<z.output<typeof result>>({
  name: "dmarc advise",
  operands: "[DOMAIN]",
  summary: "turn the reports into advice: which service to set right first and how, and when the policy can be tightened safely",
  examples: [
    ["zandrel dmarc advise brackwater.example", "by the last four weeks"],
    ["zandrel dmarc advise brackwater.example --days 90 --json", "by three months, for another program"],
  ],
  options: REPORTED,
  schema: result,
  run: (args, context) =>
    withReports(args, context, "dmarc advise", async (reported) => {
      const advice = await adviceFrom(reported);
      const [next] = advice.steps;
      const failing = advice.repairs.some((one) => one.reason !== "spf-only");
      return {
        exit: failing ? EXIT.not : next !== undefined && next.safe === undefined ? EXIT.undetermined : EXIT.ok,
        result: {
          domain: reported.domain,
          policy: advice.policy,
          from: dayText(reported.from),
          to: dayText(reported.to),
          repairs: advice.repairs.map((one) => ({ ...one, service: one.service ?? null })),
          steps: advice.steps.map((step) => ({
            ...step,
            safe: step.safe ?? null,
            stops: step.stops.map((one) => ({ ...one, service: one.service ?? null })),
          })),
          unusedIncludes: [...advice.unusedIncludes],
        },
      };
    }),
  present({ domain, policy: now, from, to, repairs, steps, unusedIncludes }, { style, width }) {
    const plain = displayName(domain as DomainName);
    const lines = [
      `${style.title(`Advice for ${plain}`)}, by what was reported from ${from} to ${to}; the policy today is p=${now}`,
    ];
    if (repairs.length > 0) lines.push("", "Set right first:");
    for (const [i, one] of repairs.entries())
      lines.push(
        wrap(
          `${i + 1}. ${style.strong(visible(one.source))}: ${visible(one.because)} (${one.messages.toLocaleString("en")} messages, ${percent(one.share, 1)} of its mail).`,
          width,
          "   ",
        ),
        `   ${style.command("→")} ${wrap(visible(one.remedy), width - 5, "     ")}.`,
      );
    for (const step of steps) {
      const verdict =
        step.safe === null ? style.careful("cannot be said yet") : step.safe ? style.good("safe now") : style.bad("not yet");
      lines.push("", wrap(`${style.strong(`p=${step.policy}`)}: ${verdict}, because ${visible(step.because)}.`, width, "  "));
      if (step.stops.length > 0)
        lines.push(
          wrap(
            `It would have stopped ${step.stops
              .slice(0, MAX_STOPS)
              .map(
                (one) =>
                  `${one.messages.toLocaleString("en")} of ${one.of.toLocaleString("en")} messages of ${one.ours ? "" : "unknown "}${visible(one.source)}`,
              )
              .join("; ")}${step.stops.length > MAX_STOPS ? `; and ${step.stops.length - MAX_STOPS} more` : ""}.`,
            width - 2,
            "  ",
          ),
        );
    }
    for (const include of unusedIncludes)
      lines.push(
        "",
        wrap(
          `Nothing came from the addresses of ${visible(include)}: take it out of the SPF record if the service is no longer used.`,
          width,
        ),
      );
    const step = steps.find((one) => one.safe === true);
    if (step !== undefined)
      lines.push(
        "",
        `Next: ${style.command(`zandrel dmarc compose ${plain} --policy ${step.policy} --reports-to dmarc@${plain} --write`)}`,
      );
    if (steps.length === 0)
      lines.push("", style.good("The policy is the strictest there is. Go on reading the reports: services change."));
    return `${lines.join("\n")}\n`;
  },
});
