import type { SpfCombineResult } from "../../app/mail/spf-combine.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { count, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** The result of {@link spfCombine} for people. */
export function spfCombineText(
  { domain, before, others, after, lookups, added, dropped, unresolved, options: ways }: SpfCombineResult,
  { style, width }: Layout,
): string {
  const plain = displayName(domain as never);
  const over = lookups.after > lookups.limit;
  const least = unresolved.length > 0 ? "at least " : "";
  const cost = (text: string, number: number | null): string => (number === null ? "" : `  ${text}${count(number, "lookup")}`);
  return [
    style.title(`SPF record for ${plain}`),
    `${style.removed("today")}  ${before === null ? "none" : visible(before)}${style.quiet(cost("", lookups.before))}`,
    ...others.map(
      (other) =>
        `${style.removed("today")}  ${visible(other)}  ${style.quiet("(a second record; with two, receivers use none)")}`,
    ),
    `${over ? style.bad("new") : style.added("new")}    ${visible(after)}${style.quiet(cost(least, lookups.after))}`,
    ...added.map((one) => `${style.added("+")} ${visible(one)}`),
    ...dropped.map((one) =>
      wrap(`${style.quiet("−")} ${visible(one.text)}: left out, because ${visible(inWords(one.because))}`, width, "  "),
    ),
    ...(unresolved.length === 0
      ? []
      : [style.careful(`Could not be followed: ${unresolved.map(visible).join(", ")}; the cost may be higher.`)]),
    ...(over
      ? [
          style.bad(
            wrap(
              `Not like this: ${lookups.after} lookups are needed and receivers stop at ${lookups.limit}, which breaks all mail of the domain. Options, the cheapest first:`,
              width,
            ),
          ),
          ...ways.map((way) => wrap(`  saves ${way.saves}: ${visible(inWords(way.what))}`, width, "  ")),
        ]
      : before === after && others.length === 0
        ? ["Nothing changes: the record has it all already."]
        : others.length > 0
          ? [
              wrap(
                `Next: at the DNS host, leave one SPF record at ${plain} with the new text, and delete the ${count(others.length, "other")}.`,
                width,
              ),
            ]
          : [
              wrap(
                `Next: save with ${style.command("zandrel intake")} what no ask wants yet; ${style.command(`zandrel draft ${withoutRootDot(domain as never)}`)} then shows the change, and zandrel publish carries it out.`,
                width,
              ),
            ]),
    "",
  ].join("\n");
}
