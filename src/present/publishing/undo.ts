import type * as z from "zod";
import type { undoSchema } from "../../app/publishing/undo.ts";
import type { Layout } from "../layout.ts";
import { presentPublished } from "./publish.ts";

/** The result of {@link undo} for people. */
export function undoText({ undone, at }: z.output<typeof undoSchema>, context: Layout): string {
  return `${context.style.title("Undone.")} ${presentPublished(undone, at, context)}\n`;
}
