import { z } from "zod";
import { undoSchema } from "../../app/publishing/undo.ts";
import { type View } from "../view.ts";
import { presentPublished } from "../../cli/commands/publish.ts";

/** The result of {@link undo} for people. */
export function undoText({ undone, at }: z.output<typeof undoSchema>, context: View): string { return `${context.style.title("Taken back.")} ${presentPublished(undone, Date.parse(at), context)}\n`; }

