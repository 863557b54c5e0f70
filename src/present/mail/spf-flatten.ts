import type { SpfFlattenResult } from "../../app/mail/spf-flatten.ts";
import { displayName } from "../../core/name/index.ts";
import { count, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** The result of {@link spfFlatten} for people. */
export function spfFlattenText(
  { domain, before, sources, lines, lookups, remembered }: SpfFlattenResult,
  { style, width }: Layout,
): string {
  return [
    style.title(`A shorter way for ${displayName(domain as never)}: ${count(lookups.before, "lookup")} become ${lookups.after}`),
    `${style.removed("today")}  ${visible(before)}`,
    ...sources.map((one) =>
      wrap(`${visible(one.term)} stands for ${one.addresses.map((address) => address.slice(4)).join(", ")}`, width, "  "),
    ),
    "",
    "Publish in its place:",
    ...lines.map((line) => style.added(visible(line))),
    "",
    style.careful(
      wrap(
        remembered
          ? "The service may move to other addresses without telling anybody. What this was made from is remembered: run zandrel audit now and then, it says so."
          : "The service may move to other addresses without telling anybody, and mail then fails. With --remember zandrel audit says when that happens.",
        width,
      ),
    ),
    "",
  ].join("\n");
}
