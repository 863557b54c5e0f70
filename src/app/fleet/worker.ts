import { parentPort, workerData } from "node:worker_threads";
import { type AuditCall, type AuditorRequest, type AuditReply, auditorHere } from "./auditor.ts";

/** A thread of a sweep: audits the domains it is told, and hands back what they came to. */
const port = parentPort;
if (port === null) throw new Error("this is a thread of a sweep, and no program");
const auditor = auditorHere(workerData as AuditorRequest);
port.on("message", ({ id, domain, again }: AuditCall) => {
  void auditor
    .then((auditingThread) => auditingThread.audit(domain, again))
    .then(
      (result) => port.postMessage({ id, result } satisfies AuditReply),
      (error: unknown) => port.postMessage({ id, error: (error as Error).message } satisfies AuditReply),
    );
});
