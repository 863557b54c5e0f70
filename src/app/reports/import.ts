import * as z from "zod";
import { type ReportHead, ReportReader, xmlEncoding } from "../../core/aggregate/index.ts";
import { type Clause, clause, verbatim } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { type DomainName, isAtOrBelow, parseName } from "../../core/name/index.ts";
import { organizationalDomain } from "../../core/suffix/index.ts";
import { type FoundReport, findReports, lockReports, openWorkspace, spool, type Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { sentence } from "../shapes.ts";

export const importReportsSchema = z.object({
  taken: z.number().describe("reports that are new"),
  known: z.number().describe("reports that were there already; each counts once"),
  rows: z.number(),
  messages: z.number(),
  setAside: z
    .array(z.object({ file: z.string(), reason: z.string(), because: sentence }))
    .describe("reports that were not taken in, and why"),
});

export type ImportReportsResult = z.output<typeof importReportsSchema>;

/** Why a report that can be read is not taken in all the same. */
function refusal(
  head: ReportHead,
  found: FoundReport,
  domains: readonly DomainName[],
): { reason: string; because: Clause } | undefined {
  if (!domains.some((own) => isAtOrBelow(head.domain, own) || isAtOrBelow(own, head.domain)))
    return { reason: "other-domain", because: clause("report-other-domain", { domain: head.domain }) };
  if (!("mailedBy" in found) || found.mailedBy === undefined) return undefined;
  const sender = parseName(found.mailedBy);
  const says = parseName(head.email.slice(head.email.lastIndexOf("@") + 1));
  // A report that one organization mails in the name of another is made up, or at least cannot be believed.
  if (sender.ok && says.ok && head.email.includes("@") && organizationalDomain(sender.value) !== organizationalDomain(says.value))
    return {
      reason: "other-sender",
      because: clause("report-other-sender", { says: says.value, mailedBy: sender.value }),
    };
  return undefined;
}

/** The chunks of a report; what goes wrong with unpacking them is the report's own trouble, and nobody else's. */
async function* unpacked(xml: AsyncIterable<Buffer>, unpacking: { trouble?: string }): AsyncGenerator<Buffer> {
  try {
    yield* xml;
  } catch (error) {
    if (error instanceof Failure) throw error;
    unpacking.trouble = (error as Error).message;
  }
}

/** What {@link importReports} is asked. */
export interface ImportReportsRequest extends CommonRequest {}

/** Take in aggregate reports, as they came: XML, gzip, ZIP, mails with attachments, mailboxes, folders of all of these. */
export async function importReports(request: ImportReportsRequest, context: AppContext): Promise<Outcome<ImportReportsResult>> {
  const workspace = openWorkspace(context.cwd, request.workspace);
  const domains = workspace.domains.map((one) => one.name);
  if (domains.length === 0) throw new Failure("no-domain", {});
  return lockReports(workspace, context, () => importInto(workspace, domains, request, context));
}

/** Takes in everything the request names, one report after the other; nobody else imports meanwhile. */
async function importInto(
  workspace: Workspace,
  domains: readonly DomainName[],
  request: ImportReportsRequest,
  context: AppContext,
): Promise<Outcome<ImportReportsResult>> {
  const now = Math.floor(context.clock.now() / 1000);
  const store = await workspace.openReports();
  const done: ImportReportsResult = { taken: 0, known: 0, rows: 0, messages: 0, setAside: [] };
  const aside = (file: string, reason: string, because: Clause): void => void done.setAside.push({ file, reason, because });
  let noted = 0;
  try {
    for (const operand of request.operands) {
      const spooled = operand === "-" ? await spool(context.input()) : undefined;
      try {
        for await (const found of findReports(spooled?.path ?? operand)) {
          const title = spooled === undefined ? found.title : "standard input";
          if ("because" in found) {
            aside(title, "no-report", verbatim(found.because));
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
            let decoder: InstanceType<typeof TextDecoder> | undefined;
            const unpacking: { trouble?: string } = {};
            for await (const chunk of unpacked(found.xml, unpacking)) {
              decoder ??= new TextDecoder(xmlEncoding(chunk));
              reader.write(decoder.decode(chunk, { stream: true }));
              // The rest of a broken report is not even unpacked.
              if (reader.problem !== undefined) break;
            }
            if (unpacking.trouble !== undefined) {
              aside(title, "cut", clause("report-not-unpacked", { why: unpacking.trouble }));
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
          if (all >= noted + 100) {
            noted = all;
            await context.progress(clause("told-reports-read", { reports: all, setAside: done.setAside.length }));
          }
        }
      } finally {
        spooled?.close();
      }
    }
  } finally {
    store.close();
  }
  return { ended: done.setAside.length > 0 || done.taken + done.known === 0 ? "problem" : "fine", result: done };
}
