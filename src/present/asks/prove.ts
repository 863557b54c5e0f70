import { VERDICTS, type ProveResult } from "../../app/asks/prove.ts";
import { type View } from "../view.ts";
import { STATE_MARK, wrap, visible, deadline } from "../index.ts";
import { displayName, type DomainName } from "../../core/name/index.ts";
import { cause, withoutRootDot } from "../../app/shapes.ts";

type Verdict = (typeof VERDICTS)[number];

/** The result of {@link prove} for people. */
export function proveText({ asks, at }: ProveResult, { style, width }: View): string {
    if (asks.length === 0) return `Nothing was asked yet. Next: ${style.command("zandrel intake")}\n`;
    const now = Date.parse(at);
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
          `${style.state(ask.verdict, `${mark[ask.verdict]} ${ask.verdict}`)}  ${style.title(ask.id)}  ${style.quiet(displayName(ask.domain as DomainName))}`,
          `  ${wrap(visible(ask.because), width - 2, "  ")}`,
        ];
        ask.causes.forEach((one, i) => {
          lines.push(`  ${i === 0 ? "cause" : "or"}: ${wrap(visible(one.because), width - 9, "         ")}`);
          lines.push(`  ${style.careful("do:")} ${wrap(visible(one.remedy), width - 6, "      ")}`);
        });
        if (ask.verdict !== "proven" && ask.causes.length === 0 && ask.asked.reason !== "")
          lines.push(`  ${wrap(visible(ask.asked.reason), width - 2, "  ")}`);
        if (ask.verdict === "absent")
          lines.push(`  next: ${style.command(`zandrel draft ${withoutRootDot(ask.domain as DomainName)}`)}`);
        if (ask.verdict === "found" && ask.state === "spreading" && ask.visibleBy !== null)
          lines.push(
            `  everyone sees it by ${style.strong(deadline(Date.parse(ask.visibleBy), now))} at the latest; next: ${style.command(`zandrel watch ${withoutRootDot(ask.domain as DomainName)}`)}`,
          );
        return lines.join("\n");
      })
      .join("\n\n")}\n`;
  }

