import { randomBytes, timingSafeEqual } from "node:crypto";
import type { AddressInfo } from "node:net";
import { withoutSecrets } from "../secrets.ts";

/** A page that only this machine's browser can open, and only who knows its address. */
export interface LocalPage {
  /** The address with its secret path. */
  readonly url: string;
  close(): Promise<void>;
}

/** What a page serves: itself, and its state as JSON, each made when it is asked for. */
export interface PageContent {
  html(nonce: string): Promise<string>;
  state(): Promise<unknown>;
}

const TOKEN_OCTETS = 24;

/**
 * Serves one page on 127.0.0.1 at a port and path of its own. Other sites cannot reach it: the path is random, a request
 * has to name this very host, and the page may load nothing from elsewhere (Content Security Policy level 3).
 */
export async function serveLocalPage({ html, state }: PageContent): Promise<LocalPage> {
  const { default: Fastify } = await import("fastify");
  const server = Fastify({ logger: false, forceCloseConnections: true });
  const token = randomBytes(TOKEN_OCTETS).toString("base64url");
  const isToken = (given: string) => given.length === token.length && timingSafeEqual(Buffer.from(given), Buffer.from(token));
  let host = "";
  server.addHook("onRequest", async (request, reply) => {
    const site = request.headers["sec-fetch-site"];
    const foreign = site !== undefined && site !== "same-origin" && site !== "none";
    if (request.headers.host !== host || foreign)
      return reply.code(403).type("text/plain").send("This page is for this machine only.\n");
  });
  server.addHook("onSend", async (_, reply) => {
    void reply.headers({
      "cache-control": "no-store",
      "referrer-policy": "no-referrer",
      "x-content-type-options": "nosniff",
      "cross-origin-resource-policy": "same-origin",
    });
  });
  server.get<{ Params: { token: string } }>("/:token/", async ({ params }, reply) => {
    if (!isToken(params.token)) return reply.code(404).type("text/plain").send("There is nothing here.\n");
    const nonce = randomBytes(16).toString("base64");
    void reply.header(
      "content-security-policy",
      `default-src 'none'; style-src 'nonce-${nonce}'; script-src 'nonce-${nonce}'; connect-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'`,
    );
    return reply.type("text/html; charset=utf-8").send(withoutSecrets(await html(nonce)));
  });
  server.get<{ Params: { token: string } }>("/:token/state", async ({ params }, reply) => {
    if (!isToken(params.token)) return reply.code(404).type("text/plain").send("There is nothing here.\n");
    return reply.send(await state());
  });
  await server.listen({ host: "127.0.0.1", port: 0 });
  host = `127.0.0.1:${(server.server.address() as AddressInfo).port}`;
  return { url: `http://${host}/${token}/`, close: () => server.close() };
}
