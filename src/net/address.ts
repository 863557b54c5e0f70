import { isIP } from "node:net";

/** Where a DNS server listens: an address with a port, or the URL of a server over HTTPS (RFC 8484). */
export type ServerAddress = { readonly address: string; readonly port: number } | { readonly url: string };

/** Reads `192.0.2.53`, `192.0.2.53:5300`, `[2001:db8::53]:5300`, `2001:db8::53` or an `https://` URL; undefined where it is none of these. */
export function parseServerAddress(text: string, defaultPort = 53): ServerAddress | undefined {
  if (/^https?:\/\//i.test(text)) {
    if (!URL.canParse(text)) return undefined;
    const { protocol, hostname } = new URL(text);
    const loopback = hostname === "localhost" || hostname === "[::1]" || /^127\./.test(hostname);
    return protocol === "https:" || loopback ? { url: text } : undefined;
  }
  if (isIP(text) !== 0) return { address: text, port: defaultPort };
  const match = /^(?:\[([^\]]+)\]|([^:]+)):(\d{1,5})$/.exec(text);
  const address = match?.[1] ?? match?.[2];
  const port = Number(match?.[3]);
  return address !== undefined && isIP(address) !== 0 && port > 0 && port <= 65_535 ? { address, port } : undefined;
}

/** The address as it is written in messages and files. */
export function serverText(server: ServerAddress): string {
  if ("url" in server) return server.url;
  const host = server.address.includes(":") ? `[${server.address}]` : server.address;
  return server.port === 53 ? server.address : `${host}:${server.port}`;
}
