import { randomBytes, timingSafeEqual } from "node:crypto";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";

/** What the browser brought back. */
export type CameBack =
  | { readonly kind: "came-back"; readonly query: URLSearchParams; readonly url: URL }
  /** Nobody came in time, or it was given up. */
  | { readonly kind: "nobody" };

/** A place on this machine that a DNS host sends the browser back to, once. */
export interface RedirectListener {
  /** The address with its random path. */
  readonly url: string;
  /** The random word that has to come back unchanged. */
  readonly state: string;
  /** Waits for the browser, at most this long (milliseconds). */
  wait(ms: number, stop?: AbortSignal): Promise<CameBack>;
  /** What a browser elsewhere brings, by the address at which it ended; undefined where that is another one. */
  read(address: string): CameBack | undefined;
  close(): Promise<void>;
}

const random = () => randomBytes(24).toString("base64url");
const same = (a: string, b: string): boolean => a.length === b.length && timingSafeEqual(Buffer.from(a), Buffer.from(b));

/** Longest query that is looked at. */
const MAX_QUERY = 8192;

/**
 * Listens on 127.0.0.1 at a random port and path for one browser that comes back with the right `state` (RFC 8252 section 7.3).
 * Everything else is turned away, and goes on waiting.
 *
 * @param page what the person reads in the browser then, as plain text
 */
export async function listenForRedirect(page: string): Promise<RedirectListener> {
  const [path, state] = [`/${random()}`, random()];
  let host = "";
  let arrived: ((back: CameBack) => void) | undefined;
  let early: CameBack | undefined;
  const server = createServer((request, response) => {
    const say = (status: number, text: string) => {
      response.writeHead(status, {
        "content-type": "text/plain; charset=utf-8",
        "cache-control": "no-store",
        "referrer-policy": "no-referrer",
        "content-security-policy": "default-src 'none'; frame-ancestors 'none'",
        connection: "close",
      });
      response.end(text);
    };
    const { url: target = "", method, headers } = request;
    if (headers.host !== host || target.length > MAX_QUERY) return say(403, "This page is for this machine only.\n");
    const url = new URL(target, `http://${host}`);
    if (method !== "GET" || !same(url.pathname, path)) return say(404, "There is nothing here.\n");
    if (!same(url.searchParams.get("state") ?? "", state)) return say(400, "This did not come from the page that was opened.\n");
    say(200, page);
    const back: CameBack = { kind: "came-back", query: url.searchParams, url };
    if (arrived === undefined) early ??= back;
    else arrived(back);
  });
  await new Promise<void>((resolve, reject) => {
    server.once("error", reject);
    server.listen(0, "127.0.0.1", resolve);
  });
  host = `127.0.0.1:${(server.address() as AddressInfo).port}`;
  return {
    url: `http://${host}${path}`,
    state,
    read(address) {
      const ended = URL.canParse(address.trim()) ? new URL(address.trim()) : undefined;
      if (ended?.host !== host || !same(ended.pathname, path) || !same(ended.searchParams.get("state") ?? "", state))
        return undefined;
      return { kind: "came-back", query: ended.searchParams, url: ended };
    },
    wait: (ms, stop) =>
      new Promise((resolve) => {
        const end = (back: CameBack) => {
          clearTimeout(timer);
          stop?.removeEventListener("abort", gaveUp);
          arrived = undefined;
          resolve(back);
        };
        const gaveUp = () => end({ kind: "nobody" });
        const timer = setTimeout(gaveUp, stop?.aborted === true ? 0 : ms);
        stop?.addEventListener("abort", gaveUp);
        arrived = end;
        if (early !== undefined) end(early);
      }),
    close: () =>
      new Promise((resolve) => {
        server.closeAllConnections();
        server.close(() => resolve());
      }),
  };
}
