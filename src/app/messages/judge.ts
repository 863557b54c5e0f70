import * as z from "zod";
import { isVerified, type Sealed } from "../../core/arc/index.ts";
import { type Clause, clause } from "../../core/clause/index.ts";
import type { DiscoveryWay } from "../../core/dmarc/index.ts";
import { decodeWords } from "../../core/encoded-word.ts";
import { Failure } from "../../core/failure.ts";
import type { Lookup } from "../../core/lookup/index.ts";
import { fieldsNamed, fieldValue } from "../../core/message/index.ts";
import type { DomainName } from "../../core/name/index.ts";
import {
  authenticationResults,
  bulkRequirements,
  type Envelope,
  type Forwarded,
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

const sealedShape = z.object({ result: z.enum(["pass", "fail", "temperror"]), because: sentence.nullable() });

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
  arc: z
    .object({
      result: z
        .enum(["pass", "fail", "temperror"])
        .describe("what the chain is worth; temperror where a key could not be asked for"),
      because: sentence.describe("who saw it proven, who changed it, and what that means for the message"),
      oldestPass: z.number().describe("the oldest set from which on every signature holds today; 0 where all do"),
      provenAt: z.number().nullable().describe("the set whose handler saw the message proven"),
      changedAt: z.number().nullable().describe("the set before whose seal the message was changed"),
      trusted: z.boolean().nullable().describe("whether the receiver trusts its sealers; null where nobody said whom it trusts"),
      delivers: z.boolean().describe("whether the message is delivered in spite of DMARC because of it"),
      sets: z.array(
        z.object({
          instance: z.number(),
          sealer: domainName.describe("the domain that sealed it"),
          selector: z.string(),
          cv: z.enum(["none", "pass", "fail"]).describe("what it found of the chain before it"),
          sealedAt: z.string().nullable(),
          seal: sealedShape.nullable().describe("null where the chain is broken in its form, and nothing was verified"),
          signature: sealedShape.nullable().describe("its signature against the message as it is now"),
          saw: z
            .object({
              receiver: z.string(),
              results: z.array(
                z.object({ method: z.string(), result: z.string(), properties: z.record(z.string(), z.string()) }),
              ),
            })
            .describe("what it saw when the message arrived"),
        }),
      ),
    })
    .nullable()
    .describe("what those who forwarded it say (ARC); null where nobody sealed it"),
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

/** Times beyond what a date can say. */
const LAST_SECOND = 8_640_000_000_000;

function arcJson({ chain, because, provenAt, changedAt, trusted, overrides }: Forwarded): Judgement["arc"] {
  return {
    result: chain.result === "none" ? "fail" : chain.result,
    because,
    oldestPass: chain.oldestPass,
    provenAt: provenAt?.instance ?? null,
    changedAt: changedAt?.instance ?? null,
    trusted: trusted ?? null,
    delivers: overrides,
    sets: chain.sets.map((set) => {
      const { instance, seal, results } = set;
      const shown = ({ result, because }: Sealed) => ({ result, because: because ?? null });
      return {
        instance,
        sealer: seal.domain,
        selector: seal.selector,
        cv: seal.cv,
        sealedAt:
          seal.sealedAt === undefined || seal.sealedAt > LAST_SECOND ? null : new Date(seal.sealedAt * 1000).toISOString(),
        seal: isVerified(set) ? shown(set.sealed) : null,
        signature: isVerified(set) ? shown(set.signed) : null,
        saw: {
          receiver: results.authserv,
          results: results.results.map(({ method, result, properties }) => ({
            method,
            result,
            properties: Object.fromEntries(properties),
          })),
        },
      };
    }),
  };
}

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
  {
    envelope,
    hop,
    how,
    receiver,
    trustedSealers,
  }: { envelope: Envelope; hop?: number; how: DiscoveryWay; receiver: string; trustedSealers?: readonly DomainName[] },
  lookup: Lookup,
  now: number,
): Promise<Judgement> {
  const judged = await judgeMessage(source, {
    envelope,
    lookup,
    now,
    how,
    ...(hop === undefined ? {} : { hop }),
    ...(trustedSealers === undefined ? {} : { trustedSealers }),
  });
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
    arc: verdict.forwarded === undefined ? null : arcJson(verdict.forwarded),
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
