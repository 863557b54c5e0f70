import type { MessageClauses } from "../../core/clause/index.ts";
import { displayName } from "../../core/name/index.ts";
import type { WordsOf } from "./words.ts";

const notReady = (lacks: readonly string[]): string => `what it depends on is not ready (${lacks.join(", ")})`;

export const MESSAGE: WordsOf<MessageClauses> = {
  "test-message-subject": ({ domain }) => `Test message from ${displayName(domain)}`,
  "test-message-from": ({ domain, at }) =>
    `This is a test message from ${displayName(domain)}, sent on ${new Date(at).toUTCString()}.`,
  "test-message-arrived": "If it is in your inbox, you are done: you can delete it.",
  "message-empty": "the message is empty",
  "message-header-too-large": ({ octets }) => `the header is larger than ${octets >> 20} MiB, which no mail server accepts`,
  "mailbox-open-quote": "a quotation mark is not closed",
  "mailbox-open-comment": "a comment is not closed",
  "mailbox-open-bracket": "an angle bracket is not closed",
  "mailbox-open-group": "a group is not closed by a semicolon",
  "mailbox-no-address": ({ found }) => `“${found}” is not an address`,
  "mailbox-no-domain": ({ found }) => `“${found}” is not a domain`,
  "mailbox-no-group": "a group is not written as one",
  "mailbox-no-comma": "a comma is missing behind a group",
  "message-not-sent": ({ lacks }) => `nothing was sent, ${notReady(lacks)}`,
  "message-yours-lacks": ({ lacks }) => `the message arrived and is proven yours, but ${notReady(lacks)}`,
  "message-fails": ({ result, because }, say) => `the message arrived, but DMARC ends with ${result}: ${say(because)}`,
  "message-yours-but": ({ because }, say) => `the message arrived and is proven yours, but ${say(because)}`,
  "message-has-it": ({ because }, say) => `${say(because)}; the service has it all the same`,
  "message-envelope-unknown": "the sending server's address or the return path is not known; give --ip, --helo and --mail-from",
  "message-line-ends": "the lines of the file end without a carriage return; they are read as if it were there",
  "message-stray-lines": ({ lines, first }) => `lines of the header that cannot be read: ${lines}; the first is “${first}”`,
  "message-nul": "the body holds NUL characters, which mail does not allow",
  "message-not-ascii": "the header holds characters outside ASCII; only receivers that know internationalized mail take it",
  "message-signatures-ignored": ({ ignoredSignatures }) => `further signatures that were not looked at: ${ignoredSignatures}`,
  "message-dns-unresolved": "nothing was sent, and the DNS could not be asked",
  "message-refused": "the message was not taken",
  "message-maybe-taken": "nobody knows whether the message was taken",
  "message-came-back": "the message came back",
  "message-spam": "the message arrived and was reported as spam",
  "message-unjudged": "the message arrived, and could not be judged: the DNS did not answer",
  "message-in-folder": ({ folder }) => `the message is proven yours, but it arrived in the folder ${folder}, not in the inbox`,
  "message-ready": "the message arrived, and receivers can prove that it is yours",
  "message-gone-quiet": "the message was taken, and nobody can say what became of it",
  "message-still": ({ state }) => `the message is still ${state}`,
  "message-unseen": "the message was delivered, and nobody has looked at what arrived; give --copy with the copy or its mailbox",
  "message-not-ready": "what it depends on is not ready; --force sends all the same",
  "message-maybe-taken-followed": "nobody knows whether it was taken; it is looked for by its Message-ID",
};
