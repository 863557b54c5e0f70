import * as z from "zod";
import type { Unsaid } from "../../core/template/index.ts";
import { type AppContext, type CommonRequest, type Outcome, onlyOperand } from "../context.ts";
import { kitToShow } from "./read.ts";

/** What one of the two formats has no words for. */
export const unsaidShape = z.object({
  code: z.enum([
    "flattened-alias",
    "redirect",
    "variable-in-number",
    "unknown-key",
    "record-type",
    "field-missing",
    "order",
    "later",
    "pattern",
    "before",
    "notes",
    "policy",
    "provider",
    "purpose",
    "explain",
  ] satisfies readonly Unsaid["code"][]),
  at: z.string().describe("the record, ask, input or key that it concerns"),
});

export const kitCheckSchema = z.object({
  file: z.string(),
  form: z.enum(["kit", "template"]).describe("a kit of Zandrel, or a template of the open set-up format"),
  service: z.string(),
  title: z.string(),
  asks: z.array(z.object({ id: z.string(), purpose: z.string(), records: z.number() })),
  inputs: z.array(z.string()),
  unsaid: z.array(unsaidShape).describe("what a kit has no words for, where it is a template"),
  signed: z.string().nullable().describe("where the key is published with which links to a DNS host have to be signed"),
  byGrantOnly: z.boolean().describe("whether a DNS host may only apply it by a grant"),
});
export type KitCheckResult = z.output<typeof kitCheckSchema>;

/** What {@link checkKitFile} is asked. */
export interface KitCheckRequest extends CommonRequest {}

/** Read a kit or a template as `intake` would, and say what is in it. */
export async function checkKitFile(request: KitCheckRequest, context: AppContext): Promise<Outcome<KitCheckResult>> {
  const given = onlyOperand(request);
  const { kit, template, unsaid } = await kitToShow(given, request, context);
  return {
    ended: "fine",
    result: {
      file: given,
      form: template === undefined ? "kit" : "template",
      service: kit.service,
      title: kit.title,
      asks: kit.asks.map(({ id, purpose, records, spf, dmarc }) => ({
        id,
        purpose,
        records:
          records.split("\n").filter((line) => line.trim() !== "").length +
          [spf, dmarc].filter((candidate) => candidate !== undefined).length,
      })),
      inputs: Object.keys(kit.inputs),
      unsaid: unsaid.map((one) => ({ ...one })),
      signed: kit.template?.syncPubKeyDomain ?? null,
      byGrantOnly: kit.template?.syncBlock === true,
    },
  };
}
