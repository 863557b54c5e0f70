import type { DetailOf, HistoryResult, Told } from "../../app/history/history.ts";
import { DAY } from "../../core/day.ts";
import { type DomainName, displayName, withoutRootDot } from "../../core/name/index.ts";
import { printData, type RecordSet } from "../../core/record/index.ts";
import { inWords } from "../clauses/index.ts";
import { listOf } from "../english.ts";
import { noticeClause } from "../fleet/guard.ts";
import { count, moment, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";
import { dayText } from "../time.ts";

const shown = (set: RecordSet | undefined): string =>
  set === undefined ? "nothing" : listOf(set.data.map((data) => visible(printData(set.type, data).slice(0, 80))));

/** What a publication did, in a few words for each set. */
function changesText(changes: DetailOf<"publication-opened">["changes"]): string {
  const said = changes.slice(0, 4).map(({ name, type, before, after }) => {
    const at = `${type} of ${displayName(name as DomainName)}`;
    if (after === undefined) return `${at} removed`;
    return before === undefined ? `${at} added` : `${at} changed`;
  });
  return listOf([...said, ...(changes.length > 4 ? [`${changes.length - 4} more`] : [])]);
}

/** One sentence for each kind of entry. */
const SENTENCES: { readonly [K in Told]: (detail: DetailOf<K>) => string } = {
  "ask-noted": ({ ask, service, purpose }) => `${ask} was asked by ${service}, for ${purpose}`,
  "publication-opened": ({ way, to, changes, undoes }) =>
    `${undoes === undefined ? (way === "by-hand" ? "a sheet was made for" : "publishing began at") : "taking back began at"} ${to}: ${changesText(changes)}`,
  "publication-closed": ({ end, because }) =>
    `${end === "published" ? "done" : end === "not-published" ? "nothing was published" : "nobody can say how it ended"}: ${inWords(because)}`,
  "ask-retired": ({ ask, because }) => `${ask} ended: ${inWords(because)}`,
  "spf-flattened": ({ sources }) =>
    `includes were replaced by addresses in the SPF record: ${listOf(sources.map(({ term }) => term))}`,
  "key-switched": ({ from, to }) => `mail is signed with the selector ${to} from then on, and not with ${from}`,
  "ds-seen": ({ gone }) =>
    gone ? "the DNSSEC record (DS) at the registrar is gone" : "there is a DNSSEC record (DS) at the registrar",
  "delegation-seen": ({ host }) => `the registrar names the servers of ${host}`,
  settled: ({ ask }) => `everyone saw ${ask}`,
  "asked-service": ({ ask, service, answer, reason }) => {
    const said = { accepted: "verified", "not-yet": "did not verify", failed: "could not be asked about" }[answer];
    return `${service} ${said} ${ask}${answer === "not-yet" ? " yet" : ""}${inWords(reason) === "" ? "" : `: ${inWords(reason)}`}`;
  },
  "sender-state": ({ service, address, state, by }) =>
    `${address ?? "the domain"} is ${state} at ${service}, as ${by === "service" ? "it says" : "you said"}`,
  "credential-kept": ({ service, credential, kept }) => `a password of ${service} (${credential}) was kept in ${kept}`,
  "credential-revoked": ({ service, credential }) => `the password ${credential} of ${service} was ended`,
  "events-subscribed": ({ service }) => `${service} sends its events from then on`,
  "message-sent": ({ service, from, to }) => `a test message from ${from} to ${to} went out through ${service}`,
  "message-followed": ({ state, reply }) => `that message: ${state}${reply === "" ? "" : ` (${reply})`}`,
  "reports-taken": ({ reports, messages, receivers, others, begin, end }) => {
    const from = listOf([...receivers, ...(others > 0 ? [`${others} more`] : [])]);
    const [first, last] = [begin, end].map((at) => dayText(Math.floor(at / DAY)));
    const days = first === last ? `of ${first}` : `from ${first} to ${last}`;
    return `${count(reports, "report")} came in from ${from}: ${messages.toLocaleString("en")} ${messages === 1 ? "message" : "messages"} ${days}`;
  },
  notice: ({ notice, watched, subject, because }) => noticeClause({ notice, watched, subject, because }),
  proven: ({ ask, by, because, evidence }) => {
    const said = because === undefined ? (by === "service" ? "the service said so" : "you said so") : inWords(because);
    return `${ask} was proven: ${said}${evidence === "" ? "" : `; ${evidence}`}`;
  },
};

/** What an entry of the journal says, as a clause. */
export const historySentence = ({ kind, detail }: HistoryResult["events"][number]): string =>
  (SENTENCES[kind] as (detail: unknown) => string)(detail);

/** The story for people, in order, with its times. */
export function historyText({ events, zones, changed, from, until, at }: HistoryResult, { style, width }: Layout): string {
  const several = new Set(events.map(({ domain }) => domain)).size > 1;
  const lines = events.map((event) => {
    const when = moment(event.at, at);
    const where = several ? `${displayName(event.domain)}: ` : "";
    return `${style.quiet(when.padEnd(22))} ${wrap(visible(`${where}${historySentence(event)}.`), width - 23, " ".repeat(23))}\n`;
  });
  const none =
    events.length === 0 && zones.length === 0
      ? `Nothing is known${from === null ? " yet" : " of that time"}.\nNext: ${style.command(from === null ? "zandrel status" : "zandrel history")}\n`
      : "";
  const differs = changed.map(
    ({ name, type, before, after }) =>
      `  ${style.strong(displayName(name))} ${type}\n    ${style.removed("−")} ${wrap(shown(before), width - 6, "      ")}\n    ${style.added("+")} ${wrap(shown(after), width - 6, "      ")}\n`,
  );
  const between =
    from === null || until === null || none !== ""
      ? ""
      : changed.length === 0
        ? "As far as is known, the zone is the same at both ends.\n"
        : `From ${moment(from, at)} to ${moment(until, at)} this changed:\n${differs.join("")}`;
  const then = zones.map(({ domain, on, sets, file }) => {
    const rows = sets.map(
      ({ name, type, set, assumed }) =>
        `  ${style.strong(displayName(name))} ${type}  ${wrap(shown(set), width - 8, "      ")}${assumed ? style.quiet(" (met later)") : ""}\n`,
    );
    const written = file === null ? "" : `${style.good("written")}  ${visible(file)}\n`;
    return `${style.title(displayName(domain))}  ${moment(on, at)}: ${count(sets.length, "record set")} known; what Zandrel never met is not in it\n${rows.join("")}${written}`;
  });
  const [first] = zones;
  const next =
    none === ""
      ? `Next: ${style.command(first === undefined ? "zandrel status" : `zandrel draft ${withoutRootDot(first.domain)}`)}\n`
      : "";
  return `${lines.join("")}${none}${between}${then.join("")}${next}`;
}
