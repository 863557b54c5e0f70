import { randomInt } from "node:crypto";
import { createSocket, type Socket } from "node:dgram";
import { connect, isIPv6 } from "node:net";
import { clause } from "../core/clause/index.ts";
import { type Failed, failed } from "../core/lookup/index.ts";
import { err, ok, type Result } from "../core/result.ts";
import type { ServerAddress } from "./address.ts";
import { serverText } from "./address.ts";

type SocketAddress = Extract<ServerAddress, { address: string }>;

/** What carries one request to a server and its answer back: octets, or why there are none. */
export type Exchange = Result<Buffer, Failed>;

/** What the operating system says about a socket, as an outcome. */
function socketFailure(error: NodeJS.ErrnoException, server: ServerAddress): Failed {
  const unreachable = clause("answer-unreachable", { server: serverText(server), why: error.code ?? error.message });
  return failed(error.code === "ETIMEDOUT" ? "timeout" : "unreachable", unreachable);
}

export const timedOut = (server: ServerAddress, ms: number): Failed =>
  failed("timeout", clause("answer-late", { server: serverText(server), ms }));

interface Pending {
  readonly accepts: (answer: Buffer) => boolean;
  readonly settle: (outcome: Exchange) => void;
}

/** One socket with the requests it waits for. */
interface Lane {
  readonly socket: Promise<Socket | NodeJS.ErrnoException>;
  readonly pending: Map<number, Pending>;
  used: number;
  /** Requests that were begun and have not ended. */
  active: number;
  retired: boolean;
  closed: boolean;
}

/** What is asked in one turn of the event loop. */
interface Turn {
  readonly lane: Lane;
  readonly requests: Buffer[];
}

function closeLane(lane: Lane): void {
  lane.closed = true;
  void lane.socket.then((socket) => socket instanceof Error || socket.close());
}

/** How many requests a socket carries before a fresh one, with another random port, takes over. */
const REQUESTS_PER_SOCKET = 256;
const SOCKETS = 8;

/**
 * UDP to one server. Its sockets are connected, so the system drops what comes from anywhere else, and get
 * random ports from the system; requests carry random ids. An answer that fits no open request is ignored,
 * so a forger has to guess both (RFC 5452).
 */
export class UdpChannel {
  readonly #server: SocketAddress;
  readonly #lanes: Lane[] = [];
  #turn: Turn | undefined;

  constructor(server: SocketAddress) {
    this.#server = server;
  }

  #open(): Lane {
    const socket = createSocket(isIPv6(this.#server.address) ? "udp6" : "udp4");
    const pending = new Map<number, Pending>();
    socket.on("message", (answer) => {
      const open = answer.length >= 12 ? pending.get(answer.readUInt16BE(0)) : undefined;
      if (open?.accepts(answer)) open.settle(ok(answer));
    });
    socket.on("error", (error) => {
      for (const open of [...pending.values()]) open.settle(err(socketFailure(error, this.#server)));
    });
    const connected = new Promise<Socket | NodeJS.ErrnoException>((resolve) =>
      socket.connect(this.#server.port, this.#server.address, (error?: Error | null) => resolve(error ?? socket)),
    );
    const lane = { socket: connected, pending, used: 0, active: 0, retired: false, closed: false };
    this.#lanes.push(lane);
    return lane;
  }

  /**
   * Sends a request, whose id is drawn here, and waits for the answer `accepts` takes. What is asked in one turn of the event loop is
   * sent from one socket at its end: then the server is woken once for all of it.
   */
  exchange(request: Buffer, accepts: (answer: Buffer) => boolean, ms: number): Promise<Exchange> {
    const turn = this.#turn === undefined || this.#turn.lane.closed ? this.#begin() : this.#turn;
    const { lane } = turn;
    lane.used += 1;
    lane.active += 1;
    if (lane.used === REQUESTS_PER_SOCKET) {
      this.#lanes.splice(this.#lanes.indexOf(lane), 1);
      lane.retired = true;
    }
    let id = randomInt(0x10000);
    while (lane.pending.has(id)) id = randomInt(0x10000);
    request.writeUInt16BE(id, 0);
    turn.requests.push(request);
    return new Promise((resolve) => {
      const settle = (outcome: Exchange) => {
        clearTimeout(timer);
        lane.pending.delete(id);
        lane.active -= 1;
        if (lane.retired && lane.active === 0) closeLane(lane);
        resolve(outcome);
      };
      const timer = setTimeout(() => settle(err(timedOut(this.#server, ms))), ms);
      lane.pending.set(id, { accepts, settle });
    });
  }

  #begin(): Turn {
    const lane = this.#lanes.length < SOCKETS ? this.#open() : (this.#lanes[randomInt(this.#lanes.length)] as Lane);
    const turn = { lane, requests: [] };
    this.#turn = turn;
    setImmediate(() => {
      if (this.#turn === turn) this.#turn = undefined;
      void this.#send(turn);
    });
    return turn;
  }

  async #send({ lane, requests }: Turn): Promise<void> {
    const socket = await lane.socket;
    for (const request of requests) {
      const open = lane.pending.get(request.readUInt16BE(0));
      if (open === undefined || lane.closed) continue;
      if (socket instanceof Error) open.settle(err(socketFailure(socket, this.#server)));
      // The system tells of a closed port once, with the next thing sent: to this request then, and not as an error of the socket.
      else
        socket.send(request, (error) => {
          if (error !== null)
            for (const waiting of [...lane.pending.values()]) waiting.settle(err(socketFailure(error, this.#server)));
        });
    }
  }

  /** Ends it as soon as everything that was asked is answered. */
  retire(): void {
    for (const lane of this.#lanes.splice(0)) {
      lane.retired = true;
      if (lane.active === 0) closeLane(lane);
    }
  }

  close(): void {
    for (const lane of this.#lanes.splice(0)) closeLane(lane);
  }
}

/** One request and one answer over TCP, each with its length in front (RFC 1035 section 4.2.2, RFC 7766). */
export function exchangeTcp(server: SocketAddress, request: Buffer, ms: number): Promise<Exchange> {
  return new Promise((resolve) => {
    const socket = connect(server.port, server.address);
    const chunks: Buffer[] = [];
    let length = 0;
    const settle = (outcome: Exchange) => {
      clearTimeout(timer);
      socket.destroy();
      resolve(outcome);
    };
    const timer = setTimeout(() => settle(err(timedOut(server, ms))), ms);
    socket.on("connect", () => {
      const framed = Buffer.allocUnsafe(request.length + 2);
      framed.writeUInt16BE(request.length);
      request.copy(framed, 2);
      socket.write(framed);
    });
    socket.on("data", (chunk) => {
      chunks.push(chunk);
      length += chunk.length;
      if (length < 2) return;
      const all = chunks.length === 1 ? chunk : Buffer.concat(chunks);
      chunks.splice(0, chunks.length, all);
      const expected = all.readUInt16BE(0);
      if (all.length >= expected + 2) settle(ok(all.subarray(2, expected + 2)));
    });
    socket.on("error", (error) => settle(err(socketFailure(error, server))));
    socket.on("close", () =>
      settle(err(failed("malformed", clause("answer-hung-up", { server: serverText(server), before: "answer" })))),
    );
  });
}

/** One request and one answer over HTTPS (RFC 8484 section 4.1). */
export async function exchangeHttps(url: string, request: Buffer, ms: number): Promise<Exchange> {
  try {
    const response = await fetch(url, {
      method: "POST",
      headers: { "content-type": "application/dns-message", accept: "application/dns-message" },
      body: new Uint8Array(request),
      signal: AbortSignal.timeout(ms),
      redirect: "error",
    });
    if (!response.ok) return err(failed("refused", clause("answer-http-status", { server: url, status: response.status })));
    if (response.headers.get("content-type")?.split(";")[0]?.trim() !== "application/dns-message")
      return err(failed("malformed", clause("answer-no-dns-message", { server: url })));
    const chunks: Uint8Array[] = [];
    let length = 0;
    for await (const chunk of response.body ?? []) {
      chunks.push(chunk);
      length += chunk.length;
      // What comes is counted while it comes: an answer without an end is given up at its beginning.
      if (length > 0xffff) return err(failed("malformed", clause("answer-too-long", { server: url })));
    }
    return ok(Buffer.concat(chunks));
  } catch (error) {
    const { name, message, cause } = error as Error & { cause?: NodeJS.ErrnoException };
    if (name === "TimeoutError") return err(timedOut({ url }, ms));
    return err(
      failed("unreachable", clause("answer-unreachable", { server: url, why: cause?.code ?? cause?.message ?? message })),
    );
  }
}
