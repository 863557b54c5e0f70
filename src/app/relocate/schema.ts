import * as z from "zod";
import { domainName, record, sentence, time } from "../shapes.ts";

export const unresolved = z.object({ name: domainName, type: z.string(), because: sentence });

export const relocateSchema = z.object({
  at: time,
  step: z.enum(["plan", "capture", "compare", "check"]),
  plan: z
    .object({
      moveAt: time.describe("when the name servers change"),
      possibleFrom: time.describe("the earliest moment for that"),
      unresolved: z.array(unresolved).describe("what could not be asked: the times may be longer because of it"),
      steps: z.array(
        z.object({
          code: z.enum([
            "lower-ttls",
            "copy",
            "share-keys",
            "add-ds",
            "delete-ds",
            "change-servers",
            "look",
            "enter-ds",
            "delete-old-ds",
            "switch-off",
          ]),
          earliest: time,
          latest: time.nullable().describe("null: it may wait"),
          ttl: z.number().nullable().describe("seconds for which what it changes is remembered"),
        }),
      ),
    })
    .nullable(),
  domain: domainName,
  newHost: z.string().nullable(),
  capture: z
    .object({
      file: z.string(),
      records: z.number(),
      whole: z.boolean().describe("whether every name of the zone is known: it was handed out, or lists its names"),
      because: sentence,
      otherHosts: z.array(z.string()).describe("keys of the workspace's other DNS hosts, one of which may be the new one"),
      leftOut: z
        .array(z.object({ name: domainName, type: z.string() }))
        .describe("pointers of the old host itself, which are not copied"),
      toOldHost: z
        .array(z.object({ name: domainName, type: z.string(), target: domainName }))
        .describe("records that are copied and lead to a machine of the old host, so that they may end with it"),
      unresolved: z.array(unresolved),
    })
    .nullable(),
  signatures: z
    .object({
      state: z
        .enum(["unsigned", "fits", "apart", "breaks", "waiting", "unknown"])
        .describe(
          "breaks: the DS records at the registrar fit no key of the new host; apart: they do, and the hosts do not publish each other's keys; waiting: they are gone, and may be remembered",
        ),
      dsTags: z.array(z.number()),
      keyTags: z.array(z.number()),
      ttl: z
        .number()
        .nullable()
        .describe("seconds for which resolvers remember the DS records; where apart, the old host's keys"),
      until: time.nullable(),
    })
    .nullable()
    .describe("with compare and check: whether a signed domain survives the change of name servers"),
  compare: z
    .object({
      ready: z.boolean(),
      same: z.number(),
      differences: z.array(
        z.object({
          kind: z.enum(["missing", "extra", "differs", "ttl"]),
          name: domainName,
          type: z.string(),
          old: z.array(record),
          new: z.array(record),
        }),
      ),
      unresolved: z.array(unresolved),
    })
    .nullable(),
  check: z
    .object({
      state: z.enum(["not-yet", "half", "moved", "over"]),
      because: sentence,
      oldHostUntil: time.nullable(),
      host: z
        .enum(["same", "to-change", "changed"])
        .describe(
          "whether the domain's file names the new host: to-change where the domain moved and the file does not say so yet",
        ),
      vantages: z.array(z.object({ vantage: z.string(), sees: z.enum(["new", "old", "unknown"]), until: time.nullable() })),
    })
    .nullable(),
});

export type RelocateResult = z.output<typeof relocateSchema>;
