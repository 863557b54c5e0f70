import { createSocket } from "node:dgram";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { folderWith } from "../../../tests/zandrel.ts";
import { systemClock } from "../../clock.ts";
import type { Failure } from "../../core/failure.ts";
import { name } from "../../core/name/index.ts";
import type { Settings } from "../../workspace/index.ts";
import { hostServer, openDns, readZoneFile } from "./context.ts";

const apex = name("brackwater.example");
const ZONE = '$ORIGIN brackwater.example.\n$TTL 1h\n@ SOA ns1 h 1 2h 15m 2w 5m\n@ NS ns1\nns1 A 192.0.2.53\n@ TXT "k=1"\n';
const here = (files: Readonly<Record<string, string>>) => ({ cwd: folderWith(files), clock: systemClock });
const REQUEST = { resolver: [], timeout: 200, at: undefined, zoneFile: ["z.zone"], includeFrom: [] } as const;
const code = (work: () => unknown): string | undefined => {
  try {
    work();
    return undefined;
  } catch (error) {
    return (error as Failure).code;
  }
};

describe("on zone files", () => {
  test("answers come from them, and from nowhere else", async () => {
    const dns = openDns(REQUEST, here({ "z.zone": ZONE }), undefined, [apex]);
    expect(dns.fromFiles).toBe(true);
    expect(await dns.world.ask(apex, "TXT")).toMatchObject({ kind: "found" });
    expect(await dns.world.ask(name("www.brackwater.example"), "A")).toMatchObject({ kind: "nxdomain" });
    expect(await dns.world.ask(name("brackwater.test"), "A")).toMatchObject({ kind: "failed" });
    const looked = await dns.look({ name: apex, host: undefined });
    expect(looked.undelegatedHosts).toEqual([]);
    dns.close();
  });
  test.each<[string, Record<string, string>, string]>([
    ["a file that is not there", {}, "file-unreadable"],
    ["a file with mistakes", { "z.zone": `${ZONE}www A nowhere\n` }, "zone-file-line"],
  ])("%s is said", (_, files, expected) =>
    expect(code(() => readZoneFile(here(files).cwd, "z.zone", [apex], 3600, []))).toBe(expected),
  );
  test("what a file includes is read only where that is allowed", () => {
    const files = { "z.zone": `${ZONE}$INCLUDE more.zone\n`, "more.zone": "www A 192.0.2.7\n" };
    const { cwd } = here(files);
    expect(readZoneFile(cwd, "z.zone", [apex], 3600, []).document.entries.length).toBeGreaterThan(4);
    const [other, outside] = [here({ "more.zone": "www A 192.0.2.7\n" }).cwd, here({}).cwd];
    const into = here({ "z.zone": `${ZONE}$INCLUDE ${other}/more.zone\n` }).cwd;
    expect(code(() => readZoneFile(into, "z.zone", [apex], 3600, [outside]))).toBe("zone-file-line");
    expect(code(() => readZoneFile(into, "z.zone", [apex], 3600, [other]))).toBeUndefined();
  });
});

describe("live", () => {
  const socket = createSocket("udp4");
  beforeAll(() => new Promise<void>((resolve) => socket.bind(0, "127.0.0.1", resolve)));
  afterAll(() => void socket.close());
  const settings = (servers: readonly string[]) =>
    ({
      vantages: [],
      hosts: { nettlehost: { title: "Nettlehost", servers, nameServers: [], publish: { way: "by-hand" } } },
      services: {},
      defaults: { ttl: 3600, authorityPort: 53, webPorts: { http: 80, https: 443 } },
    }) as unknown as Settings;

  test("where nobody answers, nobody is said to be no longer delegated to", async () => {
    const resolver = `127.0.0.1:${socket.address().port}`;
    const dns = openDns({ ...REQUEST, zoneFile: [], resolver: [resolver] }, here({}), settings(["127.0.0.1:9"]), [apex]);
    const looked = await dns.look({ name: apex, host: "nettlehost" });
    expect(looked).toMatchObject({ authority: { kind: "failed" }, undelegatedHosts: [], lookup: undefined });
    expect(looked.viewpoints.map(({ role }) => role)).toEqual(["vantage"]);
    dns.close();
  });
  test("a server is an address, with a port where it needs one", () => {
    expect(hostServer("192.0.2.1", 53)).toEqual({ address: "192.0.2.1", port: 53 });
    expect(hostServer("192.0.2.1:5300", 53)).toEqual({ address: "192.0.2.1", port: 5300 });
    expect(code(() => hostServer("nowhere", 53))).toBe("host-server");
  });
});
