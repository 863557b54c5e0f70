import { connect } from "node:net";
import { type Failed, failed } from "../core/lookup/index.ts";
import type { DomainName } from "../core/name/index.ts";
import { displayName } from "../core/name/index.ts";
import { type RecordSet, type ResourceRecord, toSets } from "../core/record/index.ts";
import { err, ok, type Result } from "../core/result.ts";
import { type ServerAddress, serverText } from "./address.ts";
import { CLASS, decodeMessage, encodeMessage, queryMessage, RCODE, rcodeName } from "./message.ts";
import { signMessage, type TsigFailure, type TsigKey, TsigStream } from "./tsig.ts";

/** Why what came is not taken, for people. */
const UNSIGNED: Readonly<Record<TsigFailure["code"], string>> = {
  unsigned: "its answer is not signed",
  "other-key": "its answer is signed with another key",
  "bad-key": "it does not know the key",
  "bad-signature": "it does not accept the key's secret",
  forged: "the signature of its answer does not verify",
  "bad-time": "its clock and that of this machine differ by more than five minutes",
  malformed: "the signature of its answer cannot be read",
};

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
    let signatures: TsigStream | undefined;
    socket.on("connect", () => {
      const plain = encodeMessage(queryMessage({ name: apex, type: "AXFR", class: CLASS.IN }, false, false));
      // A signature counts against the server's real clock, not a lab's.
      const now = Math.floor(Date.now() / 1000);
      const signed = key === undefined ? undefined : signMessage(plain, key, now);
      if (key !== undefined && signed !== undefined) signatures = new TsigStream(key, now, signed.mac);
      const query = signed?.message ?? plain;
      const length = Buffer.alloc(2);
      length.writeUInt16BE(query.length);
      socket.write(Buffer.concat([length, query]));
    });
    socket.on("error", (error: NodeJS.ErrnoException) => stop("unreachable", `${where} cannot be reached (${error.code})`));
    socket.on("close", () => stop("malformed", `${where} hung up before the zone was complete`));
    let came = 0;
    socket.on("data", (chunk: Buffer) => {
      came += chunk.length;
      if (came > MAX_OCTETS) return stop("malformed", `${where} sends more than ${MAX_OCTETS >> 20} MiB`);
      waiting = Buffer.concat([waiting, chunk]);
      while (waiting.length >= 2 && waiting.length >= 2 + waiting.readUInt16BE(0)) {
        const octets = waiting.subarray(2, 2 + waiting.readUInt16BE(0));
        const message = decodeMessage(octets);
        const refusal = signatures?.take(octets);
        waiting = waiting.subarray(2 + waiting.readUInt16BE(0));
        if (!message.ok) return stop("malformed", `${where} sent a zone that cannot be read: ${message.error}`);
        // A refusal need not be signed to be one.
        if (refusal !== undefined && (refusal !== "unsigned" || message.value.rcode === RCODE.NOERROR))
          return stop("refused", `${where} does not hand out the whole zone: ${UNSIGNED[refusal]}`);
        if (message.value.rcode !== RCODE.NOERROR)
          return stop("refused", `${where} does not hand out the whole zone (${rcodeName(message.value.rcode)})`);
        if (message.value.answers.length === 0) return stop("refused", `${where} does not hand out the whole zone`);
        for (const record of message.value.answers) {
          if (record.data === undefined) continue;
          if (record.type === "TSIG") continue;
          if (record.type === "SOA" && ++soas === 2)
            return signatures?.isComplete === false
              ? stop("malformed", `${where} did not sign the end of the zone`)
              : settle(ok(toSets(records)));
          records.push({ name: record.name, type: record.type, ttl: record.ttl, data: record.data });
        }
        if (records.length > MAX_RECORDS) return stop("malformed", `${where} sends more than ${MAX_RECORDS} records`);
      }
    });
  });
}
