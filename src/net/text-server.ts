import { Failure } from "../core/failure.ts";
import { parseServerAddress } from "./address.ts";

/** A text that is served at one path, made again for each request. */
export interface TextServer {
  readonly url: string;
  close(): Promise<void>;
}

/** Serves a text at `ADDRESS:PORT`, which an option of the command names. */
export async function serveText(
  at: string,
  path: string,
  contentType: string,
  option: string,
  text: () => Promise<string>,
): Promise<TextServer> {
  const place = parseServerAddress(at, 0);
  if (place === undefined || "url" in place) throw new Failure("listen-form", { option });
  const { default: Fastify } = await import("fastify");
  const server = Fastify({ logger: false, forceCloseConnections: true });
  server.get(path, async (_, reply) => reply.type(contentType).send(await text()));
  try {
    const base = await server.listen({ host: place.address, port: place.port });
    return { url: `${base}${path}`, close: () => server.close() };
  } catch (error) {
    const why = (error as NodeJS.ErrnoException).code ?? (error as Error).message;
    throw new Failure("cannot-listen", { address: place.address, port: place.port, why, option });
  }
}
