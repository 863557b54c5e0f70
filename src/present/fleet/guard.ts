import type { GuardResult } from "../../app/fleet/guard.ts";
import type { Notice, NoticeWording } from "../../app/fleet/notify.ts";
import type { NoticeKind, WatchedKind } from "../../core/guard/index.ts";
import { displayName } from "../../core/name/index.ts";
import { inWords, isCommand } from "../clauses/index.ts";
import { errorSentence } from "../failures/index.ts";
import { count, type Layout, moment, visible, wrap } from "../index.ts";
import { sourceName } from "../source-names.ts";

/** What a watched thing is called in a sentence. */
const THING: Readonly<Record<WatchedKind, (subject: string) => string>> = {
  file: (subject) => `the file of ${subject}`,
  look: (subject) => `the look at ${subject}`,
  proof: (subject) => `the ask ${subject}`,
  records: (subject) => `what stood at ${subject} beside what was published`,
  site: (subject) => `the site (${subject})`,
  certificate: (subject) => `the certificate of ${subject}`,
  signatures: () => "the DNSSEC signatures",
  delegation: () => "the name servers at the registrar",
  ds: () => "the DNSSEC record (DS) at the registrar",
  spf: () => "the SPF record",
  addresses: (subject) => `the addresses of ${subject} in the SPF record`,
  senders: () => "the list of known senders",
  include: (subject) => `${subject} in the SPF record`,
  sender: (subject) => `the sender ${sourceName(subject)}`,
  reports: () => "the DMARC reports",
  events: (subject) => `the events of ${subject}`,
};

/** What happened to it. */
const HAPPENED: Readonly<Record<NoticeKind, string>> = {
  lapsed: "not right any more",
  recovered: "right again",
  "ends-soon": "about to end",
  changed: "changed",
  "new-sender": "new, and not known here",
};

const thing = ({ watched, subject }: Pick<Notice, "watched" | "subject">): string => visible(THING[watched](subject));
const ARE: ReadonlySet<WatchedKind> = new Set(["signatures", "delegation", "addresses", "reports", "events"]);

/** What a notice says, as a clause. */
export function noticeClause({
  notice,
  watched,
  subject,
  because,
}: Pick<Notice, "notice" | "watched" | "subject" | "because">): string {
  const verb = notice === "changed" ? (ARE.has(watched) ? "have" : "has") : ARE.has(watched) ? "are" : "is";
  return `${thing({ watched, subject })} ${verb} ${HAPPENED[notice]}: ${visible(inWords(because))}`;
}

/** A notice as one sentence. */
const noticeSentence = (notice: Notice): string => `${displayName(notice.domain)}: ${noticeClause(notice)}.`;

/** The step that mends something, as it is shown; a notice of good news has none. */
const stepOf = ({ next, notice }: Pick<Notice, "next" | "notice">): string =>
  next.clause === "nothing" || notice === "recovered"
    ? ""
    : isCommand(next)
      ? `Next: ${visible(inWords(next))}`
      : `To do: ${visible(inWords(next))}.`;

/** How many notices of each kind there are, in one line. */
function headline(notices: readonly Notice[]): string {
  const lapsed = notices.filter(({ notice }) => notice === "lapsed");
  const domains = [...new Set((lapsed.length > 0 ? lapsed : notices).map(({ domain }) => displayName(domain)))];
  const where = domains.length > 2 ? `${domains.length} domains` : domains.join(" and ");
  if (lapsed.length > 0) return `${count(lapsed.length, "thing")} not in order any more: ${where}`;
  return notices.every(({ notice }) => notice === "recovered")
    ? `In order again: ${where}`
    : `${count(notices.length, "change")}: ${where}`;
}

/** How notices are worded for mail, programs and posts. */
export const NOTICE_WORDING: NoticeWording = {
  headline: (notices) => visible(headline(notices)),
  sentence: noticeSentence,
  words: inWords,
  failure: (failure) => errorSentence(failure).replace(/\.$/, ""),
  text: (notices, now) =>
    `${notices
      .map((one) => {
        const step = stepOf(one);
        return `${wrap(`${noticeSentence(one)} Seen ${moment(one.at, now)}.`, 76)}\n${step === "" ? "" : `${step}\n`}`;
      })
      .join("\n")}\n-- \nzandrel guard looks at everything that was proven. Each change is told once.\n`,
};

const MARK: Readonly<Record<NoticeKind, string>> = {
  lapsed: "✗",
  recovered: "✓",
  "ends-soon": "!",
  changed: "!",
  "new-sender": "!",
};

/** Things that are named in a summary. */
const MAX_SHOWN = 5;

/** What one look of the guard came to: what changed, and what is still not in order. */
export function guardText({ notices, told, waiting, domains, at }: GuardResult, { style, width }: Layout): string {
  const paint = (notice: NoticeKind) => (notice === "lapsed" ? style.bad : notice === "recovered" ? style.good : style.careful);
  const lines = notices.map((one) => {
    const step = stepOf(one);
    return `${paint(one.notice)(MARK[one.notice])} ${wrap(noticeSentence(one), width - 2, "  ")}\n${step === "" ? "" : `  ${style.command(wrap(step, width - 2, "  "))}\n`}`;
  });
  const watched = domains.reduce((sum, one) => sum + one.watched, 0);
  const isTold = (domain: string, what: { watched: WatchedKind; subject: string }) =>
    notices.some(
      (candidate) => candidate.domain === domain && candidate.watched === what.watched && candidate.subject === what.subject,
    );
  const bad = domains.flatMap((one) =>
    one.bad.filter((what) => !isTold(one.domain, what)).map((what) => `${displayName(one.domain)}: ${thing(what)}`),
  );
  const isInOrder = domains.every((candidate) => candidate.bad.length === 0);
  const more = bad.length > MAX_SHOWN ? ` and ${bad.length - MAX_SHOWN} more` : "";
  const next = Math.min(...domains.map(({ nextLook }) => nextLook));
  const unknown = domains.flatMap((one) => one.unknown.map((what) => ({ domain: one.domain, ...what })));
  const open = unknown
    .slice(0, MAX_SHOWN)
    .map((one) =>
      style.careful(
        wrap(
          `? ${displayName(one.domain)}: ${thing(one)} could not be looked at: ${visible(inWords(one.because))}.`,
          width,
          "  ",
        ),
      ),
    );
  const standing =
    unknown.length === watched && watched > 0
      ? "; none of them could be looked at"
      : !isInOrder
        ? ""
        : unknown.length === 0
          ? ", and all of them are in order"
          : ", and all that could be looked at are in order";
  const sent = told.map((one) =>
    wrap(
      one.told
        ? `${style.good("told")}  ${visible(inWords(one.way))}: ${visible(inWords(one.because))}.`
        : `${style.bad("not told")}  ${visible(inWords(one.way))}: ${visible(inWords(one.because))}. It is tried again at the next look.`,
      width,
      "  ",
    ),
  );
  return [
    ...lines,
    ...(notices.length === 0 ? ["Nothing changed."] : []),
    ...open,
    ...(unknown.length > open.length
      ? [style.careful(`? and ${unknown.length - open.length} more could not be looked at.`)]
      : []),
    ...sent,
    ...(waiting === 0
      ? []
      : [`${count(waiting, "notice")} ${waiting === 1 ? "waits" : "wait"} to be told (quiet hours, or it did not work).`]),
    ...(bad.length === 0
      ? []
      : [wrap(`${notices.length === 0 ? "Still" : "Also"} not in order: ${bad.slice(0, MAX_SHOWN).join("; ")}${more}.`, width)]),
    `${count(watched, "thing")} watched in ${count(domains.length, "domain")}${standing}. Look again at ${moment(next, at)}.`,
    "",
  ].join("\n");
}
