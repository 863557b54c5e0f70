import { resolve } from "node:path";
import * as z from "zod";
import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import type { FailureReport } from "../../core/failure-report/index.ts";
import { type DomainName, isAtOrBelow } from "../../core/name/index.ts";
import {
  type ArrivedReport,
  lockReports,
  openWorkspace,
  type ReportStore,
  spool,
  type Workspace,
} from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { STANDARD_INPUT } from "../messages/open.ts";
import { sentence } from "../shapes.ts";
import { type ReportPiece, readReports } from "./read-files.ts";

export const importReportsSchema = z.object({
  taken: z.number().describe("reports that are new"),
  known: z.number().describe("reports that were there already; each counts once"),
  failures: z.number().describe("reports about single messages that failed, and are new"),
  rows: z.number(),
  messages: z.number(),
  setAside: z
    .array(z.object({ file: z.string(), reason: z.string(), because: sentence }))
    .describe("reports that were not taken in, and why"),
});

export type ImportReportsResult = z.output<typeof importReportsSchema>;

/** What {@link importReports} is asked. */
export interface ImportReportsRequest extends CommonRequest {
  /** Whether local parts of addresses and subjects in reports about single messages are kept. */
  readonly keepPersonal: boolean;
}

/** Imports reports as received, daily ones and those about single messages: XML, gzip, ZIP, mails with attachments, mailboxes, folders of all of these. */
export async function importReports(request: ImportReportsRequest, context: AppContext): Promise<Outcome<ImportReportsResult>> {
  const workspace = openWorkspace(context.cwd, request.workspace);
  const domains = workspace.domains.map((one) => one.name);
  if (domains.length === 0) throw new Failure("no-domain", {});
  return lockReports(workspace, context, () => importInto(workspace, domains, request, context));
}

/** Takes in the report whose pieces begin with `first`; what became of it, and its last piece. */
async function takeOne(first: ReportPiece, pieces: AsyncGenerator<ReportPiece>, store: ReportStore) {
  let last = first;
  const rest = async (): Promise<ReportPiece> => {
    const next = await pieces.next();
    if (next.done === true) throw new Error("the pieces of a report end before it does");
    return next.value;
  };
  // One that is set aside at once needs no room.
  const outcome =
    first.kind === "aside"
      ? "set-aside"
      : await store.take(async (add) => {
          for (; last.kind === "rows"; last = await rest()) add(last.sums);
          return last.kind === "read" ? last.report : undefined;
        });
  return { outcome, last };
}

/** Receivers whose names a story keeps, and characters of such a name. */
const MAX_RECEIVERS = 5;
const MAX_NAME = 80;

/** What came in about one domain of the workspace. */
interface Arrived {
  reports: number;
  messages: number;
  readonly receivers: Set<string>;
  begin: number;
  end: number;
}

/** The domain of the workspace that a report is about: the nearest one above its own, or else one below. */
function ownDomain(domains: readonly DomainName[], reported: DomainName): DomainName | undefined {
  const above = domains.filter((own) => isAtOrBelow(reported, own)).sort((a, b) => b.length - a.length);
  return above[0] ?? domains.find((own) => isAtOrBelow(own, reported));
}

/** What came in, by the domains of the workspace. */
function arrivedAbout(domains: readonly DomainName[], reports: readonly ArrivedReport[]): Map<DomainName, Arrived> {
  const arrived = new Map<DomainName, Arrived>();
  for (const { domain, receiver, messages, begin, end } of reports) {
    const own = ownDomain(domains, domain);
    if (own === undefined) continue;
    const one = arrived.get(own) ?? { reports: 0, messages: 0, receivers: new Set(), begin, end };
    arrived.set(own, one);
    one.reports += 1;
    one.messages += messages;
    one.receivers.add(Array.from(receiver).slice(0, MAX_NAME).join(""));
    one.begin = Math.min(one.begin, begin);
    one.end = Math.max(one.end, end);
  }
  return arrived;
}

/** Keeps in the journal what came in and is not there yet, also what a run that was killed took in. */
async function journalArrivals(
  workspace: Workspace,
  domains: readonly DomainName[],
  store: ReportStore,
  now: number,
  context: AppContext,
): Promise<void> {
  const untold = store.untold();
  if (untold.length === 0) return;
  const journal = await workspace.openJournal(context);
  try {
    for (const [domain, { receivers, ...one }] of arrivedAbout(domains, untold)) {
      const named = [...receivers].slice(0, MAX_RECEIVERS);
      journal.append(now, domain, { kind: "reports-taken", ...one, receivers: named, others: receivers.size - named.length });
    }
  } finally {
    journal.close();
  }
  store.told();
}

/** Reports about single messages that are written at once. */
const MANY_FAILURES = 500;

/** Takes in everything the request names, one report after the other; nobody else imports meanwhile. */
async function importInto(
  workspace: Workspace,
  domains: readonly DomainName[],
  request: ImportReportsRequest,
  context: AppContext,
): Promise<Outcome<ImportReportsResult>> {
  const now = Math.floor(context.clock.now() / 1000);
  const store = await workspace.openReports(context);
  const done: ImportReportsResult = { taken: 0, known: 0, failures: 0, rows: 0, messages: 0, setAside: [] };
  // Those about single messages are small and many: they are written in one go now and then.
  const failures: FailureReport[] = [];
  const keep = (): void => {
    const fresh = store.takeFailures(failures);
    done.failures += fresh;
    done.known += failures.length - fresh;
    failures.length = 0;
  };
  let noted = 0;
  try {
    for (const operand of request.operands) {
      const spooled = operand === "-" ? await spool(context.input()) : undefined;
      const pieces = readReports(spooled?.path ?? resolve(context.cwd, operand), {
        domains,
        now,
        personal: request.keepPersonal,
      });
      try {
        for (let next = await pieces.next(); next.done !== true; next = await pieces.next()) {
          if (next.value.kind === "failure") {
            failures.push(next.value.report);
            if (failures.length >= MANY_FAILURES) keep();
            continue;
          }
          const { outcome, last } = await takeOne(next.value, pieces, store);
          if (last.kind === "aside") {
            const { title, reason, because } = last;
            done.setAside.push({ file: spooled === undefined ? title : STANDARD_INPUT, reason, because });
          } else if (outcome === "known") done.known += 1;
          else if (last.kind === "read") {
            done.taken += 1;
            done.rows += last.report.rows;
            done.messages += last.report.messages;
          }
          const all = done.taken + done.known + done.setAside.length;
          if (all >= noted + 100) {
            noted = all;
            await context.progress(clause("told-reports-read", { reports: all, setAside: done.setAside.length }));
          }
        }
      } finally {
        await pieces.return(undefined);
        spooled?.close();
      }
    }
    keep();
    await journalArrivals(workspace, domains, store, now * 1000, context);
  } catch (error) {
    // What was taken in stays; where it cannot be told now, the next import tells it.
    await journalArrivals(workspace, domains, store, now * 1000, context).catch(() => undefined);
    throw error;
  } finally {
    store.close();
  }
  return { ended: done.setAside.length > 0 || done.taken + done.known + done.failures === 0 ? "problem" : "fine", result: done };
}
