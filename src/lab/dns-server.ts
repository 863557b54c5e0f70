import { createSocket } from "node:dgram";
import { createServer, type Socket } from "node:net";
import { decodeMessage, EDNS_PAYLOAD, encodeMessage, type Message } from "../net/index.ts";

/** Answers one request; undefined stays silent. */
export type Handler = (request: Buffer, via: "udp" | "tcp") => Promise<Buffer | undefined>;

export interface RunningServer {
  readonly address: string;
  readonly port: number;
  close(): Promise<void>;
}

/** Cuts an answer that is too long for the asker's UDP and says so, whereupon it comes again over TCP. */
function fitUdp(request: Buffer, answer: Buffer): Buffer {
  const asked = decodeMessage(request);
  const room = asked.ok && asked.value.edns !== undefined ? Math.min(Math.max(512, asked.value.edns.payload), EDNS_PAYLOAD) : 512;
  if (answer.length <= room) return answer;
  const decoded = decodeMessage(answer);
  if (!decoded.ok) return answer;
  return encodeMessage({ ...decoded.value, truncated: true, answers: [], authority: [], additional: [] } satisfies Message);
}

/** How often other ports are tried, where any will do. */
const MAX_TRIES = 50;

/**
 * Listens for DNS over UDP and TCP on one loopback address; with port 0 on whichever port is free for both, because a port that is free
 * for one may be taken for the other.
 */
export async function listenDns(address: string, port: number, handle: Handler): Promise<RunningServer> {
  for (let tries = 1; ; tries++)
    try {
      return await listenAt(address, port, handle);
    } catch (error) {
      if (port !== 0 || (error as NodeJS.ErrnoException).code !== "EADDRINUSE" || tries === MAX_TRIES) throw error;
    }
}

async function listenAt(address: string, port: number, handle: Handler): Promise<RunningServer> {
  const udp = createSocket(address.includes(":") ? "udp6" : "udp4");
  const sockets = new Set<Socket>();
  // An answer may be ready only once nobody listens any more.
  let isClosed = false;
  udp.on("message", (request, from) => {
    void handle(request, "udp").then((answer) => {
      if (answer !== undefined && !isClosed) udp.send(fitUdp(request, answer), from.port, from.address, () => {});
    });
  });
  const tcp = createServer((socket) => {
    sockets.add(socket);
    let waiting = Buffer.alloc(0);
    socket.on("close", () => sockets.delete(socket));
    socket.on("error", () => socket.destroy());
    socket.on("data", (chunk) => {
      waiting = Buffer.concat([waiting, chunk]);
      while (waiting.length >= 2 && waiting.length >= 2 + waiting.readUInt16BE(0)) {
        const request = Buffer.from(waiting.subarray(2, 2 + waiting.readUInt16BE(0)));
        waiting = waiting.subarray(2 + request.length);
        void handle(request, "tcp").then((answer) => {
          if (answer === undefined) return socket.destroy();
          const length = Buffer.alloc(2);
          length.writeUInt16BE(answer.length);
          socket.write(Buffer.concat([length, answer]));
        });
      }
    });
  });
  await new Promise<void>((resolve, reject) => {
    tcp.once("error", reject);
    tcp.listen(port, address, resolve);
  });
  const bound = (tcp.address() as { port: number }).port;
  await new Promise<void>((resolve, reject) => {
    udp.once("error", reject);
    udp.bind(bound, address, resolve);
  }).catch((error) => {
    tcp.close();
    udp.close();
    throw error;
  });
  return {
    address,
    port: bound,
    async close() {
      isClosed = true;
      for (const socket of sockets) socket.destroy();
      await Promise.all([
        new Promise<void>((resolve) => udp.close(resolve)),
        new Promise<void>((resolve) => tcp.close(() => resolve())),
      ]);
    },
  };
}
