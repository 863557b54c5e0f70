import { z } from "zod";
import type { DomainName } from "../core/name/index.ts";

/** Shapes of `--json` that several commands share. */

export const record = z.object({
  name: z.string().describe("absolute, lower case, with the final dot"),
  type: z.string(),
  ttl: z.number().describe("seconds"),
  data: z
    .union([z.string(), z.record(z.string(), z.unknown())])
    .describe("text for A, AAAA, CNAME, NS, PTR and the joined TXT; an object for the others"),
});

export const cause = z.object({ kind: z.string(), at: z.string(), because: z.string(), remedy: z.string() });

/** The name as a person types it on a command line: A-labels, no final dot. */
export const withoutRootDot = (name: DomainName): string => (name === "." ? name : name.slice(0, -1));
