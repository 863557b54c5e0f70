import type * as z from "zod";
import type { adviseSchema } from "../../app/reports/advise.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { count, dayText, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";
import { sourceName } from "../source-names.ts";
import { percent } from "./sources.ts";

/** Sources named in full behind a step. */
const MAX_STOPS = 5;

/** What receivers did with mail by today's policy. */
function doneText({ quarantine, reject }: z.output<typeof adviseSchema>["done"]): string {
  const parts = [
    ...(quarantine > 0 ? [`put ${count(quarantine, "message")} into the junk folder`] : []),
    ...(reject > 0 ? [`refused ${count(reject, "message")}`] : []),
  ];
  return `In this time receivers ${parts.length === 0 ? "stopped nothing" : parts.join(" and ")} because of your policy.`;
}

/** The result of {@link advise} for people. */
export function adviseText(
  { domain, policy: now, from, to, repairs, unexplained, done, steps, unusedIncludes }: z.output<typeof adviseSchema>,
  { style, width }: Layout,
): string {
  const own = withoutRootDot(domain);
  const lines = [
    `${style.title(`Advice for ${displayName(domain)}`)}, from the reports of ${dayText(from)} to ${dayText(to)}`,
    wrap(`The policy (what receivers do with mail that fails) is p=${now} today. ${doneText(done)}`, width),
  ];
  if (repairs.length > 0) lines.push("", "Fix first:");
  for (const [i, one] of repairs.entries())
    lines.push(
      wrap(
        `${i + 1}. ${style.strong(visible(sourceName(one.source)))}: ${visible(inWords(one.because))} (${one.messages.toLocaleString("en")} messages, ${percent(one.share, 1)} of its mail).`,
        width,
        "   ",
      ),
      `   ${style.command("→")} ${wrap(visible(inWords(one.remedy)), width - 5, "     ")}.`,
    );
  if (unexplained.length > 0) lines.push("", "Find out whether these are yours:");
  for (const one of unexplained.slice(0, MAX_STOPS))
    lines.push(wrap(`- ${style.strong(visible(sourceName(one.source)))}: ${visible(inWords(one.because))}.`, width, "  "));
  if (unexplained.length > MAX_STOPS) lines.push(`  and ${count(unexplained.length - MAX_STOPS, "more source")}`);
  for (const step of steps) {
    const verdict =
      step.safe === null ? style.careful("cannot be said yet") : step.safe ? style.good("safe now") : style.bad("not yet");
    lines.push(
      "",
      wrap(
        `${style.strong(`p=${step.policy}`)}: ${verdict}${step.safe === false && step.because.clause === "advice-not-at-once" ? ":" : ", because"} ${visible(inWords(step.because))}.`,
        width,
        "  ",
      ),
    );
    if (step.stops.length > 0)
      lines.push(
        wrap(
          `It would have stopped ${step.stops
            .slice(0, MAX_STOPS)
            .map(
              (stop) =>
                `${stop.messages.toLocaleString("en")} of ${stop.of.toLocaleString("en")} messages of ${stop.ours ? "" : "unknown "}${visible(sourceName(stop.source))}`,
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
  const compose = (policy: string, more = ""): string =>
    style.command(`zandrel dmarc compose ${own} --policy ${policy} --reports-to dmarc@${own}${more} --write`);
  const safe = steps.find((candidate) => candidate.safe === true);
  const [first] = steps;
  if (safe !== undefined) lines.push("", `Next: ${compose(safe.policy)}`);
  else if (first !== undefined && unexplained.length > 0 && first.safe === null)
    lines.push(
      "",
      "Next: ask the people who send mail for you about these. What is yours becomes a service:",
      `  ${style.command("zandrel intake --add-service")}`,
      "If nothing of it is yours, go on:",
      `  ${compose(first.policy, " --force")}`,
    );
  if (steps.length === 0)
    lines.push("", style.good("The policy is the strictest there is. Go on reading the reports: services change."));
  return `${lines.join("\n")}\n`;
}
