import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, expect, test } from "@jest/globals";
import { zoneLookup } from "../../core/lookup/index.ts";
import { name } from "../../core/name/index.ts";
import { readZone, zonesOf } from "../../core/zone/index.ts";
import type { Domain, JournalledChange, Workspace } from "../../workspace/index.ts";
import { openJournal } from "../../workspace/journal.ts";
import type { DnsContext } from "../dns/context.ts";
import { settleInterrupted } from "./publication.ts";

const folder = mkdtempSync(join(tmpdir(), "zandrel-publication-"));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const apex = name("brackwater.example");
const lookup = zoneLookup(zonesOf(readZone('$TTL 1h\n@ SOA ns1 h 1 2h 15m 2w 5m\n@ NS ns1\n@ TXT "token"\n', { origin: apex })));
const dns = {
  now: 2,
  world: lookup,
  look: async () => ({ authority: { kind: "delegated" }, viewpoints: [], lookup, undelegatedHosts: [] }),
} as unknown as DnsContext;
const domain = { name: apex, host: undefined } as unknown as Domain;
const workspace = { settings: { hosts: {} } } as unknown as Workspace;
const change = {
  name: apex,
  type: "TXT",
  before: undefined,
  after: { name: apex, type: "TXT", ttl: 3600, data: [{ strings: ["token"] }] },
} as unknown as JournalledChange;

test.each([
  ["update", false],
  ["by-hand", true],
] as const)("a publication (%s) of a process that still runs is settled: %s", async (way, settled) => {
  const journal = openJournal(join(folder, `${way}.db`));
  try {
    journal.append(1, apex, { kind: "publication-opened", way, to: "Nettlehost", changes: [change] });
    const said = await settleInterrupted(domain, dns, workspace, journal);
    expect(said).toHaveLength(settled ? 1 : 0);
    expect(journal.publications(apex).map(({ closed }) => closed?.end)).toEqual([settled ? "published" : undefined]);
  } finally {
    journal.close();
  }
});
