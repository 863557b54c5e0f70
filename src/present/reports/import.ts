import type { ImportReportsResult } from "../../app/reports/import.ts";
import { inWords } from "../clauses/index.ts";
import { count, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** The result of {@link importReports} for people. */
export function importReportsText(
  { taken, known, failures, messages, setAside }: ImportReportsResult,
  { style, width }: Layout,
): string {
  return [
    taken === 0 && failures > 0
      ? `No new daily report${known === 0 ? "" : `; ${known === 1 ? "1 report was" : `${known} reports were`} there already`}.`
      : taken === 0
        ? `No new report${known === 0 ? "" : `; ${known === 1 ? "1 was" : `${known} were`} there already`}.`
        : `${style.good(count(taken, "report"))} taken in, about ${messages.toLocaleString("en")} ${messages === 1 ? "message" : "messages"}${known === 0 ? "" : `; ${known === 1 ? "1 was" : `${known} were`} there already`}.`,
    ...(failures === 0
      ? []
      : [
          `${style.good(count(failures, "report"))} about ${failures === 1 ? "a single message" : "single messages"} that failed taken in.`,
        ]),
    ...setAside.map((one) =>
      wrap(`${style.careful("set aside")}  ${visible(one.file)}: ${visible(inWords(one.because))}.`, width, "  "),
    ),
    ...(taken + known + failures === 0
      ? []
      : taken === 0 && failures > 0
        ? [`Next: ${style.command("zandrel dmarc failures")} (which messages failed, and why)`]
        : [`Next: ${style.command("zandrel dmarc sources")} (who sends as you)`]),
    "",
  ].join("\n");
}
