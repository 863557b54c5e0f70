import type * as z from "zod";
import type { retireSchema } from "../../app/asks/retire.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";
import { missedText, presentPublished } from "../publishing/publish.ts";

/** The result of {@link retire} for people. */
export function retireText(
  { ask, domain, written, removals, stays, published: carried, at, lost }: z.output<typeof retireSchema>,
  context: Layout,
): string {
  const { style, width } = context;
  const gone = removals.map(({ name, type, before, after }) => {
    const left = new Set(after.map((one) => JSON.stringify(one.data)));
    const lines = before
      .filter((candidate) => !left.has(JSON.stringify(candidate.data)))
      .map(
        (one) =>
          `    ${style.removed(`- ${visible(typeof one.data === "string" ? one.data : Object.values(one.data).join(" "))}`)}`,
      );
    const came = after
      .filter((candidate) => !before.some((other) => JSON.stringify(other.data) === JSON.stringify(candidate.data)))
      .map((one) => `    ${style.added(`+ ${visible(String(one.data))}`)}`);
    return [`  ${displayName(name)}  ${type}`, ...lines, ...came].join("\n");
  });
  const kept = stays.map(
    (stay) =>
      `  ${style.careful("stays")}  ${displayName(stay.name)}  ${stay.type}  ${visible(inWords(stay.data))}\n         ${wrap(visible(inWords(stay.because)), width - 9, "         ")}`,
  );
  const title = `${style.title(ask)}  ${style.quiet(displayName(domain))}`;
  const none = removals.length === 0 ? ["  no record goes"] : [];
  const end = written
    ? `${style.good("Retired.")} Its entry was removed from the domain's file. Next: ${style.command(`zandrel status ${withoutRootDot(domain)}`)}`
    : `Nothing was changed, because of --dry-run. Next: ${style.command(`zandrel retire ${withoutRootDot(domain)}/${ask}`)}`;
  return `${[title, ...gone, ...none, ...kept].join("\n")}\n${carried === null ? "" : `${presentPublished(carried, at, context, "take-back")}\n`}${end}${missedText(lost, context)}\n`;
}
