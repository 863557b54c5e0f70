import { parentPort, workerData } from "node:worker_threads";
import { Failure } from "../../core/failure.ts";
import { AHEAD, type ReadCall, type ReadingReports, type ReadReply, readReportFile } from "./read-files.ts";

/** A thread of an import: reads the files it is told one after the other, and stays a few pieces ahead at most. */
const port = parentPort;
if (port === null) throw new Error("this is a thread of an import, and no program");
const reply = (readReply: ReadReply): void => port.postMessage(readReply);
let credit = AHEAD;
let wake = (): void => undefined;
let last: Promise<void> = Promise.resolve();

async function read({ file }: Extract<ReadCall, { file: unknown }>): Promise<void> {
  try {
    for await (const piece of readReportFile(file, workerData as ReadingReports)) {
      while (credit === 0)
        await new Promise<void>((resolve) => {
          wake = resolve;
        });
      credit -= 1;
      reply({ piece });
    }
    reply({ done: true });
  } catch (error) {
    if (error instanceof Failure) reply({ failure: { code: error.code, params: error.params } });
    else reply({ error: (error as Error).message });
  }
}

port.on("message", (call: ReadCall) => {
  if ("file" in call) last = last.then(() => read(call));
  else {
    credit += 1;
    wake();
  }
});
