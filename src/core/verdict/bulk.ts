import ipaddr from "ipaddr.js";
import { mayPass } from "../dmarc/index.ts";
import type { Lookup } from "../lookup/index.ts";
import { fieldsNamed, fieldValue } from "../message/index.ts";
import { name as nameOf } from "../name/index.ts";
import { type DataOf, isOfType } from "../record/index.ts";
import type { Verdict } from "./judge.ts";

/** One thing receivers ask of those who send much mail. `met` is undefined where it cannot be said. */
export interface Requirement {
  readonly id:
    | "one-author"
    | "date"
    | "message-id"
    | "aligned-spf"
    | "aligned-dkim"
    | "dmarc-record"
    | "one-click"
    | "one-click-signed"
    | "reverse-dns"
    | "encrypted"
    | "line-length";
  readonly met: boolean | undefined;
  /** Half a sentence for people: what was found. */
  readonly because: string;
}

/** Longest line of a message in octets, without its end (RFC 5322 section 2.1.1). */
const MAX_LINE = 998;

const DATE = /^(?:[A-Za-z]{3}, *)?\d{1,2} [A-Za-z]{3} \d{4} \d{2}:\d{2}(?::\d{2})? (?:[+-]\d{4}|[A-Za-z]{1,5})(?: *\(.*\))?$/;

/** Whether an address has a name that leads back to it (RFC 8499 “forward-confirmed reverse DNS”). */
export async function forwardConfirmedReverse(
  ip: string,
  lookup: Lookup,
): Promise<{ met: boolean | undefined; because: string }> {
  const address = ipaddr.process(ip);
  const reverse =
    address.kind() === "ipv4"
      ? `${address.toString().split(".").reverse().join(".")}.in-addr.arpa`
      : `${[...Buffer.from(address.toByteArray()).toString("hex")].reverse().join(".")}.ip6.arpa`;
  const answer = await lookup.ask(nameOf(reverse), "PTR");
  if (answer.kind === "failed") return { met: undefined, because: `the name of ${ip} could not be asked: ${answer.detail}` };
  if (answer.kind !== "found" || !isOfType(answer.set, "PTR")) return { met: false, because: `${ip} has no name in the DNS` };
  const normal = (text: string): string => ipaddr.process(text).toString();
  for (const { target } of answer.set.data.slice(0, 10)) {
    const back = await lookup.ask(target, address.kind() === "ipv4" ? "A" : "AAAA");
    if (back.kind === "failed") return { met: undefined, because: `${target.slice(0, -1)} could not be asked: ${back.detail}` };
    if (back.kind === "found" && back.set.data.some((data) => normal((data as DataOf["A"]).address) === address.toString()))
      return { met: true, because: `${ip} is ${target.slice(0, -1)}, and that name leads back to it` };
  }
  return { met: false, because: `the name of ${ip} does not lead back to it` };
}

/** What bulk senders are asked for, checked on one message (RFC 5322, RFC 8058 and the common rules of receivers). */
export async function bulkRequirements(verdict: Verdict, lookup: Lookup): Promise<Requirement[]> {
  const { header, authors, dmarc, dkim, envelope, body } = verdict;
  const all = (name: string): string[] => fieldsNamed(header, name).map(fieldValue);
  const aligned = (by: "spf" | "dkim"): boolean =>
    dmarc.alignments.some((one) => one.by === by && one.aligned === true && one.passes);
  const unknown = (by: "spf" | "dkim"): boolean => dmarc.alignments.some((one) => one.by === by && mayPass(one));
  const requirement = (id: Requirement["id"], met: boolean | undefined, yes: string, no: string): Requirement => ({
    id,
    met,
    because: met === true ? yes : no,
  });
  const dates = all("date");
  const ids = all("message-id");
  const lists = all("list-unsubscribe");
  const posts = all("list-unsubscribe-post");
  const oneClick =
    lists.length === 1 &&
    /<\s*https:[^<>]+>/i.test(lists[0] as string) &&
    posts.length === 1 &&
    /^List-Unsubscribe=One-Click$/i.test(posts[0] as string);
  const signed = dkim.some(
    ({ result, signature }) =>
      result === "pass" &&
      signature?.signed.includes("list-unsubscribe") === true &&
      signature.signed.includes("list-unsubscribe-post"),
  );
  const reverse =
    envelope.ip === undefined
      ? { met: undefined, because: "the sending server's address is not known" }
      : await forwardConfirmedReverse(envelope.ip, lookup);
  const hasRecord = dmarc.each.length > 0 && dmarc.each.every((one) => one.policy !== undefined);
  return [
    requirement(
      "one-author",
      fieldsNamed(header, "from").length === 1 && authors.length === 1,
      `From is ${authors[0]?.address}`,
      `From names ${authors.length} addresses in ${fieldsNamed(header, "from").length} fields, and must name one in one`,
    ),
    requirement(
      "date",
      dates.length === 1 && DATE.test((dates[0] as string).replace(/\s+/g, " ")),
      "there is one valid Date",
      dates.length === 0
        ? "there is no Date"
        : dates.length > 1
          ? `there are ${dates.length} Dates`
          : "the Date is not written as mail wants it",
    ),
    requirement(
      "message-id",
      ids.length === 1 && /^<[^<>\s@]+@[^<>\s@]+>$/.test(ids[0] as string),
      "there is one valid Message-ID",
      ids.length === 0
        ? "there is no Message-ID"
        : ids.length > 1
          ? `there are ${ids.length} Message-IDs`
          : "the Message-ID is not of the form <…@…>",
    ),
    requirement(
      "aligned-spf",
      aligned("spf") ? true : unknown("spf") ? undefined : false,
      "SPF passes for the From domain",
      unknown("spf") ? "SPF could not be checked" : "SPF does not pass for the From domain",
    ),
    requirement(
      "aligned-dkim",
      aligned("dkim") ? true : unknown("dkim") ? undefined : false,
      "DKIM passes for the From domain",
      unknown("dkim") ? "DKIM could not be checked" : "DKIM does not pass for the From domain",
    ),
    requirement(
      "dmarc-record",
      hasRecord ? true : dmarc.result === "temperror" ? undefined : false,
      "the From domain has a DMARC record",
      dmarc.result === "temperror" ? "the DMARC record could not be asked for" : "the From domain has no usable DMARC record",
    ),
    requirement(
      "one-click",
      oneClick,
      "one click unsubscribes",
      "List-Unsubscribe with an https address and “List-Unsubscribe-Post: List-Unsubscribe=One-Click” are needed in newsletters",
    ),
    requirement(
      "one-click-signed",
      oneClick ? signed : undefined,
      "both unsubscribe fields are signed",
      oneClick
        ? "the unsubscribe fields are not covered by a signature that passes"
        : "there is no one-click unsubscribe to sign",
    ),
    { id: "reverse-dns", ...reverse },
    requirement(
      "encrypted",
      envelope.encrypted,
      "the last hop was encrypted",
      envelope.encrypted === undefined ? "the message does not say whether it came encrypted" : "the last hop was not encrypted",
    ),
    requirement(
      "line-length",
      body.longestLine <= MAX_LINE,
      `no line is longer than ${MAX_LINE} octets`,
      `a line has ${body.longestLine} octets, and ${MAX_LINE} are allowed`,
    ),
  ];
}
