import * as z from "zod";
import { PURPOSES } from "../../core/ask/index.ts";
import { REST, SHOWN_BY } from "../../core/ask/intake/index.ts";
import { domainName, record } from "../shapes.ts";

/** What `intake --json` prints. */
export const intakeSchema = z.object({
  before: z.array(z.string()).describe("what has to be done at the service first"),
  later: z.array(z.string()).describe("asks of the kit that need inputs the service shows later"),
  written: z.boolean(),
  already: z.string().nullable().describe("the ask that holds the same already, so that nothing was saved"),
  newerThan: z
    .array(z.string())
    .describe("asks of the same service that this looks like a newer version of; --instead-of replaces one"),
  layout: z.string().nullable(),
  redirectTo: domainName.nullable().describe("where the page redirects the whole domain to; its file says so once it is written"),
  pasted: z
    .array(
      z.object({
        type: z.string().nullable(),
        host: z.string().nullable(),
        value: z.string().nullable(),
        evidence: z
          .object({ type: z.enum(SHOWN_BY), host: z.enum(SHOWN_BY), value: z.enum(SHOWN_BY) })
          .describe(
            "what shows each field: a label, its place in a row, marks around it, a form that only such fields have, a name of the domain; value: the type follows from the value; assumed: such a record has one place",
          ),
      }),
    )
    .describe("what each record understood was pasted as, in their order; empty for a kit"),
  asks: z.array(
    z.object({
      id: z.string(),
      service: z.string(),
      purpose: z.enum(PURPOSES),
      domain: domainName,
      records: z.array(record),
      spf: z.string().nullable().describe("the terms for the SPF record, without its end"),
      spfEnd: z
        .string()
        .nullable()
        .describe("what the page's own record says of everyone else, such as ~all; it counts where there is no record yet"),
      dmarc: z.string().nullable(),
    }),
  ),
  passedOver: z
    .array(z.object({ name: domainName, text: z.string(), because: z.string(), meant: z.string().nullable() }))
    .describe("what receivers pass over in a record that they take otherwise, and what may be meant"),
  repairs: z.array(z.object({ kind: z.string(), was: z.string(), is: z.string(), because: z.string() })),
  questions: z.array(
    z.object({ id: z.string(), question: z.string(), choices: z.array(z.object({ key: z.string(), meaning: z.string() })) }),
  ),
  problems: z
    .array(z.object({ code: z.string(), because: z.string(), remedy: z.string() }))
    .describe("with --explain: why something of the page cannot be saved; without it the command ends with the first one"),
  leftover: z
    .array(z.object({ text: z.string(), line: z.number() }))
    .describe("what looks like a part of a record and was not understood, with its line"),
  remove: z.array(record).describe("records that the page says to remove"),
  nameServers: z.array(domainName).describe("name servers that the page says to switch to; never saved as records"),
  forwards: z
    .array(
      z.object({
        from: z.string(),
        to: z.string(),
        permanent: z.boolean().nullable().describe("null where the page does not say"),
      }),
    )
    .describe("web addresses that the page says to forward"),
  web: z
    .array(
      z.discriminatedUnion("kind", [
        z.object({ kind: z.literal("meta"), name: z.string(), content: z.string() }),
        z.object({ kind: z.literal("file"), url: z.string(), text: z.string() }),
      ]),
    )
    .describe("proofs on the web: a tag for a page, or a file"),
  page: z
    .array(
      z.object({
        line: z.number(),
        text: z.string(),
        taken: z.array(z.object({ text: z.string(), as: z.string() })).describe("the parts that are fields of records"),
        rest: z.enum(REST).describe("what the rest of the line was taken for"),
      }),
    )
    .nullable()
    .describe("with --explain: the page line by line; null otherwise"),
  elsewhere: z
    .array(
      z.object({ domain: domainName, type: z.string().nullable(), host: z.string().nullable(), value: z.string().nullable() }),
    )
    .describe("rows for another domain of the workspace, left out here"),
});
export type IntakeJson = z.output<typeof intakeSchema>;
