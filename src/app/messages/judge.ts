import { z } from "zod";
import type { DiscoveryWay } from "../../core/dmarc/index.ts";
import { Failure } from "../../core/failure.ts";
import type { Lookup } from "../../core/lookup/index.ts";
import { decodeWords, fieldsNamed, fieldValue } from "../../core/message/index.ts";
import {
  authenticationResults,
  bulkRequirements,
  type Envelope,
  judgeMessage,
  type SpfIdentity,
} from "../../core/verdict/index.ts";
import { count, type Style, visible, wrap } from "../../present/index.ts";
import type { StoredMessage } from "../../workspace/index.ts";
import { dkimJson, dkimLine, dkimShape, painted } from "./open.ts";

/** One message judged, in the shape and the words of every command that judges. */

const spfShape = z.object({
  result: z
    .enum(["none", "neutral", "pass", "fail", "softfail", "temperror", "permerror"])
    .nullable()
    .describe("null where the client's address or the sender is not known, so that nothing could be checked"),
  domain: z.string().nullable(),
  identity: z.enum(["mailfrom", "helo"]),
  mechanism: z.string().nullable(),
  because: z.string(),
});

const policy = z.enum(["none", "quarantine", "reject"]);

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
    domain: z.string().nullable().describe("the From domain"),
    record: z.string().nullable().describe("the domain whose record counts"),
    because: z.string(),
  }),
  alignment: z.array(
    z.object({
      by: z.enum(["spf", "dkim"]),
      domain: z.string(),
      passes: z.boolean(),
      aligned: z.boolean(),
      mode: z.enum(["relaxed", "strict"]),
    }),
  ),
  bulk: z.array(z.object({ id: z.string(), met: z.boolean().nullable(), because: z.string() })),
  remarks: z.array(z.string()),
  header: z.string().describe("the Authentication-Results field of RFC 8601"),
});
export type Judgement = z.output<typeof judgement>;

const HAPPENS: Readonly<Record<z.output<typeof policy>, string>> = {
  none: "The message is delivered as far as DMARC is concerned.",
  quarantine: "The message goes to the junk folder.",
  reject: "The message is refused.",
};

const MALFORMED =
  "Receivers usually refuse such a message: it must have one From field with an address, and a policy that can be read.";

const spfJson = ({ identity, domain, verdict }: SpfIdentity): z.output<typeof spfShape> => ({
  result: verdict?.result ?? null,
  domain: domain ?? null,
  identity,
  mechanism: verdict?.mechanism ?? null,
  because:
    verdict === undefined
      ? "the sending server's address or the return path is not known; give --ip, --helo and --mail-from"
      : (verdict.because ?? (verdict.mechanism === undefined ? "no term matches" : `the term ${verdict.mechanism} decides`)),
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
  const remarks = [
    ...(header.bareLf ? ["the lines of the file end without a carriage return; they are read as if it were there"] : []),
    ...(header.stray.length > 0
      ? [`${count(header.stray.length, "line")} of the header cannot be read: “${header.stray[0]?.slice(0, 40)}”`]
      : []),
    ...(body.hasNul ? ["the body holds NUL characters, which mail does not allow"] : []),
    ...(header.fields.some((one) => /[^\x00-\x7f]/.test(one.raw))
      ? ["the header holds characters outside ASCII; only receivers that know internationalized mail take it"]
      : []),
    ...(verdict.ignoredSignatures > 0 ? [`${count(verdict.ignoredSignatures, "further signature")} not looked at`] : []),
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
    alignment: dmarc.alignments.map(({ by, domain, passes, aligned, mode }) => ({ by, domain, passes, aligned, mode })),
    bulk: (await bulkRequirements(verdict, lookup)).map(({ id, met, because }) => ({ id, met: met ?? null, because })),
    remarks,
    header: authenticationResults(receiver, verdict).replaceAll("\r\n", "\n"),
  };
}

function aligned(one: Judgement, by: "spf" | "dkim", domain: string | null): string {
  const found = one.alignment.find((each) => each.by === by && each.domain === domain);
  if (found === undefined || one.dmarc.domain === null) return "";
  return found.aligned ? ", aligned with From" : `, not aligned with From (${found.mode})`;
}

export function presentOne(one: Judgement, style: Style, width: number): string {
  const { envelope, spf, dmarc } = one;
  const sender =
    envelope.mailFrom === null
      ? ""
      : envelope.mailFrom === ""
        ? ", empty return path"
        : `, return path ${visible(envelope.mailFrom)}`;
  const plain = (domain: string | null): string => visible(domain?.replace(/\.$/, "") ?? "an unknown domain");
  const row = (title: string, text: string): string => wrap(`${title.padEnd(9)}${text}`, width, " ".repeat(9));
  // What holds needs no line of its own.
  const open = one.bulk.filter(({ met }) => met !== true);
  const bulk = open.map(
    ({ met, because }) => `  ${met === null ? style.careful("?") : style.bad("✗")} ${wrap(visible(because), width - 4, "    ")}`,
  );
  return [
    style.title(visible(one.message)),
    row("From", visible(one.from ?? "nobody")),
    row("Subject", visible(one.subject ?? "none")),
    row(
      "Sent by",
      `${envelope.ip ?? "an unknown server"}${envelope.helo === null ? "" : ` (${visible(envelope.helo)})`}${sender}`,
    ),
    "",
    row(
      "SPF",
      `${painted(spf.result ?? "unknown", style)}  ${plain(spf.domain)}${aligned(one, "spf", spf.domain)}: ${visible(spf.because)}`,
    ),
    ...(one.dkim.length === 0 ? [row("DKIM", `${painted("none", style)}  the message is not signed`)] : []),
    ...one.dkim.map((each) => row("DKIM", dkimLine(each, style, aligned(one, "dkim", each.domain)))),
    row("DMARC", `${painted(dmarc.result, style)}  ${visible(dmarc.because)}`),
    "",
    style.strong(
      dmarc.result === "permerror" && dmarc.disposition === "none"
        ? MALFORMED
        : dmarc.result === "temperror"
          ? "It cannot be said what happens to the message."
          : HAPPENS[dmarc.disposition],
    ),
    ...one.remarks.map((remark) => style.quiet(wrap(`Note: ${visible(remark)}.`, width, "  "))),
    "",
    `Of what receivers ask of bulk senders, ${one.bulk.length - open.length} of ${one.bulk.length} hold${open.length === 0 ? "." : ":"}`,
    ...bulk,
    "",
    ...one.header.split("\n").map((line) => style.quiet(visible(line.replace(/^\t/, "  ")))),
    "",
  ].join("\n");
}
