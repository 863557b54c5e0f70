import { connect } from "node:net";
import { type Failed, failed } from "../core/lookup/index.ts";
import type { DomainName } from "../core/name/index.ts";
import { displayName } from "../core/name/index.ts";
import { type RecordSet, type ResourceRecord, toSets } from "../core/record/index.ts";
import { err, ok, type Result } from "../core/result.ts";
import { type ServerAddress, serverText } from "./address.ts";
import { CLASS, decodeMessage, encodeMessage, queryMessage, RCODE, rcodeName } from "./message.ts";

/** No zone of a marketer is larger; what goes on and on is cut. */
const MAX_RECORDS = 1_000_000;

/** Asks a server for its whole zone (RFC 5936). Most servers refuse; that says nothing about what the zone holds. */
export function transferZone(
  server: ServerAddress,
  apex: DomainName,
  timeout: number,
): Promise<Result<readonly RecordSet[], Failed>> {
  if ("url" in server) return Promise.resolve(err(failed("refused", `${server.url} does not hand out zones`)));
  const where = serverText(server);
  return new Promise((resolve) => {
    const socket = connect(server.port, server.address);
    const records: ResourceRecord[] = [];
    let waiting = Buffer.alloc(0);
    let soas = 0;
    const settle = (outcome: Result<readonly RecordSet[], Failed>) => {
      clearTimeout(timer);
      socket.destroy();
      resolve(outcome);
    };
    const stop = (why: Failed["why"], detail: string) => settle(err(failed(why, detail)));
    const timer = setTimeout(
      () => stop("timeout", `${where} did not hand out ${displayName(apex)} within ${timeout / 1000} s`),
      timeout,
    );
    socket.on("connect", () => {
      const query = encodeMessage(queryMessage({ name: apex, type: "AXFR", class: CLASS.IN }, false, false));
      const length = Buffer.alloc(2);
      length.writeUInt16BE(query.length);
      socket.write(Buffer.concat([length, query]));
    });
    socket.on("error", (error: NodeJS.ErrnoException) => stop("unreachable", `${where} cannot be reached (${error.code})`));
    socket.on("close", () => stop("malformed", `${where} hung up before the zone was complete`));
    socket.on("data", (chunk: Buffer) => {
      waiting = Buffer.concat([waiting, chunk]);
      while (waiting.length >= 2 && waiting.length >= 2 + waiting.readUInt16BE(0)) {
        const message = decodeMessage(waiting.subarray(2, 2 + waiting.readUInt16BE(0)));
        waiting = waiting.subarray(2 + waiting.readUInt16BE(0));
        if (!message.ok) return stop("malformed", `${where} sent a zone that cannot be read: ${message.error}`);
        if (message.value.rcode !== RCODE.NOERROR)
          return stop("refused", `${where} does not hand out the whole zone (${rcodeName(message.value.rcode)})`);
        if (message.value.answers.length === 0) return stop("refused", `${where} does not hand out the whole zone`);
        for (const record of message.value.answers) {
          if (record.data === undefined) continue;
          if (record.type === "SOA" && ++soas === 2) return settle(ok(toSets(records)));
          records.push({ name: record.name, type: record.type, ttl: record.ttl, data: record.data });
        }
        if (records.length > MAX_RECORDS) return stop("malformed", `${where} sends more than ${MAX_RECORDS} records`);
      }
    });
  });
}
