import { randomBytes, randomInt } from "node:crypto";
import { type Clause, clause } from "../core/clause/index.ts";
import type { DomainName } from "../core/name/index.ts";
import type { RecordSet, RecordType } from "../core/record/index.ts";
import { dataKey } from "../core/record/index.ts";
import type { SetChange } from "../core/zone/index.ts";
import { type ServerAddress, serverText } from "./address.ts";
import {
  CLASS,
  decodeMessage,
  emptyMessage,
  encodeMessage,
  type Message,
  OPCODE,
  RCODE,
  rcodeName,
  type WireRecord,
} from "./message.ts";
import { exchangeTcp } from "./transport.ts";
import { signMessage, type TsigFailure, type TsigKey, verifyMessage } from "./tsig.ts";

/**
 * How a dynamic update ended.
 * - `done`: the server carried all of it out and signed its answer
 * - `moved`: a record set was no longer as expected; nothing was done
 * - `refused`: the server said no, and nothing was done
 * - `unauthenticated`: the server did not accept who asks: its key, its secret or its clock; nothing was done
 * - `unknown`: the request left, and no answer that can be trusted came back; it may have been carried out
 * - `unreachable`: the request never reached the server; nothing was done
 */
export type UpdateOutcome =
  | { readonly kind: "done" }
  | { readonly kind: "conflict"; readonly detail: Clause }
  | {
      readonly kind: "refused" | "unauthenticated" | "unknown" | "unreachable";
      readonly detail: Clause;
      readonly remedy: Clause;
    };

const record = (
  name: DomainName,
  type: RecordType,
  klass: number,
  ttl = 0,
  data: WireRecord["data"] = undefined,
): WireRecord => ({
  name,
  type,
  class: klass,
  ttl,
  data,
});

const wire = (set: RecordSet, klass: number, ttl: number) => set.data.map((data) => record(set.name, set.type, klass, ttl, data));

/** Requires each set to be exactly as it was seen (RFC 2136 sections 2.4.2 and 2.4.3). */
function prerequisites(changes: readonly SetChange[]): WireRecord[] {
  const required = changes.flatMap(({ name, type, before }) =>
    before === undefined ? [record(name, type, CLASS.NONE)] : wire(before, CLASS.IN, 0),
  );
  // Where other data is about to stand, no alias may have come up since, and the reverse (RFC 1034 section 3.6.2).
  const touched = new Set(changes.map(({ name, type }) => `${name} ${type}`));
  for (const name of new Set(
    changes.filter(({ after, type }) => after !== undefined && type !== "CNAME").map((change) => change.name),
  ))
    if (!touched.has(`${name} CNAME`)) required.push(record(name, "CNAME", CLASS.NONE));
  for (const { name, type, before, after } of changes)
    if (
      type === "CNAME" &&
      before === undefined &&
      after !== undefined &&
      !changes.some((other) => other.name === name && other.before !== undefined)
    )
      required.push(record(name, "ANY", CLASS.NONE));
  return required;
}

/** The update section: only what really changes, so that a server logs and transfers no more (RFC 2136 section 2.5). Removals come first. */
function updates(changes: readonly SetChange[]): WireRecord[] {
  const removals: WireRecord[] = [];
  const additions: WireRecord[] = [];
  for (const { name, type, before, after } of changes) {
    if (after === undefined) {
      removals.push(record(name, type, CLASS.ANY));
      continue;
    }
    const stays = new Set(after.data.map((data) => dataKey(type, data)));
    const was = new Set(before?.data.map((data) => dataKey(type, data)));
    // One TTL for the whole set (RFC 2181 section 5.2): where it changes, every record is written again.
    const sameTtl = before?.ttl === after.ttl;
    if (before !== undefined && !sameTtl) removals.push(record(name, type, CLASS.ANY));
    else
      for (const data of before?.data ?? [])
        if (!stays.has(dataKey(type, data))) removals.push(record(name, type, CLASS.NONE, 0, data));
    for (const data of after.data)
      if (!sameTtl || !was.has(dataKey(type, data))) additions.push(record(name, type, CLASS.IN, after.ttl, data));
  }
  return [...removals, ...additions];
}

/** The one atomic update message for all changes of a zone (RFC 2136 sections 2 and 3.4.2.7). */
export function updateMessage(apex: DomainName, changes: readonly SetChange[], id: number): Message {
  return {
    ...emptyMessage,
    id,
    opcode: OPCODE.UPDATE,
    questions: [{ name: apex, type: "SOA", class: CLASS.IN }],
    answers: prerequisites(changes),
    authority: updates(changes),
  };
}

/**
 * Whether a server takes signed updates at all: it is sent one that changes nothing, with a key that nobody has. Who knows them
 * looks at the key first, and complains about it (RFC 8945 section 5.2.1).
 */
export async function probeUpdate(
  server: ServerAddress,
  apex: DomainName,
  timeout: number,
): Promise<{ readonly kind: "takes" | "refuses" } | { readonly kind: "unanswered"; readonly detail: Clause }> {
  if ("url" in server) return { kind: "refuses" };
  const key: TsigKey = { name: "zandrel-asks." as DomainName, algorithm: "hmac-sha256", secret: randomBytes(32) };
  const now = Math.floor(Date.now() / 1000);
  const { message } = signMessage(encodeMessage(updateMessage(apex, [], randomInt(0x10000))), key, now);
  const answer = await exchangeTcp(server, message, timeout);
  if (!answer.ok) return { kind: "unanswered", detail: answer.error.detail };
  const decoded = decodeMessage(answer.value);
  return {
    kind: decoded.ok && (decoded.value.rcode === RCODE.NOTAUTH || decoded.value.rcode === RCODE.NOERROR) ? "takes" : "refuses",
  };
}

export interface UpdateRequest {
  readonly server: ServerAddress;
  readonly apex: DomainName;
  readonly key: TsigKey;
  readonly changes: readonly SetChange[];
  /** Seconds since 1970, by the clock that the server's is compared with. */
  readonly now: number;
  /** Longest wait for the answer, in milliseconds. */
  readonly timeout: number;
}

/** What a server says before it looks at the key: nothing was done. */
const SAID_UNSIGNED: ReadonlySet<number> = new Set([RCODE.FORMERR, RCODE.NOTIMP, RCODE.REFUSED, RCODE.NOTAUTH, RCODE.NOTZONE]);

/** What an answer means whose signature does not verify; undefined where its code can be believed all the same. */
function unverified(
  failure: TsigFailure,
  rcode: number | undefined,
  server: string,
  { key, now }: Pick<UpdateRequest, "key" | "now">,
): UpdateOutcome | undefined {
  switch (failure.code) {
    case "other-key":
      return {
        kind: "unknown",
        detail: clause("update-other-key", { server, key: key.name }),
        remedy: clause("update-mend", { what: "between" }),
      };
    case "bad-key":
      return {
        kind: "unauthenticated",
        detail: clause("update-unknown-key", { server, key: key.name, algorithm: key.algorithm }),
        remedy: clause("update-mend", { what: "key" }),
      };
    case "bad-signature":
      return {
        kind: "unauthenticated",
        detail: clause("update-wrong-secret", { server, key: key.name }),
        remedy: clause("update-mend", { what: "secret" }),
      };
    case "forged":
      return {
        kind: "unknown",
        detail: clause("update-forged", { server, key: key.name }),
        remedy: clause("update-mend", { what: "between" }),
      };
    case "out-of-time":
    case "bad-time": {
      const minutes = failure.serverTime === undefined ? undefined : Math.round((now - failure.serverTime) / 60);
      return {
        kind: "unauthenticated",
        detail: clause("update-clock", { server, minutes }),
        remedy: clause("update-mend", { what: "clock" }),
      };
    }
    case "unsigned":
      // A server that does not know the zone or does not take updates says so before it looks at keys. Every other
      // answer it signs, and without a signature it may be anybody's.
      if (rcode === undefined || !SAID_UNSIGNED.has(rcode))
        return {
          kind: "unknown",
          detail: clause("update-unsigned", { server }),
          remedy: clause("update-mend", { what: "look" }),
        };
      return undefined;
    case "malformed":
      return {
        kind: "unknown",
        detail: clause("update-unreadable", { server }),
        remedy: clause("update-mend", { what: "look" }),
      };
  }
}

/** What the response code of an update means (RFC 2136 section 2.2). */
function outcomeOf(rcode: number | undefined, server: string, { apex, key }: Pick<UpdateRequest, "apex" | "key">): UpdateOutcome {
  switch (rcode) {
    case RCODE.NOERROR:
      return { kind: "done" };
    case RCODE.YXDOMAIN:
    case RCODE.YXRRSET:
    case RCODE.NXRRSET:
    case RCODE.NXDOMAIN:
      return { kind: "conflict", detail: clause("update-moved", { server, code: rcodeName(rcode) }) };
    case RCODE.NOTAUTH:
    case RCODE.NOTZONE:
      return {
        kind: "refused",
        detail: clause("update-not-primary", { server, zone: apex, code: rcodeName(rcode) }),
        remedy: clause("update-mend", { what: "primary" }),
      };
    case RCODE.REFUSED:
      return {
        kind: "refused",
        detail: clause("update-not-allowed", { server, key: key.name, zone: apex }),
        remedy: clause("update-mend", { what: "permission" }),
      };
    default:
      return {
        kind: "refused",
        detail: clause("update-code", { server, code: rcode === undefined ? undefined : rcodeName(rcode) }),
        remedy: clause("update-mend", { what: "again" }),
      };
  }
}

/** Sends all changes of one zone as one signed update over TCP, once, and checks the server's signature on the answer. */
export async function sendUpdate({ server, apex, key, changes, now, timeout }: UpdateRequest): Promise<UpdateOutcome> {
  if ("url" in server)
    return {
      kind: "unreachable",
      detail: clause("update-by-url", { server: server.url }),
      remedy: clause("update-mend", { what: "address" }),
    };
  const where = serverText(server);
  const signed = signMessage(encodeMessage(updateMessage(apex, changes, randomInt(0x10000))), key, now);
  const sent = await exchangeTcp(server, signed.message, timeout);
  if (!sent.ok) {
    if (sent.error.why === "unreachable")
      return {
        kind: "unreachable",
        detail: sent.error.detail,
        remedy: clause("update-mend", { what: "reach" }),
      };
    return {
      kind: "unknown",
      detail: sent.error.detail,
      remedy: clause("update-mend", { what: "late" }),
    };
  }
  const verified = verifyMessage(sent.value, key, now, signed.mac);
  const answer = decodeMessage(sent.value);
  const rcode = answer.ok ? answer.value.rcode : undefined;
  const doubt = verified.ok ? undefined : unverified(verified.error, rcode, where, { key, now });
  return doubt ?? outcomeOf(rcode, where, { apex, key });
}
