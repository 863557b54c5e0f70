import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { hostname, tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, describe, expect, test } from "@jest/globals";
import Database from "libsql";
import { verbatim } from "../../core/clause/index.ts";
import { DAY_MS } from "../../core/day.ts";
import { zoneLookup } from "../../core/lookup/index.ts";
import { name } from "../../core/name/index.ts";
import { readZone, zonesOf } from "../../core/zone/index.ts";
import { inWords } from "../../present/clauses/index.ts";
import type { Domain, JournalledChange, Workspace } from "../../workspace/index.ts";
import { type JournalEvent, openJournal } from "../../workspace/journal.ts";
import type { AppContext } from "../context.ts";
import type { DnsContext } from "../dns/context.ts";
import { publishChanges, settleInterrupted } from "./publication.ts";
import type { Publisher } from "./ways.ts";

const folder = mkdtempSync(join(tmpdir(), "zandrel-publication-"));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const apex = name("brackwater.example");
const lookup = zoneLookup(zonesOf(readZone('$TTL 1h\n@ SOA ns1 h 1 2h 15m 2w 5m\n@ NS ns1\n@ TXT "token"\n', { origin: apex })));
const dns = {
  now: 2,
  world: lookup,
  look: async () => ({ authority: { kind: "delegated" }, viewpoints: [], lookup, undelegatedHosts: [] }),
} as unknown as DnsContext;
const domain = { name: apex, host: undefined, asks: [] } as unknown as Domain;
const workspace = { folder, settings: { hosts: {}, defaults: { ttl: 3600, authorityPort: 53 } } } as unknown as Workspace;
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

const EMPTY = "$ORIGIN brackwater.example.\n$TTL 1h\n@ SOA ns1 h 1 2h 15m 2w 5m\n@ NS ns1\n";
const FILLED = `${EMPTY}@ TXT "token"\n`;

describe("a publication whose process was killed", () => {
  let number = 0;
  /** A journal with one entry of a process that is gone, or that never was the one of that number. */
  const journalOf = (more: Partial<Extract<JournalEvent, { kind: "publication-opened" }>>, owner = "999999999.1") => {
    const path = join(folder, `killed-${number++}.db`);
    openJournal(path).close();
    const database = new Database(path);
    const detail = JSON.stringify({ way: "update", to: "Nettlehost", changes: [change], ...more });
    database
      .prepare("INSERT INTO entry (at, domain, kind, process, detail) VALUES (1, ?, 'publication-opened', ?, ?)")
      .run(apex, `${owner}@${hostname()}`, detail);
    database.close();
    return openJournal(path);
  };
  const ends = (journal: ReturnType<typeof openJournal>) => journal.publications(apex).map(({ closed }) => closed?.end);
  const file = join(folder, "brackwater.example.zone");

  test.each<[string, string, string | undefined]>([
    ["has it", FILLED, "published"],
    ["does not have it", EMPTY, "not-published"],
    ["has something else", `${EMPTY}@ TXT "other"\n`, "unknown"],
    ["cannot be read", "this is not a zone file", undefined],
  ])("is resolved by the file it went to, not by the servers, where that %s", async (_, text, end) => {
    writeFileSync(file, text);
    const journal = journalOf({ way: "zone-file", file });
    try {
      expect(await settleInterrupted(domain, dns, workspace, journal)).toHaveLength(1);
      expect(ends(journal)).toEqual([end]);
    } finally {
      journal.close();
    }
  });

  test("is not given up while it may still be under way, nor taken for running by a number that another process has now", async () => {
    writeFileSync(file, EMPTY);
    const start = readFileSync(`/proc/${process.pid}/stat`, "latin1").split(") ")[1]?.split(" ")[19];
    for (const [owner, until, end] of [
      [`${process.pid}.${start}`, undefined, undefined],
      [`${process.pid}.1`, 1, "not-published"],
      [`${process.pid}.1`, 3, undefined],
    ] as const) {
      const journal = journalOf({ way: "zone-file", file, ...(until === undefined ? {} : { until }) }, owner);
      try {
        await settleInterrupted(domain, dns, workspace, journal);
        expect(ends(journal)).toEqual([end]);
      } finally {
        journal.close();
      }
    }
  });

  test.each([
    ["a day later it may still arrive", DAY_MS, true],
    ["after that it is given up", 86_400_001, false],
  ])("%s", async (_, later, recognised) => {
    writeFileSync(file, EMPTY);
    const journal = journalOf({ way: "zone-file", file });
    const at = (now: number) => ({ ...dns, now }) as unknown as DnsContext;
    try {
      await settleInterrupted(domain, dns, workspace, journal);
      writeFileSync(file, FILLED);
      // It was opened one millisecond after 1970.
      const said = await settleInterrupted(domain, at(later), workspace, journal);
      expect(said.length > 0).toBe(recognised);
    } finally {
      journal.close();
    }
  });

  test("and that arrives after it was given up is recognised, unless a later one touched the same", async () => {
    for (const later of [undefined, "not-published", "published"] as const) {
      writeFileSync(file, EMPTY);
      const journal = journalOf({ way: "zone-file", file });
      try {
        await settleInterrupted(domain, dns, workspace, journal);
        if (later !== undefined) {
          const opened = { kind: "publication-opened", way: "zone-file", to: "it", file, changes: [change] } as const;
          journal.append(2, apex, {
            kind: "publication-closed",
            opened: journal.append(2, apex, opened),
            end: later,
            because: verbatim(""),
          });
        }
        writeFileSync(file, FILLED);
        const said = await settleInterrupted(domain, dns, workspace, journal);
        expect(said.map((line) => /has arrived/.test(inWords(line)))).toEqual(later === "published" ? [] : [true]);
        expect(ends(journal)[0]).toBe(later === "published" ? "not-published" : "published");
        expect(await settleInterrupted(domain, dns, workspace, journal)).toEqual([]);
      } finally {
        journal.close();
      }
    }
  });
});

describe("changes that a server accepted", () => {
  const file = join(folder, "served.zone");
  const publisher: Publisher = {
    way: "update",
    to: "Nettlehost",
    where: {},
    underWay: 0,
    apply: async () => ({ kind: "published", because: verbatim("") }),
  };
  let journals = 0;
  /** Publishes to a server that shows the change after some looks; how often it was looked at, and how it ended. */
  const publish = async (shownAfter: number, where: Publisher["where"] = {}) => {
    writeFileSync(file, EMPTY);
    let pauses = 0;
    let told = 0;
    const clock = {
      now: () => 5,
      sleep: async () => {
        pauses += 1;
        if (pauses === shownAfter) writeFileSync(file, FILLED);
      },
    };
    const journal = openJournal(join(folder, `accepted-${++journals}.db`));
    try {
      const ended = await publishChanges(
        domain,
        [change as never],
        { ...publisher, where },
        {
          workspace,
          journal,
          request: { zoneFile: [file], resolver: [], timeout: 1 },
          context: { cwd: folder, env: {}, clock, progress: async () => void (told += 1) } as unknown as AppContext,
        },
      ).then(
        ({ kind }) => kind,
        (error) => error.code,
      );
      return { pauses, told, ended, closed: journal.publications(apex)[0]?.closed?.end };
    } finally {
      journal.close();
    }
  };

  test.each([1, 6])("are looked for again, as it may sign them first: shown at look %d more", async (pauses) => {
    expect(await publish(pauses)).toEqual({ pauses, told: 1, ended: "published", closed: "published" });
  });
  test("and that never show are said to be missing", async () => {
    expect(await publish(Infinity)).toEqual({ pauses: 6, told: 1, ended: "accepted-not-shown", closed: "unknown" });
  });
  test("are looked for once in a file", async () => {
    expect(await publish(Infinity, { file })).toEqual({ pauses: 0, told: 0, ended: "accepted-not-shown", closed: "unknown" });
  });
});
