import type * as z from "zod";
import type { Judgement, policy } from "../../app/messages/judge.ts";
import type { JudgedMailbox } from "../../app/messages/judge-messages.ts";
import { distinct } from "../../core/distinct.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { count, listOf } from "../english.ts";
import { visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";
import { dkimLine, painted } from "./signature.ts";

export const HAPPENS: Readonly<Record<z.output<typeof policy>, string>> = {
  none: "The message is delivered: DMARC lets it through.",
  quarantine: "The message goes to the junk folder.",
  reject: "The message is refused.",
};

export const MALFORMED =
  "Receivers usually refuse such a message: it must have one From field with an address, and a policy that can be read.";

export function aligned(one: Judgement, by: "spf" | "dkim", domain: string | null): string {
  const found = one.alignment.find((each) => each.by === by && each.domain === domain);
  if (found === undefined) return "";
  if (found.aligned === null) return ", and whether it is aligned with From could not be asked";
  return found.aligned ? ", aligned with From" : `, not aligned with From (${found.mode})`;
}

/** What to do about a message, as a sentence or a command that runs as it stands. */
function nextOf({ dmarc, bulk, arc }: Judgement): { readonly words?: string; readonly command?: string } {
  const domain = dmarc.domain === null ? undefined : withoutRootDot(dmarc.domain);
  if (dmarc.result === "temperror") return { words: "Judge it again when the name servers answer." };
  if (domain === undefined || (dmarc.result === "permerror" && dmarc.policy === null && dmarc.record !== null))
    return { words: "Have the sender correct the From field, and send it again." };
  if (dmarc.result === "none" || dmarc.result === "permerror")
    return { command: `zandrel dmarc compose ${domain} --reports-to dmarc@${domain}` };
  const changer = arc?.sets.find(({ instance }) => instance === arc.changedAt);
  if (dmarc.result === "fail" && arc?.result === "pass" && arc.provenAt !== null)
    return {
      words: `The sending itself was in order. ${changer === undefined ? "Those who forward it" : `Those who run ${displayName(changer.sealer)}`} can help: they leave text and subject as they are, or put the address of the list into From.`,
    };
  if (dmarc.result === "fail") return { command: `zandrel audit ${domain}` };
  return bulk.some(({ met }) => met === false)
    ? { words: "The message is proven; correct what is marked ✗ before you send to many." }
    : { words: "Nothing is left to do for this message." };
}

const DELIVERED_BY_CHAIN =
  "The message is delivered: DMARC alone would not let it through, and those who forwarded it are trusted.";

/** Who forwarded a message, each with its seal and whether the message is still as it was there. */
function forwardedRows({ arc }: Judgement, { style, width }: Layout, row: (title: string, text: string) => string): string[] {
  if (arc === null) return [];
  const hops = arc.sets.flatMap(({ instance, sealer, seal, signature, saw }) => {
    if (seal === null || signature === null) return [];
    const seen = distinct(
      saw.results
        .filter(({ method, result }) => ["spf", "dkim", "dmarc"].includes(method) && result !== "none")
        .map(({ method, result }) => `${method.toUpperCase()} ${result}`),
    );
    const since =
      signature.result === "pass" ? "unchanged since then" : `not as it was then: ${inWords(signature.because ?? undefined)}`;
    const mark = seal.result === "pass" ? style.good("✓") : seal.result === "fail" ? style.bad("✗") : style.careful("?");
    const trouble = seal.because === null ? "" : `; its seal does not hold: ${inWords(seal.because)}`;
    return [
      `  ${mark} ${wrap(visible(`${instance}. ${displayName(sealer)} saw ${seen.length === 0 ? "nothing that it names" : listOf(seen)}; the message is ${since}${trouble}`), width - 4, "    ")}`,
    ];
  });
  return [row("ARC", `${painted(arc.result, style)}  ${visible(inWords(arc.because))}`), ...hops];
}

/** A message judged, for people: who it is from, what was checked, and what happens to it. */
export function judgementText(one: Judgement, layout: Layout): string {
  const { style, width } = layout;
  const { envelope, spf, dmarc } = one;
  const sender =
    envelope.mailFrom === null
      ? ""
      : envelope.mailFrom === ""
        ? ", empty return path"
        : `, return path ${visible(envelope.mailFrom)}`;
  const plain = (domain: string | null): string => visible(domain?.replace(/\.$/, "") ?? "an unknown domain");
  const row = (title: string, text: string): string => wrap(`${title.padEnd(9)}${text}`, width, " ".repeat(9));
  const held = one.bulk.filter(({ met }) => met === true);
  const open = one.bulk.filter(({ met }) => met !== true).sort((a, b) => Number(a.met === null) - Number(b.met === null));
  // What is right comes before what is wrong.
  const bulk = [...held, ...open].map(({ met, because }) => {
    const mark = met === null ? style.careful("?") : met ? style.good("✓") : style.bad("✗");
    return `  ${mark} ${wrap(visible(inWords(because)), width - 4, "    ")}`;
  });
  const next = nextOf(one);
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
      `${painted(spf.result ?? "unknown", style)}  ${plain(spf.domain)}${aligned(one, "spf", spf.domain)}: ${visible(inWords(spf.because))}`,
    ),
    ...(one.dkim.length === 0 ? [row("DKIM", `${painted("none", style)}  the message is not signed`)] : []),
    ...one.dkim.map((each) => row("DKIM", dkimLine(each, style, aligned(one, "dkim", each.domain)))),
    row("DMARC", `${painted(dmarc.result, style)}  ${visible(inWords(dmarc.because))}`),
    ...forwardedRows(one, layout, row),
    "",
    style.strong(
      dmarc.result === "permerror" && dmarc.disposition === "none"
        ? MALFORMED
        : dmarc.result === "temperror"
          ? "It cannot be said what happens to the message."
          : one.arc?.delivers === true
            ? DELIVERED_BY_CHAIN
            : HAPPENS[dmarc.disposition],
    ),
    ...one.remarks.map((remark) => style.quiet(wrap(`Note: ${visible(inWords(remark))}.`, width, "  "))),
    "",
    `Of what receivers ask of bulk senders, ${one.bulk.length - open.length} of ${one.bulk.length} are met:`,
    ...bulk,
    "",
    ...one.header.split("\n").map((line) => style.quiet(visible(line.replace(/^\t/, "  ")))),
    "",
    next.command === undefined ? wrap(next.words ?? "", width) : `Next: ${style.command(next.command)}`,
    "",
  ].join("\n");
}

/** One message of a mailbox in one line. */
export const judgedLine = ({ dmarc, message, from, subject }: Judgement, { style }: Layout): string =>
  `${painted(dmarc.result, style)}  ${visible(message)}  ${visible(from ?? "nobody")}  ${visible(subject ?? "")}: ${visible(inWords(dmarc.because))}\n`;

/** What became of all messages of a mailbox. */
export const mailboxText = ({ messages, results }: JudgedMailbox): string =>
  messages === 0
    ? "\nThe mailbox is empty.\n"
    : `\n${count(messages, "message")}: ${listOf([...results].map(([result, number]) => `${number} ${result}`))}.\n`;
