import { connect } from "node:net";
import { type Clause, clause } from "../core/clause/index.ts";
import { type Failed, failed } from "../core/lookup/index.ts";
import type { DomainName } from "../core/name/index.ts";
import { type RecordSet, type ResourceRecord, toSets } from "../core/record/index.ts";
import { err, ok, type Result } from "../core/result.ts";
import { type ServerAddress, serverText } from "./address.ts";
import { CLASS, decodeMessage, encodeQuery, RCODE, rcodeName } from "./message.ts";
import { signMessage, type TsigKey, TsigStream } from "./tsig.ts";

/** No zone of a marketer is larger; what goes on and on is cut. */
const MAX_RECORDS = 1_000_000;
const MAX_OCTETS = 256 << 20;

/**
 * Asks a server for its whole zone (RFC 5936). Most servers refuse; that says nothing about what the zone holds. With a key the
 * question is signed, and nothing is taken that the server did not sign.
 */
export function transferZone(
  server: ServerAddress,
  apex: DomainName,
  timeout: number,
  key?: TsigKey,
): Promise<Result<readonly RecordSet[], Failed>> {
  if ("url" in server) return Promise.resolve(err(failed("refused", clause("transfer-by-url", { server: server.url }))));
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
    const stop = (why: Failed["why"], detail: Clause) => settle(err(failed(why, detail)));
    const timer = setTimeout(() => stop("timeout", clause("transfer-late", { server: where, zone: apex, ms: timeout })), timeout);
    let signatures: TsigStream | undefined;
    socket.on("connect", () => {
      const plain = encodeQuery({ name: apex, type: "AXFR", class: CLASS.IN }, false, false);
      // A signature counts against the server's real clock, not a lab's.
      const now = Math.floor(Date.now() / 1000);
      const signed = key === undefined ? undefined : signMessage(plain, key, now);
      if (key !== undefined && signed !== undefined) signatures = new TsigStream(key, now, signed.mac);
      const query = signed?.message ?? plain;
      const length = Buffer.alloc(2);
      length.writeUInt16BE(query.length);
      socket.write(Buffer.concat([length, query]));
    });
    socket.on("error", (error: NodeJS.ErrnoException) =>
      stop("unreachable", clause("answer-unreachable", { server: where, why: error.code ?? error.message })),
    );
    socket.on("close", () => stop("malformed", clause("answer-hung-up", { server: where, before: "zone" })));
    let came = 0;
    socket.on("data", (chunk: Buffer) => {
      came += chunk.length;
      if (came > MAX_OCTETS) return stop("malformed", clause("transfer-octets", { server: where, mebioctets: MAX_OCTETS >> 20 }));
      waiting = Buffer.concat([waiting, chunk]);
      while (waiting.length >= 2 && waiting.length >= 2 + waiting.readUInt16BE(0)) {
        const octets = waiting.subarray(2, 2 + waiting.readUInt16BE(0));
        const message = decodeMessage(octets);
        const refusal = signatures?.take(octets);
        waiting = waiting.subarray(2 + waiting.readUInt16BE(0));
        if (!message.ok)
          return stop("malformed", clause("answer-unreadable", { server: where, what: "zone", error: message.error }));
        // A refusal need not be signed to be one.
        if (refusal !== undefined && (refusal !== "unsigned" || message.value.rcode === RCODE.NOERROR))
          return stop("refused", clause("transfer-signature", { server: where, why: refusal }));
        if (message.value.rcode !== RCODE.NOERROR)
          return stop("refused", clause("transfer-refused", { server: where, why: rcodeName(message.value.rcode) }));
        if (message.value.answers.length === 0)
          return stop("refused", clause("transfer-refused", { server: where, why: undefined }));
        for (const record of message.value.answers) {
          if (record.data === undefined) continue;
          if (record.type === "TSIG") continue;
          if (record.type === "SOA" && ++soas === 2)
            return signatures?.isComplete === false
              ? stop("malformed", clause("transfer-end-unsigned", { server: where }))
              : settle(ok(toSets(records)));
          records.push({ name: record.name, type: record.type, ttl: record.ttl, data: record.data });
        }
        if (records.length > MAX_RECORDS)
          return stop("malformed", clause("transfer-records", { server: where, records: MAX_RECORDS }));
      }
    });
  });
}
