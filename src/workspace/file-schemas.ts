import * as z from "zod";
import { kitSchema } from "../core/kit/index.ts";
import { domainSchema, settingsSchema } from "./schema.ts";

/** JSON Schemas of the files people edit, for editors: `zandrel.yaml`, `domains/DOMAIN.yaml`, `kits/NAME.yaml`. */
export const fileSchemas = (): Readonly<Record<"zandrel" | "domain" | "kit", object>> => {
  const of = (schema: z.ZodType, title: string) => ({
    title,
    ...z.toJSONSchema(schema, { io: "input", unrepresentable: "any" }),
  });
  return {
    zandrel: of(settingsSchema, "zandrel.yaml: what Zandrel knows about the organisation"),
    domain: of(domainSchema, "domains/DOMAIN.yaml: one domain and what is asked for it"),
    kit: of(kitSchema, "kits/NAME.yaml: what a service always asks for"),
  };
};
