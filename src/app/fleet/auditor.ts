import { availableParallelism } from "node:os";
import { Worker } from "node:worker_threads";
import { parseClock, systemClock } from "../../clock.ts";
import type { Area } from "../../core/audit/index.ts";
import { AnswerMemo } from "../../core/lookup/index.ts";
import type { DomainName } from "../../core/name/index.ts";
import type { SweepResult } from "../../core/sweep/index.ts";
import { findWorkspace, openWorkspace } from "../../workspace/index.ts";
import { auditDomain } from "../audit/one-domain.ts";
import { type DnsContext, openDns } from "../dns/context.ts";

/** Whoever audits the domains of a sweep: this thread, or several. */
export interface Auditor {
  /** `again` where it was asked before and not everybody answered. */
  audit(domain: DomainName, again: boolean): Promise<SweepResult>;
  close(): Promise<void>;
}

/** What an auditor is told; plain data, so that it can be told to another thread. */
export interface AuditorRequest {
  readonly cwd: string;
  /** The workspace folder, where it was named. */
  readonly workspace: string | undefined;
  readonly resolver: readonly string[];
  readonly timeout: number;
  /** How many questions one server gets at the same time. */
  readonly perServer: number;
  readonly areas: readonly Area[];
  /** A clock other than this machine's, as a lab has it. */
  readonly clock: string | undefined;
}

/** Domains that are audited with one set of sockets and signatures; what it keeps besides answers goes with it. */
const TERM = 500;

/** One term: it is closed when the last of its domains is done. */
interface Term {
  readonly dns: DnsContext;
  begun: number;
  active: number;
}

/** Audits in this thread. Answers are kept for the whole sweep, so that what many domains share is asked for once. */
export async function auditorHere(request: AuditorRequest): Promise<Auditor> {
  const { cwd, areas, resolver, timeout, perServer } = request;
  const folder = findWorkspace(cwd, request.workspace);
  const workspace = folder === undefined ? undefined : openWorkspace(cwd, folder);
  const journal = workspace?.hasJournal === true ? await workspace.openJournal() : undefined;
  const answers = new AnswerMemo();
  const clock = (request.clock === undefined ? undefined : parseClock(request.clock)) ?? systemClock;
  const open = (): Term => ({
    dns: openDns({ resolver, timeout, perServer, answers }, { cwd, clock }, workspace?.settings, []),
    begun: 0,
    active: 0,
  });
  let term = open();
  return {
    async audit(domain, again) {
      if (again) answers.forgetFailures();
      if (term.begun >= TERM) {
        if (term.active === 0) term.dns.close();
        term = open();
      }
      const own = term;
      own.begun += 1;
      own.active += 1;
      try {
        const { findings, unresolved, providers } = await auditDomain(domain, {
          ...{ workspace, journal, dns: own.dns, selectors: [], areas, cwd },
        });
        const kept = findings.map(({ id, seen }) => ({ id, seen }));
        return { findings: kept, unresolved, providers };
      } finally {
        own.active -= 1;
        if (own !== term && own.active === 0) own.dns.close();
      }
    },
    async close() {
      term.dns.close();
      journal?.close();
    },
  };
}

/** What is said between the threads. */
export type AuditCall = { readonly id: number; readonly domain: DomainName; readonly again: boolean };
export type AuditReply = { readonly id: number } & ({ readonly result: SweepResult } | { readonly error: string });

interface Thread {
  readonly worker: Worker;
  ended: boolean;
  readonly open: Map<number, { resolve(result: SweepResult): void; reject(error: Error): void }>;
}

/** Audits in several threads; a thread that ends is replaced, and what it was at is to be done again. */
export function auditorInThreads(request: AuditorRequest, count: number): Auditor {
  const perServer = Math.max(1, Math.floor(request.perServer / count));
  let last = 0;
  const start = (): Thread => {
    // The program's chunks lie in a folder beside its entries.
    const worker = new Worker(new URL("../sweep-worker.js", import.meta.url), { workerData: { ...request, perServer } });
    const open: Thread["open"] = new Map();
    const thread: Thread = { worker, open, ended: false };
    worker.on("message", (reply: AuditReply) => {
      const call = open.get(reply.id);
      open.delete(reply.id);
      if ("result" in reply) call?.resolve(reply.result);
      else call?.reject(new Error(reply.error));
    });
    worker.on("error", (error) => {
      for (const call of open.values()) call.reject(error);
      open.clear();
    });
    worker.on("exit", () => {
      thread.ended = true;
      for (const call of open.values()) call.reject(new Error("the thread ended"));
      open.clear();
    });
    return thread;
  };
  const threads: Thread[] = Array.from({ length: count }, start);
  return {
    audit(domain, again) {
      // One that ended is replaced when there is something to do, so that one that always ends does not turn in a circle.
      for (const [place, { ended }] of threads.entries()) if (ended) threads[place] = start();
      const idlest = threads.reduce((best, one) => (one.open.size < best.open.size ? one : best));
      const id = ++last;
      return new Promise<SweepResult>((resolve, reject) => {
        idlest.open.set(id, { resolve, reject });
        idlest.worker.postMessage({ id, domain, again } satisfies AuditCall);
      });
    },
    async close() {
      await Promise.all(threads.map(({ worker }) => worker.terminate()));
    },
  };
}

/** Threads that are worth it: none for a short list, else one a processor, and eight at most. */
export const threadsFor = (domains: number): number => (domains < 200 ? 0 : Math.max(1, Math.min(8, availableParallelism())));
