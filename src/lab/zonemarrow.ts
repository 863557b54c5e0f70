import Fastify from "fastify";
import { type DomainName, isAtOrBelow, parseName } from "../core/name/index.ts";
import { parseType, printData, toSets } from "../core/record/index.ts";
import { readRecords } from "../core/zone/index.ts";
import type { AuthorityHost } from "./authority.ts";

export interface RunningApi {
  /** Address of the API, for ZONEMARROW_API. */
  readonly api: string;
  close(): Promise<void>;
}

interface SetPath {
  zone: string;
  name: string;
  type: string;
}

/** The HTTP API of the lab's second DNS host: one record set at a time, with a token that is good for some zones. */
export async function startZonemarrow({
  host,
  token,
  zones,
}: {
  host: AuthorityHost;
  token: string;
  zones: readonly DomainName[];
}): Promise<RunningApi> {
  const server = Fastify({ logger: false, forceCloseConnections: true });
  server.addHook("onRequest", async (request, reply) => {
    if (request.headers.authorization !== `Bearer ${token}`) return reply.code(401).send({ error: "unknown token" });
    if (!(zones as readonly string[]).includes(decodeURIComponent(request.url.split("/")[3] ?? "")))
      return reply.code(403).send({ error: "the token is for other zones" });
  });
  const target = ({ zone, name, type }: SetPath) => {
    const [apex, of, kind] = [parseName(zone), parseName(name), parseType(type)];
    return apex.ok && of.ok && kind !== undefined && isAtOrBelow(of.value, apex.value)
      ? { apex: apex.value, name: of.value, type: kind }
      : undefined;
  };
  const path = "/v1/zones/:zone/sets/:name/:type";
  server.get<{ Params: SetPath }>(path, async (request, reply) => {
    const at = target(request.params);
    const set = at === undefined ? undefined : host.set(at.apex, at.name, at.type);
    return set === undefined
      ? reply.code(404).send({ error: "no such set" })
      : { ttl: set.ttl, data: set.data.map((data) => printData(set.type, data)) };
  });
  server.put<{ Params: SetPath; Body: { ttl?: unknown; data?: unknown } }>(path, async (request, reply) => {
    const at = target(request.params);
    const { ttl, data } = request.body ?? {};
    if (at === undefined || typeof ttl !== "number" || !Array.isArray(data))
      return reply.code(422).send({ error: "ttl and data are needed" });
    const { records, issues } = readRecords(data.map((one) => `${at.name} ${ttl} ${at.type} ${one}`).join("\n"), {
      origin: at.apex,
    });
    const [set] = toSets(records);
    if (issues.length > 0 || set === undefined)
      return reply.code(422).send({ error: `this is not the data of a ${at.type} record` });
    host.put(at.apex, set);
    return reply.code(204).send();
  });
  server.delete<{ Params: SetPath }>(path, async (request, reply) => {
    const at = target(request.params);
    if (at !== undefined) host.remove(at.apex, at.name, at.type);
    return reply.code(204).send();
  });
  const address = await server.listen({ host: "127.0.0.1", port: 0 });
  return { api: `${address}/v1`, close: () => server.close() };
}
