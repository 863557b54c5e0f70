import * as z from "zod";
import { type Clause, clause } from "../../core/clause/index.ts";
import type { DiscoveryWay } from "../../core/dmarc/index.ts";
import { decodeWords } from "../../core/encoded-word.ts";
import { Failure } from "../../core/failure.ts";
import type { Lookup } from "../../core/lookup/index.ts";
import { fieldsNamed, fieldValue } from "../../core/message/index.ts";
import {
  authenticationResults,
  bulkRequirements,
  type Envelope,
  judgeMessage,
  type SpfIdentity,
} from "../../core/verdict/index.ts";
import type { StoredMessage } from "../../workspace/index.ts";
import { domainName, sentence } from "../shapes.ts";
import { dkimJson, dkimShape } from "./open.ts";

/** One message judged, in the shape and the words of every command that judges. */

const spfShape = z.object({
  result: z
    .enum(["none", "neutral", "pass", "fail", "softfail", "temperror", "permerror"])
    .nullable()
    .describe("null where the client's address or the sender is not known, so that nothing could be checked"),
  domain: domainName.nullable(),
  identity: z.enum(["mailfrom", "helo"]),
  mechanism: z.string().nullable(),
  because: sentence,
});

export const policy = z.enum(["none", "quarantine", "reject"]);

export const judgement = z.object({
  message: z.string().describe("the file, or the number in its mailbox"),
  from: z.string().nullable(),
  subject: z.string().nullable(),
  envelope: z.object({ ip: z.string().nullable(), helo: z.string().nullable(), mailFrom: z.string().nullable() }),
  spf: spfShape,
  helo: spfShape.nullable().describe("the HELO identity, where it was checked beside the sender's"),
  dkim: z.array(dkimShape).describe("in the order of the signatures from top to bottom"),
  dmarc: z.object({
    result: z.enum(["none", "pass", "fail", "temperror", "permerror"]),
    policy: policy.nullable().describe("what the domain asks for; null where no record applies"),
    disposition: policy.describe("what happens to the message; none is delivery"),
    domain: domainName.nullable().describe("the From domain"),
    record: z.string().nullable().describe("the domain whose record counts"),
    because: sentence,
  }),
  alignment: z.array(
    z.object({
      by: z.enum(["spf", "dkim"]),
      domain: domainName,
      passes: z.boolean(),
      aligned: z.boolean().nullable().describe("null where it could not be asked whether the two domains belong together"),
      mode: z.enum(["relaxed", "strict"]),
    }),
  ),
  bulk: z.array(z.object({ id: z.string(), met: z.boolean().nullable(), because: sentence })),
  remarks: z.array(sentence),
  header: z.string().describe("the Authentication-Results field of RFC 8601"),
});
export type Judgement = z.output<typeof judgement>;

const spfJson = ({ identity, domain, verdict }: SpfIdentity): z.output<typeof spfShape> => ({
  result: verdict?.result ?? null,
  domain: domain ?? null,
  identity,
  mechanism: verdict?.mechanism ?? null,
  because:
    verdict === undefined
      ? clause("message-envelope-unknown")
      : (verdict.because ??
        (verdict.mechanism === undefined ? clause("spf-no-match") : clause("spf-decides", { mechanism: verdict.mechanism }))),
});

export async function judgeOne(
  { title, source }: StoredMessage,
  { envelope, hop, how, receiver }: { envelope: Envelope; hop?: number; how: DiscoveryWay; receiver: string },
  lookup: Lookup,
  now: number,
): Promise<Judgement> {
  const judged = await judgeMessage(source, { envelope, lookup, now, how, ...(hop === undefined ? {} : { hop }) });
  if (!judged.ok) throw new Failure("not-a-message", { title, because: judged.error.message });
  const verdict = judged.value;
  const { header, dmarc, authors, body } = verdict;
  const [subject] = fieldsNamed(header, "subject").map(fieldValue);
  const remarks: Clause[] = [
    ...(header.bareLf ? [clause("message-line-ends")] : []),
    ...(header.stray.length > 0
      ? [clause("message-stray-lines", { lines: header.stray.length, first: header.stray[0]?.slice(0, 40) })]
      : []),
    ...(body.hasNul ? [clause("message-nul")] : []),
    ...(header.fields.some((field) => /[^\x00-\x7f]/.test(field.raw)) ? [clause("message-not-ascii")] : []),
    ...(verdict.ignoredSignatures > 0
      ? [clause("message-signatures-ignored", { ignoredSignatures: verdict.ignoredSignatures })]
      : []),
  ];
  return {
    message: title,
    from:
      authors.length === 0
        ? null
        : authors.map(({ display, address }) => (display === "" ? address : `${display} <${address}>`)).join(", "),
    subject: subject === undefined ? null : decodeWords(subject),
    envelope: {
      ip: verdict.envelope.ip ?? null,
      helo: verdict.envelope.helo ?? null,
      mailFrom: verdict.envelope.mailFrom ?? null,
    },
    spf: spfJson(verdict.spf),
    helo: verdict.helo === undefined ? null : spfJson(verdict.helo),
    dkim: verdict.dkim.map(dkimJson),
    dmarc: {
      result: dmarc.result,
      policy: dmarc.policy ?? null,
      disposition: dmarc.disposition,
      domain: dmarc.domain ?? null,
      record: dmarc.each[0]?.discovery.at ?? null,
      because: dmarc.because,
    },
    alignment: dmarc.alignments.map(({ by, domain, passes, aligned, mode }) => ({
      by,
      domain,
      passes,
      aligned: aligned ?? null,
      mode,
    })),
    bulk: (await bulkRequirements(verdict, lookup)).map(({ id, met, because }) => ({ id, met: met ?? null, because })),
    remarks,
    header: authenticationResults(receiver, verdict).replaceAll("\r\n", "\n"),
  };
}
