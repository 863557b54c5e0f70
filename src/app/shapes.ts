import * as z from "zod";
import { type Clause, verbatim } from "../core/clause/index.ts";
import { DAY_MS } from "../core/day.ts";
import type { DomainName } from "../core/name/index.ts";
import { type RecordSet, setJson } from "../core/record/index.ts";

/** Shapes that several results share. A result is typed by what a schema reads, and `--json` is what the schema writes. */

/** A moment: milliseconds since 1970 in a result, RFC 3339 in JSON. */
export const time = z.codec(z.iso.datetime(), z.number(), {
  decode: (text) => Date.parse(text),
  encode: (at) => new Date(at).toISOString(),
});

/** A day: its number since 1970 in a result, YYYY-MM-DD (UTC) in JSON. */
export const day = z.codec(z.iso.date(), z.number(), {
  decode: (text) => Date.parse(text) / DAY_MS,
  encode: (number) => new Date(number * DAY_MS).toISOString().slice(0, 10),
});

/** A domain name: absolute, lower case, with the final dot; the same in JSON. */
export const domainName = z.codec(z.string(), z.custom<DomainName>(), {
  decode: (text) => text as DomainName,
  encode: (name) => name,
});

/** What there is to say, by its code in a result; in JSON, where it comes in words already, a text. */
export const sentence = z.codec(z.string(), z.custom<Clause>(), {
  decode: (text) => verbatim(text),
  encode: (clause) => clause as unknown as string,
});

export const record = z.object({
  name: domainName.describe("absolute, lower case, with the final dot"),
  type: z.string(),
  ttl: z.number().describe("seconds"),
  data: z
    .union([z.string(), z.record(z.string(), z.unknown())])
    .describe("text for A, AAAA, CNAME, NS, PTR and the joined TXT; an object for the others"),
});

/** A record set in a result, the list of its records in JSON; undefined is a set that is not there. */
export const recordSet = z.codec(z.array(record), z.custom<RecordSet | undefined>(), {
  decode: () => {
    throw new Error("results are written as JSON, and never read back");
  },
  encode: (set) => setJson(set),
});

export const cause = z.object({ kind: z.string(), at: z.string(), because: sentence, remedy: sentence });

/** Something that a sheet did not say to touch, and that is gone or changed. */
export const loss = z.object({
  ...{ domain: domainName, name: domainName, type: z.string() },
  records: z.array(record).describe("what is missing"),
  now: z.array(record).describe("what took their place; empty where they were deleted"),
});
