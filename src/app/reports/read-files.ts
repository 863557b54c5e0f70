import { availableParallelism } from "node:os";
import { Worker } from "node:worker_threads";
import { type ReportHead, ReportReader, xmlEncoding } from "../../core/aggregate/index.ts";
import { type Clause, clause, verbatim } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { type FailureReport, isAboutOne, readFailureReport } from "../../core/failure-report/index.ts";
import { type DomainName, isAtOrBelow, parseName } from "../../core/name/index.ts";
import { organizationalDomain } from "../../core/suffix/index.ts";
import {
  BrokenPacking,
  type FoundReport,
  type ReadReport,
  type ReportFile,
  type RowSum,
  reportReading,
} from "../../workspace/index.ts";

/** What is read of reports, piece by piece: rows of one, added up, and how it ended. Plain data, also between threads. */
export type ReportPiece =
  | { readonly kind: "rows"; readonly sums: readonly RowSum[] }
  | { readonly kind: "read"; readonly report: ReadReport }
  | { readonly kind: "failure"; readonly report: FailureReport }
  | { readonly kind: "aside"; readonly title: string; readonly reason: string; readonly because: Clause };

/** What has to be known to judge a report; `now` in seconds since 1970. */
export interface ReadingReports {
  readonly domains: readonly DomainName[];
  readonly now: number;
  /** Whether local parts and subjects of single messages are kept. */
  readonly personal: boolean;
}

type Aside = Omit<Extract<ReportPiece, { kind: "aside" }>, "kind" | "title">;

/** Why a report that can be read is not taken in all the same. */
function refusal(head: ReportHead, found: FoundReport, domains: readonly DomainName[]): Aside | undefined {
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
async function* unpacked(xml: AsyncIterable<Buffer>, unpacking: { trouble?: Clause }): AsyncGenerator<Buffer> {
  try {
    yield* xml;
  } catch (error) {
    if (error instanceof Failure) throw error;
    unpacking.trouble = error instanceof BrokenPacking ? error.because : verbatim((error as Error).message);
  }
}

/** Reads one report: its rows, and at the end what it is or why it is set aside. */
async function* piecesOf(found: FoundReport, { domains, now, personal }: ReadingReports): AsyncGenerator<ReportPiece> {
  const aside = (reason: string, because: Clause) => ({ kind: "aside", title: found.title, reason, because }) as const;
  if ("because" in found) {
    yield aside("no-report", found.because);
    return;
  }
  if ("failure" in found) {
    const read = readFailureReport(found.failure, { personal, now });
    if (read.kind === "aside") yield aside(read.reason, read.because);
    else if (isAboutOne(read.report, domains)) yield { kind: "failure", report: read.report };
    else yield aside("other-domain", clause("report-other-domain", { domain: read.report.from }));
    return;
  }
  const { RowSums } = await reportReading();
  const rows = new RowSums();
  const reader = new ReportReader((row) => rows.add(row));
  let decoder: InstanceType<typeof TextDecoder> | undefined;
  const unpacking: { trouble?: Clause } = {};
  for await (const chunk of unpacked(found.xml, unpacking)) {
    decoder ??= new TextDecoder(xmlEncoding(chunk));
    reader.write(decoder.decode(chunk, { stream: true }));
    // The rest of a broken report is not even unpacked.
    if (reader.problem !== undefined) break;
    if (rows.isFull) yield { kind: "rows", sums: rows.take() };
  }
  if (unpacking.trouble !== undefined) {
    yield aside("cut", clause("report-not-unpacked", { why: unpacking.trouble }));
    return;
  }
  const ended = reader.end(now);
  const wrong =
    "problem" in ended ? { reason: ended.problem.kind, because: ended.problem.because } : refusal(ended.head, found, domains);
  if (wrong !== undefined) yield aside(wrong.reason, wrong.because);
  else if ("head" in ended) {
    yield { kind: "rows", sums: rows.take() };
    yield { kind: "read", report: { head: ended.head, rows: rows.rows, messages: rows.messages } };
  }
}

/** Reads the reports of one file in this thread. */
export async function* readReportFile(file: ReportFile, reading: ReadingReports): AsyncGenerator<ReportPiece> {
  const { reportsIn } = await reportReading();
  for await (const found of reportsIn(file)) yield* piecesOf(found, reading);
}

/** Files from which on threads are worth it. */
const MANY = 40;
const MAX_THREADS = 4;
/** Pieces that a thread may be ahead, and files that are being read at the same time in each. */
export const AHEAD = 8;
const FILES_AHEAD = 4;

/** What is said between the threads; a failure comes apart, because only plain data passes. */
export type ReadCall = { readonly file: ReportFile } | { readonly taken: true };
export type ReadReply =
  | { readonly piece: ReportPiece }
  | { readonly done: true }
  | { readonly failure: Pick<Failure, "code" | "params"> }
  | { readonly error: string };

interface Thread {
  readonly worker: Worker;
  /** Files that it was given and that are not read to their end, each with those who wait for its pieces. */
  readonly open: { readonly replies: ReadReply[]; wake(): void }[];
  /** Why it has ended, where it has: nothing is read there any more. */
  ended: string | undefined;
}

/** Little of what is read lives for long, so that a thread needs less room for what is new than it would take by itself (MB). */
const YOUNG = { maxYoungGenerationSizeMb: 24 };

function startThread(reading: ReadingReports): Thread {
  // The program's chunks lie in a folder beside its entries.
  const worker = new Worker(new URL("../report-worker.js", import.meta.url), { workerData: reading, resourceLimits: YOUNG });
  const thread: Thread = { worker, open: [], ended: undefined };
  const reply = (readReply: ReadReply): void => {
    const [first] = thread.open;
    first?.replies.push(readReply);
    if (!("piece" in readReply)) thread.open.shift();
    first?.wake();
  };
  worker.on("message", reply);
  const ended = (why: string): void => {
    thread.ended ??= why;
    while (thread.open.length > 0) reply({ error: thread.ended });
  };
  worker.on("error", (error) => ended(error.message));
  worker.on("exit", () => ended("a thread that reads reports has ended"));
  return thread;
}

/** The reports of a file, as a thread reads them; it begins at once. */
function readIn(thread: Thread, file: ReportFile): AsyncGenerator<ReportPiece> {
  const replies: ReadReply[] = thread.ended === undefined ? [] : [{ error: thread.ended }];
  let wake = (): void => undefined;
  if (thread.ended === undefined) thread.open.push({ replies, wake: () => wake() });
  thread.worker.postMessage({ file } satisfies ReadCall);
  return (async function* () {
    for (;;) {
      const reply = replies.shift();
      if (reply === undefined) {
        await new Promise<void>((resolve) => {
          wake = resolve;
        });
        continue;
      }
      if ("done" in reply) return;
      if ("failure" in reply) throw new Failure(reply.failure.code, reply.failure.params);
      if ("error" in reply) throw new Error(reply.error);
      thread.worker.postMessage({ taken: true } satisfies ReadCall);
      yield reply.piece;
    }
  })();
}

/**
 * Reads every report at a path, in the order of the files. Where there are many, several threads read them, a few files ahead of
 * whoever takes the pieces.
 */
export async function* readReports(path: string, reading: ReadingReports): AsyncGenerator<ReportPiece> {
  const { reportFiles } = await reportReading();
  const files = reportFiles(path);
  const some: (ReportFile | Extract<FoundReport, { because: Clause }>)[] = [];
  while (some.length < MANY) {
    const next = files.next();
    if (next.done === true) break;
    some.push(next.value);
  }
  const count = some.length < MANY ? 1 : Math.min(MAX_THREADS, availableParallelism());
  const threads = count < 2 ? [] : Array.from({ length: count }, () => startThread(reading));
  const ahead: AsyncGenerator<ReportPiece>[] = [];
  let given = 0;
  try {
    for (;;) {
      while (ahead.length <= FILES_AHEAD * threads.length) {
        const next = some.shift() ?? (files.next().value as ReportFile | Extract<FoundReport, { because: Clause }> | undefined);
        if (next === undefined) break;
        const thread = threads[given++ % threads.length];
        ahead.push(
          "because" in next
            ? piecesOf(next, reading)
            : thread === undefined
              ? readReportFile(next, reading)
              : readIn(thread, next),
        );
      }
      const first = ahead.shift();
      if (first === undefined) return;
      yield* first;
    }
  } finally {
    await Promise.all(threads.map(({ worker }) => worker.terminate()));
  }
}
