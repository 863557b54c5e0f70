import { z } from "zod";
import { type ReportHead, ReportReader } from "../../../core/aggregate/index.ts";
import { type DomainName, isAtOrBelow, parseName } from "../../../core/name/index.ts";
import { organizationalDomain } from "../../../core/suffix/index.ts";
import { EXIT, UserError } from "../../../core/user-error.ts";
import { count, visible, wrap } from "../../../present/index.ts";
import { type FoundReport, findReports, openWorkspace, spool } from "../../../workspace/index.ts";
import { command } from "../../command.ts";

const result = z.object({
  taken: z.number().describe("reports that are new"),
  known: z.number().describe("reports that were there already; each counts once"),
  rows: z.number(),
  messages: z.number(),
  setAside: z
    .array(z.object({ file: z.string(), reason: z.string(), because: z.string() }))
    .describe("reports that were not taken in, and why"),
});
type Result = z.output<typeof result>;

/** Why a report that can be read is not taken in all the same. */
function refusal(
  head: ReportHead,
  found: FoundReport,
  domains: readonly DomainName[],
): { reason: string; because: string } | undefined {
  if (!domains.some((own) => isAtOrBelow(head.domain, own) || isAtOrBelow(own, head.domain)))
    return { reason: "other-domain", because: `it is about ${head.domain.slice(0, -1)}, which is no domain of this workspace` };
  if (!("mailedBy" in found) || found.mailedBy === undefined) return undefined;
  const sender = parseName(found.mailedBy);
  const says = parseName(head.email.slice(head.email.lastIndexOf("@") + 1));
  // A report that one organization mails in the name of another is made up, or at least cannot be believed.
  if (sender.ok && says.ok && head.email.includes("@") && organizationalDomain(sender.value) !== organizationalDomain(says.value))
    return {
      reason: "other-sender",
      because: `it says it is from ${says.value.slice(0, -1)}, and was mailed by ${sender.value.slice(0, -1)}`,
    };
  return undefined;
}

/** The chunks of a report; what goes wrong with unpacking them is the report's own trouble, and nobody else's. */
async function* unpacked(xml: AsyncIterable<Buffer>, unpacking: { trouble?: string }): AsyncGenerator<Buffer> {
  try {
    yield* xml;
  } catch (error) {
    if (error instanceof UserError) throw error;
    unpacking.trouble = (error as Error).message;
  }
}

export default command<Result>({
  name: "dmarc import",
  operands: "FILE|FOLDER|MBOX|MAILDIR|-..",
  summary: "take in aggregate reports, as they came: XML, gzip, ZIP, mails with attachments, mailboxes, folders of all of these",
  examples: [
    ["zandrel dmarc import reports/", "a folder with whatever came"],
    ["zandrel dmarc import dmarc.mbox --json", "a mailbox, for another program"],
  ],
  options: {},
  schema: result,
  async run(args, context) {
    if (args._.length === 0)
      throw new UserError("zandrel dmarc import wants files, folders or mailboxes: for example zandrel dmarc import reports/.");
    const workspace = openWorkspace(context.cwd, args.workspace as string | undefined);
    const domains = workspace.domains.map((one) => one.name);
    if (domains.length === 0) throw new UserError("this workspace has no domain yet: add one with zandrel init DOMAIN.");
    const now = Math.floor(context.clock.now() / 1000);
    const store = await workspace.openReports();
    const done: Result = { taken: 0, known: 0, rows: 0, messages: 0, setAside: [] };
    const aside = (file: string, reason: string, because: string): void => void done.setAside.push({ file, reason, because });
    let noted = 0;
    try {
      for (const operand of args._) {
        const spooled = operand === "-" ? await spool(context.input()) : undefined;
        try {
          for await (const found of findReports(spooled?.path ?? operand)) {
            const title = spooled === undefined ? found.title : "standard input";
            if ("because" in found) {
              aside(title, "no-report", found.because);
              continue;
            }
            let rows = 0;
            let messages = 0;
            const outcome = await store.take(async (onRow) => {
              const reader = new ReportReader((row) => {
                rows += 1;
                messages += row.count;
                onRow(row);
              });
              const decoder = new TextDecoder();
              const unpacking: { trouble?: string } = {};
              for await (const chunk of unpacked(found.xml, unpacking)) {
                reader.write(decoder.decode(chunk, { stream: true }));
                // The rest of a broken report is not even unpacked.
                if (reader.problem !== undefined) break;
              }
              if (unpacking.trouble !== undefined) {
                aside(title, "cut", `it cannot be unpacked: ${unpacking.trouble}`);
                return undefined;
              }
              const ended = reader.end(now);
              const wrong =
                "problem" in ended
                  ? { reason: ended.problem.kind, because: ended.problem.because }
                  : refusal(ended.head, found, domains);
              if (wrong !== undefined) aside(title, wrong.reason, wrong.because);
              return wrong !== undefined || "problem" in ended ? undefined : ended.head;
            });
            if (outcome === "taken") {
              done.taken += 1;
              done.rows += rows;
              done.messages += messages;
            } else if (outcome === "known") done.known += 1;
            const all = done.taken + done.known + done.setAside.length;
            if (context.live && all >= noted + 100) {
              noted = all;
              context.note(`${all} reports read, ${done.setAside.length} set aside\n`);
            }
          }
        } finally {
          spooled?.close();
        }
      }
    } finally {
      store.close();
    }
    return { exit: done.setAside.length > 0 || done.taken + done.known === 0 ? EXIT.not : EXIT.ok, result: done };
  },
  present({ taken, known, messages, setAside }, { style, width }) {
    return [
      taken === 0
        ? `No new report${known === 0 ? "" : `; ${known === 1 ? "1 was" : `${known} were`} there already`}.`
        : `${style.good(count(taken, "report"))} taken in, about ${messages.toLocaleString("en")} ${messages === 1 ? "message" : "messages"}${known === 0 ? "" : `; ${known === 1 ? "1 was" : `${known} were`} there already`}.`,
      ...setAside.map((one) =>
        wrap(`${style.careful("set aside")}  ${visible(one.file)}: ${visible(one.because)}.`, width, "  "),
      ),
      ...(taken + known === 0 ? [] : [`Next: ${style.command("zandrel dmarc sources")} shows who sends as you.`]),
      "",
    ].join("\n");
  },
});
