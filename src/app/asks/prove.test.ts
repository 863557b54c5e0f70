import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, test } from "@jest/globals";
import { MONDAY, useCase } from "../../../tests/use-case.ts";
import { folderWith } from "../../../tests/zandrel.ts";

const ZONE = "$ORIGIN brackwater.example.\n$TTL 1h\n@ SOA ns1 h 1 2h 15m 2w 15m\n@ NS ns1\nns1 A 192.0.2.1\n";
/** A workspace whose one domain is published into a zone file. */
function here(asks: string) {
  const folder = folderWith({
    "zandrel.yaml":
      'version: 1\norganisation: Brackwater\nanchors: ""\nhosts:\n  own: { title: Nettlehost, publish: { way: zone-file, file: b.zone } }\nservices:\n  seekmere: { title: Seekmere }\n  heronpost: { title: Heronpost }\n',
    "b.zone": ZONE,
  });
  mkdirSync(join(folder, "domains"));
  writeFileSync(join(folder, "domains/brackwater.example.yaml"), `domain: brackwater.example\nhost: own\nasks:\n${asks}`);
  return { folder };
}
const TOKEN = '  - id: own\n    service: seekmere\n    purpose: ownership\n    records: |\n      _t TXT "there"\n';
const FILE = ["--zone-file", "b.zone"] as const;

describe("proving", () => {
  test("a service is not asked before everybody sees the record, and afterwards it is", async () => {
    const at = here(TOKEN);
    const published = await useCase(at, "publish", "--resolver", "127.0.0.1:9", "--timeout", "0.2").catch(() => undefined);
    expect(published?.result.published).toMatchObject([{ changed: 1 }]);
    const early = await useCase(at, "prove", "own", ...FILE);
    expect(early.result.asks).toMatchObject([{ verdict: "found", state: "settled" }]);
    expect(early.result.asks[0].asked.reason).not.toContain("--confirmed");
    const later = await useCase({ ...at, now: MONDAY + 86_400_000 }, "prove", "own", ...FILE);
    expect(later.result.asks[0].asked.reason).toContain("zandrel prove own --confirmed");
  });
  test("one ask is proven without a word about others, a domain is not", async () => {
    const at = here(TOKEN);
    expect((await useCase(at, "prove", "own", ...FILE)).result.lost).toEqual([]);
    expect((await useCase(at, "prove", "brackwater.example", ...FILE)).result.asks).toHaveLength(1);
  });
  test("terms that one ask takes from the SPF record are asked for by others without them, and only those", async () => {
    const sender = (id: string, service: string, spf: string, without = "") =>
      `  - id: ${id}\n    service: ${service}\n    purpose: sending\n    spf: ${spf}\n${without === "" ? "" : `    spfWithout: ${without}\n`}`;
    const at = here(
      sender("old", "seekmere", "include:old.example include:kept.example") +
        sender("other", "heronpost", "include:other.example") +
        sender("flat", "heronpost", "ip4:192.0.2.9", "include:old.example"),
    );
    writeFileSync(
      join(at.folder, "b.zone"),
      `${ZONE}@ TXT "v=spf1 include:kept.example include:other.example ip4:192.0.2.9 -all"\n`,
    );
    const { result } = await useCase(at, "prove", "brackwater.example", ...FILE);
    expect(result.asks.map(({ id, verdict }: { id: string; verdict: string }) => [id, verdict])).toEqual([
      ["old", "found"],
      ["other", "found"],
      ["flat", "found"],
    ]);
    writeFileSync(join(at.folder, "b.zone"), `${ZONE}@ TXT "v=spf1 include:other.example ip4:192.0.2.9 -all"\n`);
    const without = await useCase(at, "prove", "old", ...FILE);
    expect(without.result.asks[0].verdict).not.toBe("found");
  });
});
