import type { DmarcFailuresResult } from "../../app/reports/failures.ts";
import { distinct } from "../../core/distinct.ts";
import type { AuthFailure, Delivery } from "../../core/failure-report/index.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { listOf } from "../english.ts";
import { columns, count, dayText, moment, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** What a check that failed means, as the end of “because …”. */
const WHY: Readonly<Record<AuthFailure, string>> = {
  bodyhash: "its text was changed on the way",
  signature: "its signature does not fit: the header was changed on the way, or another key made it",
  revoked: "the key of its signature was revoked",
  spf: "the server that sent it is not one that SPF allows",
  dmarc: "nothing that passed belongs to the domain in From",
  adsp: "it has no signature of the domain in From",
  other: "the receiver does not say in a form that is known",
};

const CHECK: Readonly<Record<AuthFailure, string>> = {
  bodyhash: "DKIM, text changed",
  signature: "DKIM, signature does not fit",
  revoked: "DKIM, key revoked",
  spf: "SPF",
  dmarc: "DMARC, nothing aligned",
  adsp: "DKIM, not signed",
  other: "not said",
};

const FATE: Readonly<Record<Delivery, string>> = {
  delivered: "it was delivered",
  spam: "it went to the junk folder",
  policy: "it was held back",
  reject: "it was refused",
  other: "what became of it is not said",
};

const whose = (source: string | null): string => visible(source ?? "a server that no daily report names");

type Case = DmarcFailuresResult["cases"][number];

/** One message that failed: when, from where, and what is known of the reason. */
function caseText(one: Case, { style, width }: Layout): string {
  const {
    at,
    receiver,
    ip,
    source,
    envelope,
    signer,
    selector,
    failure,
    delivery,
    spf,
    changed,
    count: times,
    author,
    subject,
  } = one;
  const who = [
    ...(ip === null ? [] : [`from ${ip} (${whose(source)})`]),
    ...(envelope === null ? [] : [`return path at ${displayName(envelope)}`]),
    ...(signer === null ? [] : [`signed by ${displayName(signer)}${selector === null ? "" : `, selector ${visible(selector)}`}`]),
  ];
  const fields = changed.map(({ field, what, was, is }) => {
    if (what === "added") return `${visible(field)} was added${is === null ? "" : ` (${visible(is)})`}`;
    if (what === "missing") return `${visible(field)} is missing${was === null ? "" : ` (it was ${visible(was)})`}`;
    return was === null || is === null
      ? `${visible(field)} was changed`
      : `${visible(field)} was “${visible(was)}” when it was signed and came as “${visible(is)}”`;
  });
  const lines = [
    `${style.strong(moment(at, 0))}  ${visible(receiver)}${times > 1 ? `, ${count(times, "message")}` : ""}: ${WHY[failure]}${delivery === null ? "" : `; ${FATE[delivery]}`}`,
    ...(author === null && subject === null ? [] : [`${visible(author ?? "")}  “${visible(subject ?? "")}”`]),
    ...(who.length === 0 ? [] : [`${who.join(", ")}`]),
    ...(fields.length === 0 ? [] : [`In the header, ${listOf(fields)}.`]),
    ...(spf === null || failure !== "spf" ? [] : [`The receiver saw the SPF record ${visible(spf)}`]),
  ];
  return lines.map((line, i) => `${i === 0 ? "  " : "    "}${wrap(line, width - 4, "    ")}`).join("\n");
}

/** The result of {@link dmarcFailures} for people. */
export function dmarcFailuresText(
  { domain, from, to, messages, receivers, sums, cases, more }: DmarcFailuresResult,
  layout: Layout,
): string {
  const { style, width } = layout;
  const plain = withoutRootDot(domain);
  const rows = sums.map(({ source, failure, messages: each, refused }) => [
    each.toLocaleString("en").padStart(9),
    refused.toLocaleString("en").padStart(8),
    CHECK[failure],
    whose(source),
  ]);
  const own = distinct(sums.filter(({ ours }) => ours === true).map(({ source }) => whose(source)));
  const verdict =
    own.length > 0
      ? `${listOf(own)} ${own.length === 1 ? "sends" : "send"} for you, and not all of it is proven: start there.`
      : sums.some(({ ours }) => ours === null)
        ? "Nobody who is known to send for you failed; who the others are, the daily reports say once they are imported."
        : "Nobody who is known to send for you failed: this is mail of others, or mail that was forwarded.";
  return [
    `${style.title(`What failed as ${displayName(domain)}`)}, ${dayText(from)} to ${dayText(to)}: ${count(messages, "message")}, reported by ${listOf(receivers.slice(0, 5).map(visible))}${receivers.length > 5 ? ` and ${receivers.length - 5} more` : ""}`,
    "",
    ...columns([[" messages", "stopped", "by which check", "who sent it"], ...rows], (cell, _, row) =>
      row === 0 ? style.quiet(cell) : cell,
    ),
    "",
    wrap(verdict, width),
    ...(cases.length === 0 ? [] : ["", ...cases.map((one) => caseText(one, layout))]),
    ...(more === 0 ? [] : [style.quiet(`  ${count(more, "case")} more: --cases ${cases.length + more} shows all of them`)]),
    "",
    `Next: ${style.command(own.length > 0 ? `zandrel audit ${plain}` : `zandrel dmarc sources ${plain}`)}`,
    "",
  ].join("\n");
}
