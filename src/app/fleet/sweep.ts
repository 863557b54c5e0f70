import { createHash } from "node:crypto";
import { basename } from "node:path";
import * as z from "zod";
import { AREAS, type Area, type Severity } from "../../core/audit/index.ts";
import { Failure } from "../../core/failure.ts";
import { withoutRootDot } from "../../core/name/index.ts";
import {
  anyAtLeast,
  type KeptOutcome,
  ShareCounter,
  type SkippedLine,
  type Sweep,
  type SweepProgress,
  type SweepStore,
  WORST,
} from "../../core/sweep/index.ts";
import { findWorkspace, openWorkspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { time } from "../shapes.ts";
import { type Auditor, auditorOf, threadsFor } from "./auditor.ts";
import { type ListReading, openList, readList } from "./list.ts";
import { runSweep } from "./run.ts";
import { outcomesOf, type SweepsRequest, sweeping } from "./store.ts";

/** Skipped lines that a summary shows. */
const MAX_SHOWN = 20;

export const sweepSchema = z.object({
  sweep: z.string().describe("the name of the sweep, for sweep report and sweep diff"),
  resumed: z.boolean().describe("whether it went on with one that had not been finished"),
  started: time,
  finished: time,
  domains: z.number(),
  unresolved: z.number().describe("domains that could not be asked about everything, also when they were asked again"),
  worst: z
    .array(z.object({ key: z.enum(WORST), domains: z.number() }))
    .describe("domains by their worst finding; fine where there is none, unknown where not everything could be asked"),
  skipped: z.number().describe("lines of the list that are not domains, or one that was there before"),
  skippedLines: z
    .array(z.object({ line: z.number(), text: z.string(), why: z.string(), detail: z.string() }))
    .describe(`the first ${MAX_SHOWN} of them`),
});
export type SweepSummary = z.output<typeof sweepSchema>;

/** What {@link sweep} is asked; spans in milliseconds. */
export interface SweepRequest extends CommonRequest, SweepsRequest {
  readonly workspace: string | undefined;
  readonly checks: readonly string[];
  readonly column: string | undefined;
  readonly resolver: readonly string[];
  readonly timeout: number;
  readonly perServer: number;
  readonly concurrency: number;
  readonly threads: number | undefined;
  readonly tries: number;
  readonly retryAfter: number;
  readonly restart: boolean;
  readonly failOn: Severity | "never";
}

/** Whoever is told about a sweep while it runs. */
export interface SweepWatcher {
  /** Before the first domain: what is looked at, and how far an earlier run came. */
  begun(sweep: Sweep, progress: SweepProgress, resumed: boolean): Promise<void>;
  skipped(line: SkippedLine): Promise<void>;
  /** Each domain once, also those that an earlier run looked at. */
  outcome(outcome: KeptOutcome): Promise<void>;
  progress(done: number): void;
  /** Only domains are left that could not be asked; they are looked at again after a while (milliseconds). */
  rests(left: number, ms: number): Promise<void>;
}

/** The areas that are named, each once; words between commas count one by one. */
function areasOf(given: readonly string[]): Area[] {
  const named = given.flatMap((text) => text.split(",")).map((word) => word.trim());
  for (const word of named)
    if (!(AREAS as readonly string[]).includes(word))
      throw new Failure("option-choice", { option: "checks", value: word, values: AREAS });
  return AREAS.filter((area) => named.includes(area));
}

/** The domains of the workspace as a list. */
function ownDomains(cwd: string, workspace: string | undefined): { title: string; fingerprint: string; reading: ListReading } {
  const { domains } = openWorkspace(cwd, workspace);
  if (domains.length === 0) throw new Failure("no-domain", {});
  async function* lines() {
    for (const [i, { name }] of domains.entries()) yield { domain: name, given: withoutRootDot(name), line: i + 1, own: [] };
  }
  const names = domains.map(({ name }) => name).join("\n");
  return {
    title: "workspace",
    fingerprint: createHash("sha256").update(names).digest("hex"),
    reading: { columns: [], column: undefined, lines: lines() },
  };
}

/** A name that no other sweep has: the list's, and the day. */
async function freeName(store: SweepStore, title: string, now: number): Promise<string> {
  const stem =
    basename(title)
      .replace(/\.[a-z0-9]{1,5}$/i, "")
      .replace(/[^\p{L}\p{N}._-]+/gu, "-")
      // A name that begins with a hyphen would be an option.
      .replace(/^[.-]+/, "") || "list";
  const name = `${stem}-${new Date(now).toISOString().slice(0, 10)}`;
  for (let number = 1; ; number++) {
    const candidate = number === 1 ? name : `${name}-${number}`;
    if ((await store.byName(candidate)) === undefined) return candidate;
  }
}

/** The sweep that a request is about: one that was not finished, or a new one with the lines of its list. */
async function sweepFor(
  request: SweepRequest,
  store: SweepStore,
  context: AppContext,
): Promise<{ sweep: Sweep; resumed: boolean; column?: string | undefined }> {
  const checks = areasOf(request.checks);
  const [given] = request.operands;
  const list = given === undefined ? undefined : await openList(given, context);
  try {
    const own = list === undefined ? ownDomains(context.cwd, request.workspace) : undefined;
    const { title, fingerprint: held } = (list ?? own) as { title: string; fingerprint: string };
    const fingerprint = [held, checks.join(","), request.column ?? ""].join(" ");
    const unfinished = request.restart ? undefined : await store.unfinished(fingerprint);
    if (unfinished !== undefined) return { sweep: unfinished, resumed: true };
    const { columns, column, lines } = own?.reading ?? (await readList(list as NonNullable<typeof list>, request.column));
    const now = context.clock.now();
    const name = await freeName(store, title, now);
    return { sweep: await store.begin({ name, checks, columns, fingerprint }, lines, now), resumed: false, column };
  } finally {
    list?.close();
  }
}

/** Audit many domains: each once, politely, and so that a run that is stopped goes on where it was. */
export async function sweep(request: SweepRequest, context: AppContext, watcher: SweepWatcher): Promise<Outcome<SweepSummary>> {
  return sweeping(request, context, async (store) => {
    const { sweep: current, resumed, column } = await sweepFor(request, store, context);
    const progress = await store.progress(current);
    if (progress.domains === 0) {
      await store.discard(current);
      throw new Failure("list-empty", { path: request.operands[0] ?? "", skipped: progress.skipped, column });
    }
    await watcher.begun(current, progress, resumed);
    const skippedLines: SweepSummary["skippedLines"] = [];
    for await (const line of store.skipped(current)) {
      const { own: _, ...shown } = line;
      if (skippedLines.length < MAX_SHOWN) skippedLines.push(shown);
      await watcher.skipped(line);
    }
    const counter = new ShareCounter();
    const { failOn } = request;
    let fails = false;
    let told = 0;
    let seen = 0;
    // What is told comes from the store, so that every domain is told once, whichever run looked at it.
    const tell = async (): Promise<void> => {
      for await (const outcome of outcomesOf(store, current, told)) {
        told = outcome.sequence;
        seen += 1;
        counter.add(outcome.result);
        fails ||= failOn !== "never" && anyAtLeast(outcome.result.findings, failOn);
        await watcher.outcome(outcome);
      }
    };
    const auditor = await auditorFor(request, current, progress.domains - progress.done, context);
    try {
      await tell();
      await runSweep(store, current, auditor, request, context.clock, {
        async kept() {
          await tell();
          // What other machines kept counts too.
          watcher.progress(seen);
        },
        rests: (left, ms) => watcher.rests(left, ms),
      });
    } finally {
      await auditor.close();
    }
    const finished = context.clock.now();
    await store.finish(current, finished);
    const { worst, domains, unresolved } = counter.shares();
    return {
      ended: fails ? "problem" : unresolved > 0 ? "undetermined" : "fine",
      result: {
        ...{ sweep: current.name, resumed, started: current.started, finished, domains, unresolved },
        worst: [...worst],
        skipped: progress.skipped,
        skippedLines,
      },
    };
  });
}

/** How domains are asked about. */
export type AskingRequest = Pick<SweepRequest, "workspace" | "resolver" | "timeout" | "perServer" | "threads">;

/** Whoever audits for a sweep of which so many domains are left. */
export async function auditorFor(request: AskingRequest, { checks }: Sweep, left: number, context: AppContext): Promise<Auditor> {
  const { workspace, resolver, timeout, perServer } = request;
  const told = {
    ...{ cwd: context.cwd, workspace, resolver, timeout, perServer },
    areas: checks,
    clock: context.env.ZANDREL_CLOCK,
  };
  // A mistake in the workspace is said once, and not by every thread for every domain.
  const folder = findWorkspace(context.cwd, workspace);
  if (folder !== undefined) openWorkspace(context.cwd, folder);
  return auditorOf(request.threads ?? threadsFor(left), told, context);
}
