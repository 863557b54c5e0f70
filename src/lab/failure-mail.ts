import { randomBytes } from "node:crypto";
import { DAY } from "../core/day.ts";
import { canonicalField, signedFields } from "../core/dkim/index.ts";
import type { DmarcRecord } from "../core/dmarc/index.ts";
import type { DomainName } from "../core/name/index.ts";
import type { Verdict } from "../core/verdict/index.ts";
import type { Arrival } from "./mail-host.ts";

/** What failed, in the words of RFC 6591 section 3.2.1. */
function failureOf({ dkim, spf }: Verdict): { readonly kind: string; readonly signature: Verdict["dkim"][number] | undefined } {
  const signature = dkim.find(({ result }) => result !== "pass");
  if (signature?.reason === "body-changed" || signature?.reason === "body-cut") return { kind: "bodyhash", signature };
  if (signature?.reason === "revoked") return { kind: "revoked", signature };
  if (signature !== undefined) return { kind: "signature", signature };
  return { kind: spf.verdict?.result === "fail" || spf.verdict?.result === "softfail" ? "spf" : "dmarc", signature: undefined };
}

/** Whether a record wants a report about a message (RFC 7489 section 6.3, `fo`). */
function wantsFailureReport({ failureOptions }: DmarcRecord, { dmarc, dkim, spf }: Verdict): boolean {
  const aligned = (by: "spf" | "dkim") => dmarc.alignments.some((one) => one.by === by && one.aligned && one.passes);
  return failureOptions.some((option) =>
    option === "1"
      ? !aligned("spf") || !aligned("dkim")
      : option === "d"
        ? dkim.some(({ result }) => result !== "pass")
        : option === "s"
          ? spf.verdict?.result !== "pass"
          : dmarc.result === "fail",
  );
}

/** The report about one message that failed (RFC 6591), as a mail to one address; the message is left out, its header is not. */
function failureMail(
  to: string,
  arrival: Arrival,
  verdict: Verdict,
  { boundary, now }: { readonly boundary: string; readonly now: number },
): string {
  const { ip, mailFrom, octets } = arrival;
  const { dmarc, header } = verdict;
  const { kind, signature } = failureOf(verdict);
  const when = new Date(now).toUTCString().replace("GMT", "+0000");
  const aligned = dmarc.alignments.flatMap((one) => (one.aligned === true && one.passes ? [one.by] : []));
  const signed = signature?.signature;
  const hashed =
    signed === undefined
      ? ""
      : signedFields(header.fields, signed.signed, signed.field)
          .flatMap((one) => (one === undefined ? [] : [`${canonicalField(one, "relaxed")}\r\n`]))
          .join("");
  const fields = [
    "Feedback-Type: auth-failure",
    "User-Agent: mallowmail/1",
    "Version: 1",
    `Original-Mail-From: <${mailFrom}>`,
    `Arrival-Date: ${when}`,
    `Source-IP: ${ip}`,
    `Reported-Domain: ${dmarc.domain?.slice(0, -1) ?? ""}`,
    "Reporting-MTA: dns; mx.mallowmail.example",
    `Auth-Failure: ${kind}`,
    `Identity-Alignment: ${aligned.length === 0 ? "none" : aligned.join(", ")}`,
    `Delivery-Result: ${{ none: "delivered", quarantine: "spam", reject: "reject" }[dmarc.disposition]}`,
    ...(signature?.domain === undefined
      ? []
      : [`DKIM-Domain: ${signature.domain.slice(0, -1)}`, `DKIM-Selector: ${signature.selector ?? ""}`]),
    ...(hashed === ""
      ? []
      : [`DKIM-Canonicalized-Header: ${Buffer.from(hashed, "latin1").toString("base64").replace(/.{70}/g, "$&\r\n ")}`]),
  ].join("\r\n");
  const head = octets.toString("latin1").split("\r\n\r\n")[0] ?? "";
  const part = (type: string, text: string) => `--${boundary}\r\nContent-Type: ${type}\r\n\r\n${text}\r\n`;
  return [
    `From: failures@mallowmail.example\r\nTo: ${to}\r\nSubject: a message from ${dmarc.domain?.slice(0, -1) ?? "nobody"} was not proven\r\nDate: ${when}\r\nMessage-ID: <${boundary}@mallowmail.example>\r\nMIME-Version: 1.0\r\nContent-Type: multipart/report; report-type=feedback-report; boundary=${boundary}\r\n\r\n`,
    part("text/plain", "A message that names your domain was not proven. What was found is below, and its header."),
    part("message/feedback-report", `${fields}\r\n`),
    part("text/rfc822-headers", `${head}\r\n`),
    `--${boundary}--\r\n`,
  ].join("");
}

/** Reports about single messages that one domain gets a day. */
const MOST_A_DAY = 5;

/** What a receiver needs in order to tell others of messages that failed. */
interface Telling {
  readonly now: () => number;
  /** The address that a record names for reports; undefined where nobody takes them there. */
  readonly takerOf: (uri: DmarcRecord["failure"][number], domain: DomainName) => Promise<string | undefined>;
  readonly send: (to: string, octets: Buffer) => Promise<unknown>;
}

/** Tells those whom a record names of messages that failed, a few a day and domain. */
export function failureTeller({ now, takerOf, send }: Telling): (verdict: Verdict, arrival: Arrival) => Promise<void> {
  const told = new Map<string, number>();
  return async (verdict, arrival) => {
    const found = verdict.dmarc.each[0]?.discovery;
    if (found?.at === undefined || found.record === undefined || !wantsFailureReport(found.record, verdict)) return;
    const key = `${Math.floor(now() / 1000 / DAY)} ${found.at}`;
    if ((told.get(key) ?? 0) >= MOST_A_DAY) return;
    told.set(key, (told.get(key) ?? 0) + 1);
    for (const uri of found.record.failure) {
      const to = await takerOf(uri, found.at);
      if (to === undefined) continue;
      const text = failureMail(to, arrival, verdict, { boundary: `f${randomBytes(12).toString("hex")}`, now: now() });
      await send(to, Buffer.from(text, "latin1"));
    }
  };
}
