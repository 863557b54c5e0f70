import { Failure } from "../core/failure.ts";
import { parseServerAddress } from "./address.ts";

/** A text that is served at one path, made again for each request. */
export interface TextServer {
  readonly url: string;
  close(): Promise<void>;
}

/** What is served at one path: a text, and whether all is well, which its status says to those who read no text. */
export interface ServedText {
  readonly contentType: string;
  text(): Promise<{ readonly text: string; readonly isWell: boolean }>;
}

/** Serves texts by their paths at `ADDRESS:PORT`, which an option of the command names; `url` is that of the first. */
export async function serveTexts(at: string, texts: Readonly<Record<string, ServedText>>, option: string): Promise<TextServer> {
  const place = parseServerAddress(at, 0);
  if (place === undefined || "url" in place) throw new Failure("listen-form", { option });
  const { default: Fastify } = await import("fastify");
  const server = Fastify({ logger: false, forceCloseConnections: true });
  for (const [path, served] of Object.entries(texts))
    server.get(path, async (_, reply) => {
      const { text, isWell } = await served.text();
      return reply
        .code(isWell ? 200 : 503)
        .type(served.contentType)
        .send(text);
    });
  try {
    const base = await server.listen({ host: place.address, port: place.port });
    return { url: `${base}${Object.keys(texts)[0]}`, close: () => server.close() };
  } catch (error) {
    const why = (error as NodeJS.ErrnoException).code ?? (error as Error).message;
    throw new Failure("cannot-listen", { address: place.address, port: place.port, why, option });
  }
}
