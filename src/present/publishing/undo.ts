import type * as z from "zod";
import type { undoSchema } from "../../app/publishing/undo.ts";
import { displayName } from "../../core/name/index.ts";
import { printData, type RecordSet } from "../../core/record/index.ts";
import type { SetChange } from "../../core/zone/index.ts";
import { allOf } from "../english.ts";
import { visible } from "../index.ts";
import type { Layout } from "../layout.ts";
import { missedText, presentPublished } from "./publish.ts";

/** The result of {@link undo} for people. */
export function undoText({ undone, changes, at, restored, lost }: z.output<typeof undoSchema>, context: Layout): string {
  const { style } = context;
  // What a person still has to type is not done yet.
  const title = undone?.sheet.length === 0 ? "Undone." : "To take it back, enter this.";
  if (undone !== null) {
    const back = restored.length === 0 ? "" : `\n${allOf(restored, "is", "are")} among the asks of the domain again.`;
    return `${style.title(title)} ${presentPublished(undone, at, context, "take-back")}${back}${missedText(lost, context)}\n`;
  }
  const asks = restored.length === 0 ? "" : `  ${allOf(restored, "comes", "come")} back to the asks of the domain.\n`;
  return `${reversalText(changes)}${asks}Nothing was changed, because of --dry-run.\n`;
}

/** What taking a publication back does to each set. */
export const reversalText = (changes: readonly Pick<SetChange, "name" | "type" | "before" | "after">[]): string =>
  changes
    .flatMap(({ name, type, before, after }) => {
      const ttls = before !== undefined && after !== undefined && before.ttl !== after.ttl;
      const ttlOf = ({ ttl }: RecordSet) => (ttls ? ` (TTL ${ttl} s)` : "");
      const lines = (set: RecordSet | undefined, sign: string) =>
        set?.data.map((data) => `    ${sign} ${visible(printData(type, data))}${ttlOf(set)}\n`) ?? [];
      return [`  ${displayName(name)}  ${type}\n`, ...lines(before, "-"), ...lines(after, "+")];
    })
    .join("");
