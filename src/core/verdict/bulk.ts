import ipaddr from "ipaddr.js";
import { type Clause, clause } from "../clause/index.ts";
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
  readonly because: Clause;
}

/** Longest line of a message in octets, without its end (RFC 5322 section 2.1.1). */
const MAX_LINE = 998;

const DATE = /^(?:[A-Za-z]{3}, *)?\d{1,2} [A-Za-z]{3} \d{4} \d{2}:\d{2}(?::\d{2})? (?:[+-]\d{4}|[A-Za-z]{1,5})(?: *\(.*\))?$/;

/** Whether an address has a name that leads back to it (RFC 8499 “forward-confirmed reverse DNS”). */
export async function forwardConfirmedReverse(
  ip: string,
  lookup: Lookup,
): Promise<{ met: boolean | undefined; because: Clause }> {
  const address = ipaddr.process(ip);
  const reverse =
    address.kind() === "ipv4"
      ? `${address.toString().split(".").reverse().join(".")}.in-addr.arpa`
      : `${[...Buffer.from(address.toByteArray()).toString("hex")].reverse().join(".")}.ip6.arpa`;
  const answer = await lookup.ask(nameOf(reverse), "PTR");
  if (answer.kind === "failed")
    return { met: undefined, because: clause("bulk-reverse-unresolved", { ip, detail: answer.detail }) };
  if (answer.kind !== "found" || !isOfType(answer.set, "PTR")) return { met: false, because: clause("bulk-no-reverse", { ip }) };
  const normal = (text: string): string => ipaddr.process(text).toString();
  for (const { target } of answer.set.data.slice(0, 10)) {
    const back = await lookup.ask(target, address.kind() === "ipv4" ? "A" : "AAAA");
    if (back.kind === "failed")
      return { met: undefined, because: clause("bulk-back-unresolved", { target: target.slice(0, -1), detail: back.detail }) };
    if (back.kind === "found" && back.set.data.some((data) => normal((data as DataOf["A"]).address) === address.toString()))
      return { met: true, because: clause("bulk-reverse-right", { ip, target: target.slice(0, -1) }) };
  }
  return { met: false, because: clause("bulk-reverse-apart", { ip }) };
}

const requirement = (id: Requirement["id"], met: boolean | undefined, yes: Clause, no: Clause): Requirement => ({
  id,
  met,
  because: met === true ? yes : no,
});

const valuesOf = ({ header }: Verdict, name: string): string[] => fieldsNamed(header, name).map(fieldValue);

/** The fields that every message has once (RFC 5322 section 3.6). */
function fieldRequirements(verdict: Verdict): Requirement[] {
  const { header, authors } = verdict;
  const dates = valuesOf(verdict, "date");
  const ids = valuesOf(verdict, "message-id");
  return [
    requirement(
      "one-author",
      fieldsNamed(header, "from").length === 1 && authors.length === 1,
      clause("bulk-from-is", { address: authors[0]?.address ?? "" }),
      clause("bulk-from-names", { addresses: authors.length, fields: fieldsNamed(header, "from").length }),
    ),
    requirement(
      "date",
      dates.length === 1 && DATE.test((dates[0] as string).replace(/\s+/g, " ")),
      clause("bulk-date"),
      dates.length === 0
        ? clause("bulk-no-date")
        : dates.length > 1
          ? clause("bulk-several-dates", { dates: dates.length })
          : clause("bulk-bad-date"),
    ),
    requirement(
      "message-id",
      ids.length === 1 && /^<[^<>\s@]+@[^<>\s@]+>$/.test(ids[0] as string),
      clause("bulk-message-id"),
      ids.length === 0
        ? clause("bulk-no-message-id")
        : ids.length > 1
          ? clause("bulk-several-message-ids", { ids: ids.length })
          : clause("bulk-bad-message-id"),
    ),
  ];
}

/** Whether SPF, DKIM and a policy stand behind the author's domain. */
function alignmentRequirements({ dmarc }: Verdict): Requirement[] {
  const aligned = (by: "spf" | "dkim"): boolean =>
    dmarc.alignments.some((alignment) => alignment.by === by && alignment.aligned === true && alignment.passes);
  const unknown = (by: "spf" | "dkim"): boolean =>
    dmarc.alignments.some((candidate) => candidate.by === by && mayPass(candidate));
  const hasRecord = dmarc.each.length > 0 && dmarc.each.every((dmarcVerdict) => dmarcVerdict.policy !== undefined);
  return [
    requirement(
      "aligned-spf",
      aligned("spf") ? true : unknown("spf") ? undefined : false,
      clause("bulk-spf"),
      unknown("spf") ? clause("bulk-spf-unchecked") : clause("bulk-no-spf"),
    ),
    requirement(
      "aligned-dkim",
      aligned("dkim") ? true : unknown("dkim") ? undefined : false,
      clause("bulk-dkim"),
      unknown("dkim") ? clause("bulk-dkim-unchecked") : clause("bulk-no-dkim"),
    ),
    requirement(
      "dmarc-record",
      hasRecord ? true : dmarc.result === "temperror" ? undefined : false,
      clause("bulk-policy"),
      dmarc.result === "temperror" ? clause("bulk-policy-unresolved") : clause("bulk-no-policy"),
    ),
  ];
}

/** Whether one click unsubscribes, and a signature says that the sender means it (RFC 8058). */
function unsubscribeRequirements(verdict: Verdict): Requirement[] {
  const lists = valuesOf(verdict, "list-unsubscribe");
  const posts = valuesOf(verdict, "list-unsubscribe-post");
  const oneClick =
    lists.length === 1 &&
    /<\s*https:[^<>]+>/i.test(lists[0] as string) &&
    posts.length === 1 &&
    /^List-Unsubscribe=One-Click$/i.test(posts[0] as string);
  const signed = verdict.dkim.some(
    ({ result, signature }) =>
      result === "pass" &&
      signature?.signed.includes("list-unsubscribe") === true &&
      signature.signed.includes("list-unsubscribe-post"),
  );
  return [
    requirement("one-click", oneClick, clause("bulk-one-click"), clause("bulk-no-one-click")),
    requirement(
      "one-click-signed",
      oneClick ? signed : undefined,
      clause("bulk-one-click-signed"),
      oneClick ? clause("bulk-one-click-unsigned") : clause("bulk-one-click-none"),
    ),
  ];
}

/** What bulk senders are asked for, checked on one message (RFC 5322, RFC 8058 and the common rules of receivers). */
export async function bulkRequirements(verdict: Verdict, lookup: Lookup): Promise<Requirement[]> {
  const { envelope, body } = verdict;
  const reverse =
    envelope.ip === undefined
      ? { met: undefined, because: clause("bulk-address-unknown") }
      : await forwardConfirmedReverse(envelope.ip, lookup);
  return [
    ...fieldRequirements(verdict),
    ...alignmentRequirements(verdict),
    ...unsubscribeRequirements(verdict),
    { id: "reverse-dns", ...reverse },
    requirement(
      "encrypted",
      envelope.encrypted,
      clause("bulk-encrypted"),
      envelope.encrypted === undefined ? clause("bulk-encryption-unknown") : clause("bulk-unencrypted"),
    ),
    requirement(
      "line-length",
      body.longestLine <= MAX_LINE,
      clause("bulk-lines", { most: MAX_LINE }),
      clause("bulk-long-line", { octets: body.longestLine, most: MAX_LINE }),
    ),
  ];
}
