import type { SpfTestResult } from "../../app/mail/spf-test.ts";
import { clause } from "../../core/clause/index.ts";
import { MAX_LOOKUPS } from "../../core/spf/index.ts";
import { inWords } from "../clauses/index.ts";
import { columns, count, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

const OUTCOME = { matches: "matches", "no-match": "does not match", "goes-on": "goes on there" } as const;

/** The result of {@link spfTest} for people. */
export function spfTestText(
  { identity, ip, result: verdict, because, explanation, lookups, voidLookups, trace, header }: SpfTestResult,
  { style, width }: Layout,
): string {
  const paint =
    verdict === "pass"
      ? style.good
      : verdict === "temperror"
        ? style.careful
        : verdict === "neutral" || verdict === "none"
          ? style.careful
          : style.bad;
  const rows = columns(
    trace.map((one) => [`${"  ".repeat(one.depth)}${visible(one.domain)}`, visible(one.term), OUTCOME[one.outcome]]),
  );
  const narration = explanation === null ? [] : [`The domain tells such senders: ${visible(explanation)}`];
  return [
    `${paint(verdict)}  ${style.title(visible(identity))} from ${ip}`,
    wrap(`${inWords(clause("spf-verdict", { result: verdict }))}: ${visible(inWords(because))}.`, width),
    ...narration,
    ...(rows.length === 0 ? [] : ["", ...rows.map((row) => `  ${row}`), ""]),
    `${count(lookups, "lookup")} of at most ${MAX_LOOKUPS}, ${voidLookups} of 2 empty lookups.`,
    style.quiet(visible(inWords(header))),
    "",
  ].join("\n");
}
