import type { SpfFlattenResult } from "../../app/mail/spf-flatten.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { count, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** The result of {@link spfFlatten} for people. */
export function spfFlattenText(
  { domain, before, sources, lines, lookups, remembered, ask, saved }: SpfFlattenResult,
  { style, width }: Layout,
): string {
  return [
    style.title(`A shorter way for ${displayName(domain)}: ${count(lookups.before, "lookup")} become ${lookups.after}`),
    `${style.removed("today")}  ${visible(before)}`,
    ...sources.map((source) =>
      wrap(`${visible(source.term)} stands for ${source.addresses.map((address) => address.slice(4)).join(", ")}`, width, "  "),
    ),
    "",
    ask === null ? "Publish in its place:" : "What it becomes:",
    ...lines.map((line) => style.added(visible(line))),
    "",
    ...(lookups.after > lookups.limit
      ? [
          style.bad(
            wrap(
              `Still over the limit: ${lookups.after} lookups are needed, and receivers stop at ${lookups.limit}. zandrel spf combine ${withoutRootDot(domain)} names every way under it.`,
              width,
            ),
          ),
        ]
      : []),
    ...(saved === null || ask === null
      ? []
      : [
          ...(saved === "changed" ? ["This differs from the last time: these are the addresses of today."] : []),
          `${style.good(saved === "same" ? "already saved" : "saved")}  ${ask}`,
          `Next: ${style.command(`zandrel draft ${withoutRootDot(domain)}`)}, then publish.`,
        ]),
    style.careful(
      wrap(
        remembered
          ? "The service may move to other addresses without telling anybody. What this was made from is remembered: run zandrel audit now and then; it says so, and the same command with --write then builds it again."
          : "The service may move to other addresses without telling anybody, and mail then fails. With --remember zandrel audit says when that happens.",
        width,
      ),
    ),
    "",
  ].join("\n");
}
