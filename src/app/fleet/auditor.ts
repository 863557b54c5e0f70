import { availableParallelism } from "node:os";
import { type EventLoopUtilityFunction, type EventLoopUtilization, performance } from "node:perf_hooks";
import { Worker } from "node:worker_threads";
import { parseClock, systemClock } from "../../clock.ts";
import type { Area } from "../../core/audit/index.ts";
import { AnswerMemo } from "../../core/lookup/index.ts";
import type { DomainName } from "../../core/name/index.ts";
import type { SweepResult } from "../../core/sweep/index.ts";
import { findWorkspace, openWorkspace } from "../../workspace/index.ts";
import { auditDomain } from "../audit/one-domain.ts";
import type { AppContext } from "../context.ts";
import { type DnsContext, openDns } from "../dns/context.ts";

/** Whoever audits the domains of a sweep: this thread, or several. */
export interface Auditor {
  /** Whether another domain, given now, would make it do more. */
  hasRoom(): boolean;
  /** `again` where it was asked before and not everybody answered. */
  audit(domain: DomainName, again: boolean): Promise<SweepResult>;
  close(): Promise<void>;
}

/** One thread that audits, and how much it has to do. */
export interface AuditingThread extends Omit<Auditor, "hasRoom"> {
  readonly load: Load;
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

/** Domains that a thread is always given; more only while it waits for answers, since each takes memory as long as it lasts. */
const ALWAYS = 4;

/** The share of its time for which a thread may have had something to do and still be given another domain. */
const BUSY = 0.95;

/** How much a thread did since it was given its last domain, and whether it has time for another. */
export class Load {
  open = 0;
  #since: EventLoopUtilization | undefined;
  readonly #utilization: EventLoopUtilityFunction;

  constructor(utilization: EventLoopUtilityFunction) {
    this.#utilization = utilization;
  }

  get hasRoom(): boolean {
    return this.open < ALWAYS || this.#utilization(this.#since).utilization < BUSY;
  }

  /** Counts a domain as long as it takes. */
  async during<T>(audit: () => Promise<T>): Promise<T> {
    this.open += 1;
    this.#since = this.#utilization();
    try {
      return await audit();
    } finally {
      this.open -= 1;
    }
  }
}

/** One batch: it is closed when the last of its domains is done. */
interface AuditBatch {
  readonly dns: DnsContext;
  begun: number;
  active: number;
}

/** A further thread has nobody to say it to; the first one waits for the same database. */
const SILENTLY: Pick<AppContext, "prepare"> = { prepare: async () => () => undefined };

/** Audits in this thread. What many domains share is kept for the whole sweep, so that it is asked for once. */
export async function auditorHere(request: AuditorRequest, context = SILENTLY): Promise<AuditingThread> {
  const { cwd, areas, resolver, timeout, perServer } = request;
  const folder = findWorkspace(cwd, request.workspace);
  const workspace = folder === undefined ? undefined : openWorkspace(cwd, folder);
  const journal = workspace?.hasJournal === true ? await workspace.openJournal(context) : undefined;
  const answers = new AnswerMemo();
  const clock = (request.clock === undefined ? undefined : parseClock(request.clock)) ?? systemClock;
  const open = (): AuditBatch => ({
    dns: openDns({ resolver, timeout, perServer, answers }, { cwd, clock }, workspace?.settings, []),
    begun: 0,
    active: 0,
  });
  let batch = open();
  const load = new Load(performance.eventLoopUtilization);
  return {
    load,
    async audit(domain, again) {
      if (again) answers.forgetFailures();
      if (batch.begun >= TERM) {
        if (batch.active === 0) batch.dns.close();
        batch = open();
      }
      const own = batch;
      own.begun += 1;
      own.active += 1;
      try {
        const { findings, unresolved, providers } = await answers.during(domain, () =>
          auditDomain(domain, { workspace, journal, dns: own.dns, selectors: [], areas, cwd }),
        );
        const kept = findings.map(({ id, seen }) => ({ id, seen }));
        return { findings: kept, unresolved, providers };
      } finally {
        own.active -= 1;
        if (own !== batch && own.active === 0) own.dns.close();
      }
    },
    async close() {
      batch.dns.close();
      journal?.close();
    },
  };
}

/** What is said between the threads. */
export type AuditCall = { readonly id: number; readonly domain: DomainName; readonly again: boolean };
export type AuditReply = { readonly id: number } & ({ readonly result: SweepResult } | { readonly error: string });

/** Audits in a thread of its own; one that ended is replaced, and what it was at is to be done again. */
function auditorElsewhere(request: AuditorRequest): AuditingThread {
  const calls = new Map<number, { resolve(result: SweepResult): void; reject(error: Error): void }>();
  let last = 0;
  let worker: Worker | undefined;
  function start(): Worker {
    // The program's chunks lie in a folder beside its entries.
    const started = new Worker(new URL("../sweep-worker.js", import.meta.url), { workerData: request });
    const fail = (error: Error): void => {
      for (const { reject } of calls.values()) reject(error);
      calls.clear();
    };
    started.on("message", (reply: AuditReply) => {
      const call = calls.get(reply.id);
      calls.delete(reply.id);
      if ("result" in reply) call?.resolve(reply.result);
      else call?.reject(new Error(reply.error));
    });
    started.on("error", fail);
    started.on("exit", () => {
      worker = undefined;
      fail(new Error("the thread ended"));
    });
    return started;
  }
  return {
    // Until it runs nobody knows; it is given what a thread is always given.
    load: new Load((since) => worker?.performance.eventLoopUtilization(since) ?? { idle: 0, active: 0, utilization: 1 }),
    audit: (domain, again) =>
      new Promise<SweepResult>((resolve, reject) => {
        // It is started when there is something to do, so that one that always ends does not turn in a circle.
        worker ??= start();
        calls.set(++last, { resolve, reject });
        worker.postMessage({ id: last, domain, again } satisfies AuditCall);
      }),
    async close() {
      await worker?.terminate();
    },
  };
}

/** Audits in so many threads, of which this is one; each domain goes to the one that is at the fewest. */
export async function auditorOf(threads: number, request: AuditorRequest, context: AppContext): Promise<Auditor> {
  const own = { ...request, perServer: Math.max(1, Math.floor(request.perServer / threads)) };
  const auditors = [await auditorHere(own, context), ...Array.from({ length: threads - 1 }, () => auditorElsewhere(own))];
  return {
    hasRoom: () => auditors.some(({ load }) => load.hasRoom),
    async audit(domain, again) {
      const free = auditors.filter(({ load }) => load.hasRoom);
      const idlest = (free.length === 0 ? auditors : free).reduce((best, auditingThread) =>
        auditingThread.load.open < best.load.open ? auditingThread : best,
      );
      return idlest.load.during(() => idlest.audit(domain, again));
    },
    async close() {
      await Promise.all(auditors.map((auditor) => auditor.close()));
    },
  };
}

/** Threads that are worth it: one for a short list, else one a processor, and eight at most. */
export const threadsFor = (domains: number): number => (domains < 200 ? 1 : Math.min(8, availableParallelism()));
