import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, test } from "@jest/globals";
import { demoHere, useCase } from "../../../tests/use-case.ts";
import { decodeUtf8, printData, type RecordSet, txtValue } from "../../core/record/index.ts";

/**
 * What a DNS host makes of a zone when it applies a template, read from the text of the protocol a second time, by strings alone: a
 * record is `host TYPE data`, hosts are relative to the domain.
 */
type Line = readonly [host: string, type: string, data: string];
interface Row {
  readonly type: string;
  readonly host?: string;
  readonly [field: string]: string | number | undefined;
}

const DOMAIN = "brackwater.example";

/** A host of a template as the zone writes it, whatever way it is spelled. */
function hostOf(host: string, at: string): string {
  const plain = host.toLowerCase().replace(/\.$/, "");
  if (plain === DOMAIN) return "@";
  if (plain.endsWith(`.${DOMAIN}`)) return plain.slice(0, -DOMAIN.length - 1);
  const own = plain === "@" || plain === "" ? at : at === "@" ? plain : `${plain}.${at}`;
  return own === "" ? "@" : own;
}

const dataOf = (row: Row): string =>
  row.type === "TXT"
    ? `"${row.data}"`
    : row.type === "MX"
      ? `${row.priority} ${row.pointsTo}.`
      : row.type === "A" || row.type === "AAAA"
        ? String(row.pointsTo)
        : `${row.pointsTo}.`;

/** The zone after a template was applied. */
function applied(zone: readonly Line[], rows: readonly Row[], at: string): Line[] {
  let lines = [...zone];
  for (const row of rows) {
    const host = hostOf(String(row.host ?? "@"), at);
    const gone = ([h, t, d]: Line): boolean => {
      if (h !== host) return row.type === "NS" && h.endsWith(`.${host}`);
      if (h === "@" && t === "NS") return false;
      if (row.type === "NS" || row.type === "CNAME") return true;
      if (row.type === "SPFM") return t === "CNAME" || (t === "TXT" && d.startsWith('"v=spf1'));
      if (t === "CNAME") return true;
      if (row.type === "A" || row.type === "AAAA") return t === "A" || t === "AAAA";
      if (row.type === "MX") return t === "MX";
      if (row.type !== "TXT" || t !== "TXT") return false;
      if (row.txtConflictMatchingMode === "All") return true;
      return row.txtConflictMatchingMode === "Prefix" && d.startsWith(`"${row.txtConflictMatchingPrefix}`);
    };
    if (row.type === "SPFM") {
      const own = zone.find(([h, t, d]) => h === host && t === "TXT" && d.startsWith('"v=spf1'))?.[2] ?? '"v=spf1 ~all"';
      const merged = own.includes(String(row.spfRules)) ? own : own.replace(/ ([-~?]all)"/, ` ${row.spfRules} $1"`);
      lines = [...lines.filter((line) => !gone(line)), [host, "TXT", merged]];
    } else lines = lines.filter((line) => !gone(line));
  }
  // Everything that goes is gone before the first record comes.
  const come = rows
    .filter(({ type }) => type !== "SPFM")
    .map((row): Line => [hostOf(String(row.host ?? "@"), at), row.type, dataOf(row)]);
  return [...lines, ...come].filter((line, i, all) => all.findIndex((other) => other.join(" ") === line.join(" ")) === i);
}

const HEAD = `$ORIGIN ${DOMAIN}.\n$TTL 1h\n@ SOA ns1 h 1 2h 15m 2w 5m\n@ NS ns1\nns1 A 192.0.2.53\n`;

/** What stands at a name before, by kinds. */
const STANDING: Readonly<Record<string, (host: string) => Line[]>> = {
  nothing: () => [],
  addresses: (host) => [
    [host, "A", "203.0.113.7"],
    [host, "AAAA", "2001:db8::7"],
  ],
  mail: (host) => [
    [host, "MX", "10 mx1.inglemail.example."],
    [host, "MX", "20 mx2.inglemail.example."],
  ],
  texts: (host) => [
    [host, "TXT", '"v=spf1 include:spf.inglemail.example -all"'],
    [host, "TXT", '"pagewick=old"'],
    [host, "TXT", '"other-tool=77b1"'],
  ],
  all: (host) => [
    [host, "A", "203.0.113.7"],
    [host, "MX", "10 mx1.inglemail.example."],
    [host, "TXT", '"other-tool=77b1"'],
  ],
  alias: (host) => (host === "@" ? [] : [[host, "CNAME", "sites.tallowdesk.example."]]),
};

/** One record of each kind. */
const KINDS: Readonly<Record<string, Row>> = {
  A: { type: "A", pointsTo: "203.0.113.10" },
  AAAA: { type: "AAAA", pointsTo: "2001:db8::10" },
  CNAME: { type: "CNAME", pointsTo: "sites.pagewick.example" },
  MX: { type: "MX", pointsTo: "in.pagewick.example", priority: 5 },
  "TXT None": { type: "TXT", data: "pagewick=4f1d" },
  "TXT All": { type: "TXT", data: "pagewick=4f1d", txtConflictMatchingMode: "All" },
  "TXT Prefix": { type: "TXT", data: "pagewick=4f1d", txtConflictMatchingMode: "Prefix", txtConflictMatchingPrefix: "pagewick=" },
  SPFM: { type: "SPFM", spfRules: "include:spf.pagewick.example" },
};

/** How a host is spelled. */
const SPELLED: Readonly<Record<string, (host: string) => string>> = {
  plain: (host) => host,
  capitals: (host) => host.toUpperCase(),
  whole: (host) => `${host === "@" ? "" : `${host}.`}${DOMAIN}.`,
};

const CASES = Object.entries(KINDS).flatMap(([kind, row]) =>
  Object.entries(STANDING).flatMap(([stands, before], i) =>
    ["@", "old"].flatMap((host, j) => {
      // An alias cannot stand where a zone begins, and the host would have to flatten it.
      if (host === "@" && (row.type === "CNAME" || stands === "alias")) return [];
      const spelled = Object.keys(SPELLED)[(i + j) % 3] as string;
      return [
        [
          `${kind} at ${host}, ${spelled}, where ${stands} stands`,
          { ...row, host: (SPELLED[spelled] as (h: string) => string)(host) },
          before(host),
          "@",
        ] as const,
      ];
    }),
  ),
);
const BELOW = Object.entries(KINDS).map(
  ([kind, row]) =>
    [
      `${kind} for the host go`,
      { ...row, host: row.type === "CNAME" ? "www" : "@" },
      (STANDING.all as (h: string) => Line[])("go"),
      "go",
    ] as const,
);

/** Several records in one template, in two groups, each where something stands. */
const TOGETHER = Object.entries(KINDS).flatMap(([kind, row], i) =>
  Object.entries(KINDS)
    .slice(i)
    .filter(([other]) => kind !== other && (i + other.length) % 2 === 0)
    .map(
      ([other, second]) =>
        [
          `${kind} at old and ${other} at www`,
          [
            { ...row, host: "old", groupId: "one" },
            { ...second, host: "www", groupId: "two" },
          ],
          [...(STANDING.all as (h: string) => Line[])("old"), ...(STANDING.texts as (h: string) => Line[])("www")],
        ] as const,
    ),
);

const text = (lines: readonly Line[]): string =>
  lines
    .map((line) => line.join(" "))
    .sort()
    .join("\n");

const NAMED = {
  providerId: "pagewick.example",
  providerName: "Pagewick",
  serviceId: "site",
  serviceName: "A site",
  version: 1,
};
/** Fields of a template more than its records, and the values of its variables. */
type Fields = { readonly values?: Readonly<Record<string, string>> } & Readonly<Record<string, unknown>>;
const valuesOf = (values: Fields["values"] = {}) =>
  Object.entries(values).flatMap(([variable, value]) => ["--input", `${variable}=${value}`]);

/** The zone after the draft, of a workspace whose DNS host takes approvals. */
async function drafted(
  rows: readonly Row[],
  before: readonly Line[],
  at: string,
  more: Fields = {},
  others: readonly Fields[] = [],
) {
  const here = demoHere({ "live.zone": `${HEAD}${before.map((line) => line.join(" ")).join("\n")}\n` });
  const settings = join(here.folder, "zandrel.yaml");
  writeFileSync(
    settings,
    readFileSync(settings, "utf8").replace(/publish:\n(?: {6}.*\n)+|publish: \{[^}]*\}\n/, "publish: { way: approval }\n"),
  );
  writeFileSync(join(here.folder, "domains/brackwater.example.yaml"), `domain: ${DOMAIN}\nhost: nettlehost\nasks: []\n`);
  for (const [i, { values, ...other }] of others.entries()) {
    writeFileSync(join(here.folder, `other-${i}.json`), JSON.stringify({ ...NAMED, ...other }));
    await useCase(here, "intake", "--kit", `other-${i}.json`, "--domain", DOMAIN, ...valuesOf(values));
  }
  const { values, ...fields } = more;
  const template = { ...NAMED, ...fields, records: rows };
  writeFileSync(join(here.folder, "t.json"), JSON.stringify(template));
  await useCase(
    here,
    "intake",
    "--kit",
    "t.json",
    "--domain",
    DOMAIN,
    ...(at === "@" ? [] : ["--host", at]),
    ...valuesOf(values),
  );
  const names = [...new Set([...before.map(([host]) => host), ...rows.map((row) => hostOf(String(row.host ?? "@"), at))])];
  const { result } = await useCase(
    here,
    "draft",
    DOMAIN,
    "--zone-file",
    "live.zone",
    "--zone-file",
    "services.zone",
    ...names.flatMap((name) => ["--replace", name]),
  );
  if (result.clashes.length > 0) return result.clashes;
  const relative = (name: string) => (name === `${DOMAIN}.` ? "@" : name.slice(0, -DOMAIN.length - 2));
  const lines = ({ name, type, data }: RecordSet): Line[] =>
    data.map((one) => [relative(name), type, "strings" in one ? `"${decodeUtf8(txtValue(one))}"` : printData(type, one)]);
  const touched = new Set(result.changes.map(({ name, type }: RecordSet) => `${relative(name)} ${type}`));
  const after = result.changes.flatMap((change: { after?: RecordSet }) =>
    change.after === undefined ? [] : lines(change.after),
  );
  return [...before.filter(([host, type]) => !touched.has(`${host} ${type}`)), ...after] as Line[];
}

describe("a draft at a host that takes approvals is the zone after its template was applied", () => {
  test("over more than a hundred templates", () =>
    expect(CASES.length + BELOW.length + TOGETHER.length).toBeGreaterThanOrEqual(100));
  test.each([...CASES, ...BELOW])("%s", async (_, row, before, at) => {
    expect(text(await drafted([row], before, at))).toBe(text(applied(before, [row], at)));
  });
  test.each(TOGETHER)("%s", async (_, rows, before) => {
    expect(text(await drafted(rows, before, "@"))).toBe(text(applied(before, rows, "@")));
  });
});

describe("what a host applied before", () => {
  const TOKEN: Row = { type: "TXT", host: "@", data: "pagewick=%claim%" };
  const NOTE: Row = { type: "CNAME", host: "_quaylet", pointsTo: "proof.quaylet.example" };
  const OTHER = { providerId: "quaylet.example", providerName: "Quaylet", serviceId: "proof", serviceName: "A proof" };
  const old: Line = ["@", "TXT", '"pagewick=old1"'];
  const own: Line = ["@", "TXT", '"quaylet=77b1"'];
  const note: Line = ["_quaylet", "CNAME", "proof.quaylet.example."];
  const fresh: Line = ["@", "TXT", '"pagewick=new2"'];
  const values = { claim: "new2" };
  const before = { records: [TOKEN], values: { claim: "old1" } };
  const all: Row = { ...TOKEN, txtConflictMatchingMode: "All" };
  const proof: Row = { type: "TXT", host: "@", data: "quaylet=77b1" };
  test.each<[string, Row[], Line[], Fields, Fields[], Line[]]>([
    [
      "where it may be there several times it stays",
      [TOKEN],
      [old],
      { values, multiInstance: true },
      [{ ...before, multiInstance: true }],
      [old, fresh],
    ],
    ["the same below another host stays", [TOKEN], [], { values }, [], [fresh]],
    ["another one stays", [TOKEN], [own, note], { values }, [{ ...OTHER, records: [proof, NOTE] }], [own, note, fresh]],
    [
      "another one of which a record goes, goes whole",
      [all],
      [own, note],
      { values },
      [{ ...OTHER, records: [proof, NOTE] }],
      [fresh],
    ],
    [
      "but not where that record only counts on applying",
      [all],
      [own, note],
      { values },
      [{ ...OTHER, records: [{ ...proof, essential: "OnApply" }, NOTE] }],
      [note, fresh],
    ],
  ])("%s", async (_, rows, zone, more, others, expected) => {
    expect(text(await drafted(rows, zone, "@", more, others))).toBe(text(expected));
  });
  test.each<[string, Line[]]>([
    ["is there", [old]],
    ["is to come as well", []],
  ])(
    "the same with another value, which %s, cannot be had beside it: each approval would take the other away",
    async (_, zone) => {
      const clashes = await drafted([TOKEN], zone, "@", { values }, [before]);
      expect(clashes.map(({ kind, ask }: { kind: string; ask: string }) => [kind, ask])).toEqual([
        ["asks-disagree", "pagewick-site"],
        ["asks-disagree", "pagewick-site-2"],
      ]);
      expect(clashes.at(-1)).toMatchObject({
        because: expect.stringMatching(/come from one template \(site of pagewick\.example\) .* keeps one of them/),
        options: ["zandrel retire pagewick-site (keeps pagewick-site-2)"],
      });
    },
  );
});
