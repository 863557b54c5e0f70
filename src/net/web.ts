import type { IncomingMessage } from "node:http";
import type { TLSSocket } from "node:tls";
import { type Clause, clause } from "../core/clause/index.ts";
import type { Certificate, Fetched, NoPage } from "../core/site/index.ts";

export interface WebOptions {
  /** Finds the addresses of a host; or why there are none. */
  readonly addresses: (host: string) => Promise<{ readonly found: readonly string[] } | { readonly failure: Clause }>;
  /** Ports to use instead of 80 and 443; only a lab has others. */
  readonly ports: { readonly http: number; readonly https: number };
  /** Longest wait for the whole answer, in milliseconds. */
  readonly timeout: number;
  /** Whether the octets are wanted, and what the server calls them. */
  readonly raw?: boolean;
}

/** As much of a page as any check needs, in octets. */
const MAX_BODY = 512 * 1024;

function certificateOf(socket: TLSSocket): Certificate {
  const { subjectaltname = "", valid_to } = socket.getPeerCertificate();
  const names = subjectaltname
    .split(/,\s*/)
    .filter((name) => name.startsWith("DNS:"))
    .map((name) => name.slice(4).toLowerCase());
  // The name is judged on its own, so that “for another name” and “not trusted” are told apart.
  const distrust =
    socket.authorized || String(socket.authorizationError) === "ERR_TLS_CERT_ALTNAME_INVALID"
      ? undefined
      : String(socket.authorizationError);
  return { names, until: Date.parse(valid_to), ...(distrust === undefined ? {} : { distrust }) };
}

const LATE = "late";

/** Requests one address of the web, without following redirects. Addresses come from the DNS as the caller sees it. */
export async function fetchPage(url: string, { addresses, ports, timeout, raw = false }: WebOptions): Promise<Fetched> {
  const none = (kind: NoPage["kind"], detail: Clause): Fetched => ({ none: { url, kind, detail } });
  const target = new URL(url);
  const resolved = await addresses(target.hostname);
  if ("failure" in resolved) return none("unknown", resolved.failure);
  const [address] = resolved.found;
  if (address === undefined) return none("unresolved", clause("page-no-address", { host: target.hostname }));
  const secure = target.protocol === "https:";
  const { request } = secure ? await import("node:https") : await import("node:http");
  return new Promise((resolve) => {
    const options = {
      host: address,
      port: secure ? ports.https : ports.http,
      path: `${target.pathname}${target.search}`,
      headers: { host: target.hostname, accept: "text/html,*/*", "user-agent": "zandrel" },
      servername: target.hostname,
      rejectUnauthorized: false,
      agent: false,
      timeout,
    } as const;
    const sent = request(options, (response: IncomingMessage) => {
      const chunks: Buffer[] = [];
      let length = 0;
      const broken = () => resolve(none("unreachable", clause("page-broken-off", { host: target.hostname, address })));
      const settle = (cut = false) => {
        const location = response.headers.location;
        const certificate = secure ? certificateOf(response.socket as TLSSocket) : undefined;
        resolve({
          page: {
            url,
            status: response.statusCode ?? 0,
            body: Buffer.concat(chunks).toString("utf8"),
            ...(cut ? { cut } : {}),
            ...(raw ? { octets: Buffer.concat(chunks) } : {}),
            ...(raw && response.headers["content-type"] !== undefined
              ? { contentType: response.headers["content-type"].toLowerCase() }
              : {}),
            ...(location !== undefined && URL.canParse(location, url) ? { location: new URL(location, url).href } : {}),
            ...(certificate === undefined ? {} : { certificate }),
          },
        });
        response.destroy();
      };
      response.on("data", (chunk: Buffer) => {
        chunks.push(chunk);
        length += chunk.length;
        if (length > MAX_BODY) settle(true);
      });
      response.on("end", () => (response.complete ? settle() : broken()));
      response.on("error", broken);
      response.on("close", broken);
    });
    const deadline = setTimeout(() => sent.destroy(new Error(LATE)), timeout);
    sent.on("close", () => clearTimeout(deadline));
    sent.on("error", (error: NodeJS.ErrnoException) =>
      resolve(
        none(
          "unreachable",
          clause("page-unreachable", {
            ...{ host: target.hostname, address, secure, ms: timeout },
            why: error.message === LATE ? undefined : (error.code ?? error.message),
          }),
        ),
      ),
    );
    sent.end();
  });
}

const MAX_REDIRECTS = 8;

/** Follows redirects, and gives back every page on the way. */
export async function followPage(url: string, options: WebOptions): Promise<Fetched[]> {
  const chain: Fetched[] = [];
  let next: string | undefined = url;
  while (next !== undefined && chain.length <= MAX_REDIRECTS) {
    const fetched: Fetched = await fetchPage(next, options);
    chain.push(fetched);
    next = "page" in fetched && fetched.page.status >= 300 && fetched.page.status < 400 ? fetched.page.location : undefined;
    if (next !== undefined && !/^https?:/.test(next)) next = undefined;
  }
  return chain;
}
