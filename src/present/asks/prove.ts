import type { ProveResult, VERDICTS } from "../../app/asks/prove.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { deadline, STATE_MARK, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";
import { lossLines } from "../publishing/losses.ts";

type Verdict = (typeof VERDICTS)[number];

/** The result of {@link prove} for people. */
export function proveText({ asks, at, lost }: ProveResult, layout: Layout): string {
  const { style, width } = layout;
  if (asks.length === 0) return `Nothing has been asked for yet. Next: ${style.command("zandrel intake")}\n`;
  const now = at;
  const mark: Readonly<Record<Verdict, string>> = {
    proven: STATE_MARK.proven ?? "",
    found: STATE_MARK.settled ?? "",
    astray: "!",
    absent: "○",
    unknown: "?",
  };
  return `${asks
    .map((ask) => {
      const lines = [
        `${style.state(ask.verdict, `${mark[ask.verdict]} ${ask.verdict}`)}  ${style.title(ask.id)}  ${style.quiet(displayName(ask.domain))}`,
        `  ${wrap(visible(inWords(ask.because)), width - 2, "  ")}`,
      ];
      // What the service itself says stands beside what was found out about it.
      if (ask.asked.answer === "not-yet") lines.push(`  ${wrap(visible(inWords(ask.asked.reason)), width - 2, "  ")}`);
      ask.causes.forEach((cause, i) => {
        // A cause that is the whole of what was found is not said twice.
        const label = cause.kind === "sick-server" ? "besides" : i === 0 ? "cause" : "or";
        if (inWords(cause.because) !== inWords(ask.because))
          lines.push(`  ${label}: ${wrap(visible(inWords(cause.because)), width - 11, "         ")}`);
        lines.push(`  ${style.careful("do:")} ${wrap(visible(inWords(cause.remedy)), width - 6, "      ")}`);
      });
      if (
        ask.verdict !== "proven" &&
        ask.asked.answer !== "not-yet" &&
        ask.causes.length === 0 &&
        ask.asked.reason.clause !== "nothing"
      )
        lines.push(`  ${wrap(visible(inWords(ask.asked.reason)), width - 2, "  ")}`);
      if (ask.verdict === "astray")
        lines.push(`  next, once that is mended: ${style.command(`zandrel prove ${withoutRootDot(ask.domain)}/${ask.id}`)}`);
      if (ask.verdict === "absent") lines.push(`  next: ${style.command(`zandrel draft ${withoutRootDot(ask.domain)}`)}`);
      if (ask.verdict === "found" && ask.state === "settled" && ask.visibleBy !== null && ask.visibleBy > now)
        lines.push(
          `  ask not before ${style.strong(deadline(ask.visibleBy, now))}; next: ${style.command(`zandrel watch ${withoutRootDot(ask.domain)} --until proven`)}`,
        );
      if (ask.verdict === "found" && ask.state === "spreading" && ask.visibleBy !== null)
        lines.push(
          `  everyone sees it by ${style.strong(deadline(ask.visibleBy, now))} at the latest; next: ${style.command(`zandrel watch ${withoutRootDot(ask.domain)} --until proven`)}`,
        );
      return lines.join("\n");
    })
    .join("\n\n")}\n${lost.length === 0 ? "" : `\n${lossLines(lost, layout).join("\n")}\n`}`;
}
