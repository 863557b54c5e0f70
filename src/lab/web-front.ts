import { createServer as createHttp, type IncomingMessage, type Server, type ServerResponse } from "node:http";
import { createServer as createHttps } from "node:https";
import { createSecureContext, type SecureContext, TLSSocket } from "node:tls";
import type { Authority } from "./certificates.ts";

/** How a host of the lab's web front answers, a site over HTTPS only; each but `site` and `redirect` is a mistake to switch on. */
export type HostMode =
  | { readonly kind: "site"; readonly body?: string; readonly files?: Readonly<Record<string, string>> }
  | { readonly kind: "redirect" | "temporary" | "path-lost" | "to-http" | "frame" | "refresh"; readonly to: string };

export interface WebFront {
  readonly ports: { readonly http: number; readonly https: number };
  /** What each host answers; hosts that are not listed get the parked page. */
  readonly hosts: Map<string, HostMode>;
  /** Issues the certificate of a host; before that it gets the one of somebody else. */
  certify(host: string): Promise<void>;
  close(): Promise<void>;
}

const parked = "<html><head><title>Parked</title></head><body>This domain is parked at Nettlehost.</body></html>";

function answer(mode: HostMode | undefined, request: IncomingMessage, response: ServerResponse): void {
  const path = request.url ?? "/";
  const page = (body: string, status = 200, type = "text/html") => {
    response.writeHead(status, { "content-type": type });
    response.end(body);
  };
  const redirect = (status: number, to: string) => {
    response.writeHead(status, { location: to });
    response.end();
  };
  switch (mode?.kind) {
    case undefined:
      return page(parked);
    case "site": {
      const host = (request.headers.host ?? "").split(":")[0] ?? "";
      if (!(request.socket instanceof TLSSocket)) return redirect(301, `https://${host}${path}`);
      const file = mode.files?.[path];
      if (file !== undefined) return page(file, 200, path.endsWith(".svg") ? "image/svg+xml" : "text/html");
      return path === "/" || mode.files === undefined
        ? page(mode.body ?? "<html><head><title>Brackwater</title></head><body>Curtain up</body></html>")
        : page("<html>not found</html>", 404);
    }
    case "redirect":
      return redirect(301, `https://${mode.to}${path}`);
    case "temporary":
      return redirect(302, `https://${mode.to}${path}`);
    case "path-lost":
      return redirect(301, `https://${mode.to}/`);
    case "to-http":
      return redirect(301, `http://${mode.to}${path}`);
    case "frame":
      return page(`<html><frameset rows="100%"><frame src="https://${mode.to}/"></frameset></html>`);
    case "refresh":
      return page(`<html><head><meta http-equiv="refresh" content="0; url=https://${mode.to}/"></head></html>`);
  }
}

/** The lab's web servers: HTTP and HTTPS on some loopback addresses, answers by host name. */
export async function startWebFront(
  addresses: readonly string[],
  ports: { http: number; https: number },
  { leaf }: Authority,
): Promise<WebFront> {
  const hosts = new Map<string, HostMode>();
  // A certificate that is still being made is waited for by whoever asks for it.
  const contexts = new Map<string, Promise<SecureContext>>();
  const pending = await leaf("sites.pagewick.example");
  const handle = (request: IncomingMessage, response: ServerResponse) =>
    answer(hosts.get((request.headers.host ?? "").split(":")[0] ?? ""), request, response);
  const servers: Server[] = [];
  const close = async (): Promise<void> => {
    for (const server of servers) server.closeAllConnections();
    await Promise.all(servers.map((server) => new Promise<void>((resolve) => server.close(() => resolve()))));
  };
  const listen = async (server: Server, port: number, address: string): Promise<void> => {
    await new Promise<void>((resolve, reject) => server.once("error", reject).listen(port, address, resolve));
    servers.push(server);
  };
  for (const address of addresses) {
    const plainServer = createHttp(handle);
    const secure = createHttps(
      {
        ...pending,
        SNICallback: (host, done) =>
          void (contexts.get(host) ?? Promise.resolve(createSecureContext(pending))).then((context) => done(null, context), done),
      },
      handle,
    );
    try {
      await listen(plainServer, ports.http, address);
      await listen(secure as unknown as Server, ports.https, address);
    } catch (error) {
      await close();
      throw error;
    }
  }
  return {
    ports,
    hosts,
    async certify(host) {
      const context = leaf(host).then(createSecureContext);
      contexts.set(host, context);
      await context;
    },
    close,
  };
}
