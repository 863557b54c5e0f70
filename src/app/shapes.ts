import * as z from "zod";
import { type Clause, verbatim } from "../core/clause/index.ts";
import { DAY_MS } from "../core/day.ts";
import { ACTS, PARTIES, STANDINGS, VERDICTS } from "../core/judgement/index.ts";
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
/** How a domain stands, the same in every command that says so. */
export const judgement = z.object({
  domain: domainName,
  verdict: z
    .enum(VERDICTS)
    .describe(
      "done: everything asked for is met and nothing is lost; spreading: only time is left; open: something is to be done",
    ),
  pieces: z.array(
    z.object({
      ask: z.string(),
      is: z.enum(STANDINGS),
      until: time.nullable().describe("when everyone sees it at the latest, where that is still to come"),
      act: z.enum(ACTS).describe("what brings it on"),
      by: z.enum(PARTIES).describe("who can do that"),
    }),
  ),
  lost: z.number().describe("how much that stood there before, and is still needed, is gone or was changed"),
});

export const loss = z.object({
  ...{ domain: domainName, name: domainName, type: z.string() },
  records: z.array(record).describe("what is missing"),
  now: z.array(record).describe("what took their place; empty where they were deleted"),
});
