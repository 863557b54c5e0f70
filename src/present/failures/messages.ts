import type { Clause } from "../../core/clause/index.ts";
import { type DomainName, displayName } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { visible } from "../safe.ts";
import { type Failings, names, problem, quote, say, usage } from "./words.ts";

export const MESSAGES = {
  canonicalization: usage(() =>
    say(
      "--canonicalization is simple or relaxed for the header, a slash, and the same for the body",
      "for example relaxed/simple",
      "--canonicalization",
    ),
  ),
  "cannot-sign": usage(({ because }: { because: Clause }) =>
    say(`the message cannot be signed: ${visible(inWords(because))}`, "correct that and sign again"),
  ),
  "not-a-message": usage(({ title, because }: { title: string; because: Clause }) =>
    say(`${visible(title)}: ${visible(inWords(because))}`, "give a whole message", title),
  ),
  "length-too-large": usage(({ length, body }: { length: number; body: number }) =>
    say(`--length ${length} is more than the body has (${body} octets)`, "give less, or leave it out", "--length"),
  ),
  "no-from": usage(({ title }: { title: string }) =>
    say(`${visible(title)} has no From field, which every signature must cover`, "add one and sign again", title),
  ),
  "other-message": usage(({ path, messageId }: { path: string; messageId: string }) =>
    say(
      `${visible(path)} holds another message, not <${visible(messageId)}>`,
      "give the copy that arrived, or the mailbox it is in",
      path,
    ),
  ),
  "is-a-mailbox": usage(() =>
    say("this takes one message, and the file is a mailbox", "give the file of one message, or use zandrel message judge"),
  ),
  "unknown-message": usage(({ given }: { given: string }) =>
    say(
      `no message ${quote(given)} was sent from this workspace`,
      "give the tracking id that zandrel message send printed",
      "--follow",
    ),
  ),
  "unsubscribe-form": usage(() =>
    say(
      "--unsubscribe is not an https address, and receivers open no other with one click",
      "give an address that begins with https://",
      "--unsubscribe",
    ),
  ),
  "unsubscribe-long": usage(({ most }: { most: number }) =>
    say(
      `--unsubscribe is longer than ${most} characters, which no line of a mail holds`,
      "give a shorter address",
      "--unsubscribe",
    ),
  ),
  "no-reports": problem(({ domain }: { domain: DomainName | undefined }) =>
    say(
      domain === undefined ? "there are no reports yet" : `there is no report about ${displayName(domain)} yet`,
      "import some with zandrel dmarc import FILE",
    ),
  ),
  "logo-address": usage(({ given }: { given: string }) =>
    say(
      `${quote(given)} is not an address that begins with https://`,
      "name one such as https://www.brackwater.example/logo.svg",
    ),
  ),
  "logo-address-needed": usage(() =>
    say(
      "a record needs the address of the drawing, and none was named",
      "add --address https://www.brackwater.example/logo.svg, with your own address",
      "--address",
    ),
  ),
  "no-failures": problem(({ domain }: { domain: DomainName | undefined }) =>
    say(
      domain === undefined
        ? "there are no reports about single messages yet"
        : `there is no report about a single message of ${displayName(domain)} yet, and few receivers send any`,
      "import some with zandrel dmarc import FILE, or look at the daily ones with zandrel dmarc sources",
    ),
  ),
  "which-reports": usage(({ domains }: { domains: readonly DomainName[] }) =>
    say(`there are reports about ${names(domains)}`, "name one of these domains"),
  ),
} satisfies Failings;
