import type { AnswerClauses } from "../../core/clause/index.ts";
import { displayName } from "../../core/name/index.ts";
import { listOf } from "../english.ts";
import type { WordsOf } from "./words.ts";

/** Why what came with a transfer is not taken. */
const SIGNATURE: Readonly<Record<AnswerClauses["transfer-signature"]["why"], string>> = {
  unsigned: "its answer is not signed",
  "other-key": "its answer is signed with another key",
  "bad-key": "it does not know the key",
  "bad-signature": "it does not accept the key's secret",
  forged: "the signature of its answer does not verify",
  "bad-time": "its clock and that of this machine differ by more than five minutes",
  malformed: "the signature of its answer cannot be read",
};

const saying = (says: readonly string[]): string => (says.length === 0 ? "" : ` (it says: ${says.join(", ")})`);

export const ANSWER: WordsOf<AnswerClauses> = {
  "answer-unreachable": ({ server, why }) =>
    `${server} cannot be reached (${why === "ECONNREFUSED" ? "nothing listens there" : why})`,
  "answer-late": ({ server, ms }) => `${server} did not answer within ${Math.max(0.1, Math.round(ms / 100) / 10)} s`,
  "answer-hung-up": ({ server, before }) =>
    `${server} hung up before ${before === "zone" ? "the zone" : "its answer"} was complete`,
  "answer-http-status": ({ server, status }) => `${server} answered with HTTP status ${status}`,
  "answer-no-dns-message": ({ server }) => `${server} did not answer with a DNS message`,
  "answer-too-long": ({ server }) => `${server} answered with more than a DNS message can hold`,
  "answer-not-again": ({ server }) => `${server} did not answer before, and is not asked again for now`,
  "answer-unreadable": ({ server, what, error }, say) =>
    `${server} sent ${what === "zone" ? "a zone" : "an answer"} that cannot be read: ${say(error)}`,
  "answer-other-question": ({ server }) => `${server} answered another question than the one asked`,
  "answer-code": ({ server, code, name, says }) => `${server} answered ${code} for ${displayName(name)}${saying(says)}`,
  "answer-bogus": ({ server, name, says }) =>
    `${server} refuses what it finds for ${displayName(name)}: the DNSSEC signatures do not verify${saying(says)}`,
  "answer-contradicts": ({ server, name }) =>
    `${server} says that ${displayName(name)} does not exist, and shows a record of it all the same`,
  "answer-ring": ({ server, name }) =>
    server === undefined
      ? `the aliases from ${displayName(name)} form a loop`
      : `${server} answered with aliases that form a loop from ${displayName(name)}`,
  "answer-delegates": ({ server, name, to }) => `${server} delegates ${displayName(name)} to ${listOf(to.map(displayName))}`,
  "answer-leads-out": ({ server, name, target }) =>
    `the alias at ${displayName(name)} leads to ${displayName(target)}, which ${server} does not hold`,
  "answer-neither": ({ server, name }) => `${server} neither answers for ${displayName(name)} nor says who does`,
  "answer-without-signatures": ({ server }) => `${server} does not hand out DNSSEC signatures`,
  "answer-nobody-asked": "no name server could be asked",
  "answer-nobody-answers": "none of its name servers answers",
  "answer-no-name": ({ host }) => `${host} is not a name`,
  "answer-no-resolver": "no resolver could be asked",
  "answer-outside-files": ({ name }) => `${displayName(name)} is not in the zone files`,
  "answer-below-cut": ({ name, zone }) =>
    `${displayName(name)} lies in ${displayName(zone)}, which is delegated to other name servers`,
  "answer-alias-without-target": ({ name }) => `the alias at ${displayName(name)} has no target`,
  "transfer-by-url": ({ server }) => `${server} does not hand out zones`,
  "transfer-late": ({ server, zone, ms }) => `${server} did not hand out ${displayName(zone)} within ${ms / 1000} s`,
  "transfer-refused": ({ server, why }) => `${server} does not hand out the whole zone${why === undefined ? "" : ` (${why})`}`,
  "transfer-signature": ({ server, why }) => `${server} does not hand out the whole zone: ${SIGNATURE[why]}`,
  "transfer-end-unsigned": ({ server }) => `${server} did not sign the end of the zone`,
  "transfer-octets": ({ server, mebioctets }) => `${server} sends more than ${mebioctets} MiB`,
  "transfer-records": ({ server, records }) => `${server} sends more than ${records} records`,
  "authority-none-above": ({ domain }) => `no zone above ${displayName(domain)} could be found`,
  "authority-not-delegated": ({ parent, domain }) => `${displayName(parent)} names no name servers for ${displayName(domain)}`,
  "authority-no-servers": ({ domain }) => `no name servers are known for ${displayName(domain)}`,
  "authority-part-of": ({ domain, zone }) =>
    `${displayName(domain)} is part of ${displayName(zone)} and has no name servers of its own`,
  "authority-no-address": ({ server }) => `${displayName(server)} has no address`,
  "authority-not-in-files": ({ domain }) => `none of the zone files given holds ${displayName(domain)}`,
};
