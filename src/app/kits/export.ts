import { existsSync } from "node:fs";
import { resolve } from "node:path";
import * as z from "zod";
import { Failure } from "../../core/failure.ts";
import { templateOfKit, templateSchema } from "../../core/template/index.ts";
import { replaceFile } from "../../workspace/index.ts";
import { type AppContext, type CommonRequest, type Outcome, onlyOperand } from "../context.ts";
import { unsaidShape } from "./check.ts";
import { kitToShow } from "./read.ts";

export const kitExportSchema = z.object({
  kit: z.string(),
  file: z.string().nullable().describe("where the template was written; null where it was only shown"),
  template: templateSchema,
  unsaid: z.array(unsaidShape).describe("what a template has no words for"),
});
export type KitExportResult = z.output<typeof kitExportSchema>;

/** What {@link exportKit} is asked. */
export interface KitExportRequest extends CommonRequest {
  readonly file: string | undefined;
  readonly force: boolean;
}

/** Make a template of the open set-up format from a kit. */
export async function exportKit(request: KitExportRequest, context: AppContext): Promise<Outcome<KitExportResult>> {
  const given = onlyOperand(request);
  const { kit } = await kitToShow(given, request, context);
  const { template, unsaid } = templateOfKit(kit);
  const { file } = request;
  if (file !== undefined) {
    const path = resolve(context.cwd, file);
    if (existsSync(path) && !request.force) throw new Failure("file-there", { path: file, what: "template" });
    replaceFile(path, `${JSON.stringify(template, null, 2)}\n`);
  }
  return { ended: "fine", result: { kit: given, file: file ?? null, template, unsaid: unsaid.map((one) => ({ ...one })) } };
}
