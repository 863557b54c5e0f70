import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { parseDocument } from "yaml";
import { clause, verbatim } from "../core/clause/index.ts";
import { Failure } from "../core/failure.ts";
import { failureSentence } from "../present/index.ts";
import { replaceFile } from "./files.ts";
import { openJournal } from "./journal.ts";
import { readSecret } from "./read-secret.ts";
import { openWorkspace, pickService } from "./workspace.ts";
import { withEntry, withoutEntry, withValue } from "./yaml-file.ts";

const folders: string[] = [];
const folder = (files: Record<string, string> = {}) => {
  const made = mkdtempSync(join(tmpdir(), "zandrel-test-"));
  folders.push(made);
  mkdirSync(join(made, "domains"));
  for (const [path, text] of Object.entries(files)) writeFileSync(join(made, path), text);
  return made;
};
afterAll(() => {
  for (const made of folders) rmSync(made, { recursive: true, force: true });
});

const SETTINGS =
  "version: 1\norganisation: Brackwater\nhosts:\n  nettlehost:\n    title: Nettlehost\nservices:\n  seekmere:\n    title: Seekmere\n";
const DOMAIN =
  'domain: brackwater.example\nhost: nettlehost\nasks:\n  - id: seekmere-ownership\n    service: seekmere\n    purpose: ownership\n    asked: 2026-03-02\n    records: |\n      @ TXT "token"\n';
const message = (run: () => unknown): string => {
  try {
    run();
  } catch (error) {
    if (error instanceof Failure) return failureSentence(error);
    throw error;
  }
  return "no error";
};

describe("reading the files", () => {
  test.each(["zandrel.yaml", "domains/c.yaml"])(
    "a link out of the workspace is refused, and nothing of its target is shown: %s",
    (file) => {
      const made = folder({ "zandrel.yaml": SETTINGS, "domains/b.yaml": DOMAIN });
      const outside = join(folder(), "secret.txt");
      writeFileSync(outside, "top: [secret\n");
      rmSync(join(made, file), { force: true });
      symlinkSync(outside, join(made, file));
      const said = message(() => openWorkspace(made, made));
      expect(said).toMatch(/a link leads from .* out of the workspace/);
      expect(said).not.toContain("top");
    },
  );
  test("a folder that is a link out of the workspace is refused just so, one that leads elsewhere inside is not", () => {
    const made = folder({ "zandrel.yaml": SETTINGS });
    const outside = folder({ "b.yaml": "top: [secret\n" });
    rmSync(join(made, "domains"), { recursive: true });
    symlinkSync(outside, join(made, "domains"));
    expect(message(() => openWorkspace(made, made))).toMatch(/a link leads from .* out of the workspace/);
    rmSync(join(made, "domains"));
    mkdirSync(join(made, "mine"));
    writeFileSync(join(made, "mine", "b.yaml"), DOMAIN);
    symlinkSync("mine", join(made, "domains"));
    expect(openWorkspace(made, made).domains).toHaveLength(1);
  });
  test("asks come with their records parsed", () => {
    const { domains, settings } = openWorkspace(folder({ "zandrel.yaml": SETTINGS, "domains/b.yaml": DOMAIN }), undefined);
    expect(domains).toMatchObject([
      {
        name: "brackwater.example.",
        host: "nettlehost",
        asks: [
          {
            id: "seekmere-ownership",
            asked: "2026-03-02",
            wants: [{ kind: "records", name: "brackwater.example.", type: "TXT", ttl: 3600 }],
          },
        ],
      },
    ]);
    expect(settings.defaults).toEqual({ ttl: 3600, authorityPort: 53, webPorts: { http: 80, https: 443 } });
  });
  test.each<[string, Record<string, string>, RegExp]>([
    ["no workspace", {}, /there is no workspace .* zandrel init/],
    ["not YAML", { "zandrel.yaml": "version: 1\nhosts: [a\n" }, /zandrel\.yaml:\d:\d+: this is not YAML/],
    ["a later version", { "zandrel.yaml": "version: 2\norganisation: x\n" }, /zandrel\.yaml:1:10: “2” is wrong: expected 1/],
    [
      "a key that means nothing",
      { "zandrel.yaml": `${SETTINGS}colour: red\n` },
      /zandrel\.yaml:9:1: “colour: red” is wrong: the key colour means nothing/,
    ],
    ["a missing title", { "zandrel.yaml": "version: 1\norganisation: x\nhosts:\n  a: {}\n" }, /hosts\.a\.title is missing/],
    [
      "a secret in the file",
      { "zandrel.yaml": `${SETTINGS}    key: hunter2\n` },
      /zandrel\.yaml:9:10: .*expected env:NAME or file:PATH/,
    ],
    [
      "a secret under a key that is none",
      { "zandrel.yaml": `${SETTINGS}    password: hunter2\n` },
      /^(?!.*hunter2).*the key password means nothing/,
    ],
    ["a secret in a line that is not YAML", { "zandrel.yaml": `${SETTINGS}    token: hunter2: [\n` }, /^(?!.*hunter2).*not YAML/],
    ["a secret as the value", { "zandrel.yaml": `${SETTINGS}    key: hunter2\n` }, /^(?!.*hunter2).*expected env:NAME/],
    [
      "control characters",
      { "zandrel.yaml": 'version: 1\norganisation: "a\\x1b[31mb"\n' },
      /zandrel\.yaml:2:15: .*without control characters/,
    ],
    [
      "an unknown service",
      { "zandrel.yaml": SETTINGS, "domains/b.yaml": DOMAIN.replace("service: seekmere", "service: seekmire") },
      /b\.yaml:5:14: “seekmire” is not a service of zandrel.yaml; did you mean seekmere\?/,
    ],
    [
      "an unknown host",
      { "zandrel.yaml": SETTINGS, "domains/b.yaml": DOMAIN.replace("host: nettlehost", "host: nettelhost") },
      /b\.yaml:2:7: “nettelhost” is not a DNS host .*did you mean nettlehost/,
    ],
    [
      "a record that cannot be read",
      { "zandrel.yaml": SETTINGS, "domains/b.yaml": DOMAIN.replace('"token"', '"open') },
      /b\.yaml:8:\d+: line 1 of the records of seekmere-ownership, column 7: .*closing quote/,
    ],
    [
      "a purpose that does not exist",
      { "zandrel.yaml": SETTINGS, "domains/b.yaml": DOMAIN.replace("purpose: ownership", "purpose: owner") },
      /b\.yaml:6:14: “owner” is wrong: expected one of ownership, site/,
    ],
    [
      "an id twice",
      { "zandrel.yaml": SETTINGS, "domains/b.yaml": `${DOMAIN}${DOMAIN.slice(DOMAIN.indexOf("  - id"))}` },
      /is used twice, at .*b\.yaml:4:9 and at .*b\.yaml:10:9: give one of the two/,
    ],
    [
      "an ask that waits for none",
      { "zandrel.yaml": SETTINGS, "domains/b.yaml": DOMAIN.replace("    asked:", "    after: [nobody]\n    asked:") },
      /“nobody” is not an ask of this file/,
    ],
    [
      "a domain twice",
      { "zandrel.yaml": SETTINGS, "domains/a.yaml": DOMAIN, "domains/b.yaml": DOMAIN },
      /both describe brackwater.example/,
    ],
    [
      "aliases that multiply",
      {
        "zandrel.yaml": `version: 1\na: &a [x,x,x,x,x,x,x,x,x]\nb: &b [*a,*a,*a,*a,*a,*a,*a,*a]\nc: &c [*b,*b,*b,*b,*b,*b,*b,*b]\nd: [*c,*c,*c,*c,*c,*c,*c,*c]\n`,
      },
      /aliases in this file multiply too far/,
    ],
  ])("%s", (_, files, expected) => {
    const made = folder(files);
    expect(message(() => openWorkspace(made, made))).toMatch(expected);
  });
});

describe("editing in place", () => {
  test.each<[string, string, string]>([
    ["an empty list", "domain: x\nasks: []\n", "domain: x\nasks:\n  - id: a\n"],
    ["nothing behind the key", "asks:\nrole: main # why\n", "asks:\n  - id: a\nrole: main # why\n"],
    ["no such key", "domain: x", "domain: x\nasks:\n  - id: a\n"],
    [
      "a list with comments",
      "asks:\n  # first\n  - id: z # last\n# end\nrole: main\n",
      "asks:\n  # first\n  - id: z # last\n  - id: a\n# end\nrole: main\n",
    ],
    ["a list without indentation", "asks:\n- id: z\n", "asks:\n- id: z\n- id: a\n"],
    ["no line end at the end", "asks:\n  - id: z", "asks:\n  - id: z\n  - id: a\n"],
  ])("%s", (_, before, after) => {
    expect(withEntry(before, "asks", [{ id: "a" }])).toBe(after);
  });
  test("a map", () => {
    expect(withEntry("services:\n  a:\n    title: A # first\n\ndefaults: {}\n", "services", { b: { title: "B" } })).toBe(
      "services:\n  a:\n    title: A # first\n  b:\n    title: B\n\ndefaults: {}\n",
    );
  });
  test.each<[string, string, unknown, string]>([
    ["a word in place of a word", "title", "B", "hosts:\n  a:\n    title: B # said\n    publish: { way: by-hand } # so\n# end\n"],
    [
      "a map in place of one on a line",
      "publish",
      { way: "zone-file", file: "b.zone" },
      "hosts:\n  a:\n    title: A # said\n    publish: # so\n      way: zone-file\n      file: b.zone\n# end\n",
    ],
    [
      "a key that was not there",
      "servers",
      ["192.0.2.53"],
      "hosts:\n  a:\n    title: A # said\n    publish: { way: by-hand } # so\n    servers:\n      - 192.0.2.53\n# end\n",
    ],
  ])("%s, under a path of keys", (_, key, value, after) => {
    const before = "hosts:\n  a:\n    title: A # said\n    publish: { way: by-hand } # so\n# end\n";
    expect(withValue(before, ["hosts", "a", key], value)).toBe(after);
    expect(withValue(after, ["hosts", "a", key], value)).toBe(after);
    const mixed = "# top\nhosts: # ours\n  a: { title: A } # one line\n  b: { title: B } # stays\n# end\n";
    const changed = withValue(mixed, ["hosts", "a", key], value);
    expect(parseDocument(changed).toJS()).toEqual({ hosts: { a: { title: "A", [key]: value }, b: { title: "B" } } });
    for (const kept of ["# top\n", "hosts: # ours\n", "# one line\n", "  b: { title: B } # stays\n# end\n"])
      expect(changed).toContain(kept);
    expect(parseDocument(withValue("hosts: { a: { title: A } }\n", ["hosts", "a", key], value)).toJS()).toMatchObject({
      hosts: { a: { [key]: value } },
    });
  });
  test("whatever is added reads back, and every character that was there stays", () => {
    const value = fc.string({ maxLength: 30 });
    fc.assert(
      fc.property(fc.array(value, { maxLength: 4 }), value, (list, more) => {
        const before = `# top\nasks:${list.length === 0 ? " []" : ""}\n${list.map((one) => `  - { note: ${JSON.stringify(one)} } # c\n`).join("")}role: main\n`;
        const after = withEntry(before, "asks", [{ note: more }]);
        expect(parseDocument(after).toJS()).toEqual({ asks: [...list, more].map((note) => ({ note })), role: "main" });
        for (const line of before.split("\n").filter((one) => one.includes("#"))) expect(after).toContain(line);
      }),
    );
  });
  test.each<[string, number, string, string]>([
    [
      "the middle of three",
      1,
      "asks:\n  - id: a # one\n  # of b\n  - id: b\n    records: |\n      x\n  - id: c\nrole: main\n",
      "asks:\n  - id: a # one\n  # of b\n  - id: c\nrole: main\n",
    ],
    ["the last", 1, "asks:\n- id: a\n- id: b\n", "asks:\n- id: a\n"],
    ["the only one", 0, "asks:\n  - id: a\n    note: x\nrole: main\n", "asks: []\nrole: main\n"],
    ["one of a flow list", 0, "asks: [{ id: a }, { id: b }]\nrole: main\n", "asks: [{ id: b }]\nrole: main\n"],
  ])("taking out %s", (_, index, before, after) => expect(withoutEntry(before, "asks", index)).toBe(after));
  test("what was added and taken out again is as it was", () => {
    fc.assert(
      fc.property(
        fc.array(fc.string({ maxLength: 20 }), { minLength: 1, maxLength: 4 }),
        fc.string({ maxLength: 20 }),
        (list, more) => {
          const before = `# top\nasks:\n${list.map((one) => `  - note: ${JSON.stringify(one)} # c\n`).join("")}role: main\n`;
          expect(withoutEntry(withEntry(before, "asks", [{ note: more }]), "asks", list.length)).toBe(before);
        },
      ),
    );
  });
  test("a file is replaced whole, and keeps its mode; a folder that is a file is one clear error", () => {
    const made = folder();
    const path = join(made, "a.txt");
    writeFileSync(path, "old", { mode: 0o600 });
    replaceFile(path, "new");
    expect(readFileSync(path, "utf8")).toBe("new");
    expect(readdirSync(made).filter((file) => file.includes("tmp"))).toEqual([]);
    expect(message(() => replaceFile(join(path, "b.txt"), "x"))).toMatch(/b\.txt cannot be written/);
  });
});

describe("secrets", () => {
  const made = folder({ "key.txt": " s3cret \n", "empty.txt": "\n" });
  test.each<[string, string]>([
    ["env:KEY", "value"],
    ["file:key.txt", "s3cret"],
  ])("%s", (reference, value) => expect(readSecret(reference, clause("secret-link-key"), made, { KEY: "value" })).toBe(value));
  test.each<[string, RegExp]>([
    ["env:NONE", /environment variable NONE, which holds the key of the link, is not set/],
    ["file:none.txt", /none\.txt is not there/],
    ["file:empty.txt", /empty\.txt, which holds the key of the link, is empty/],
  ])("%s is an error that names the place, not the secret", (reference, expected) =>
    expect(message(() => readSecret(reference, clause("secret-link-key"), made, {}))).toMatch(expected),
  );
});

describe("the journal", () => {
  const change = { action: "add", name: "x.", type: "TXT", asks: ["a"] };
  test("keeps entries in order, by domain and kind", () => {
    const journal = openJournal(join(folder(), "j.db"));
    journal.append(1, "a.", { kind: "settled", ask: "one", wanted: "w" });
    journal.append(2, "b.", { kind: "settled", ask: "two", wanted: "w" });
    journal.append(3, "a.", { kind: "proven", ask: "one", wanted: "w", by: "user", evidence: "e" });
    expect(journal.entries("a.", "settled", "proven").map(({ at, kind }) => [at, kind])).toEqual([
      [1, "settled"],
      [3, "proven"],
    ]);
    expect(journal.entries(undefined, "settled").map(({ ask }) => ask)).toEqual(["one", "two"]);
    journal.close();
  });
  test("is append-only, and keeps what was written over a reopening", async () => {
    const path = join(folder(), "j.db");
    const journal = openJournal(path);
    const opened = journal.append(1, "a.", { kind: "publication-opened", way: "update", to: "n", changes: [change] });
    journal.close();
    const { default: Database } = await import("libsql");
    const raw = new Database(path);
    expect(() => raw.exec("DELETE FROM entry")).toThrow(/append-only/);
    expect(() => raw.exec("UPDATE entry SET at = 0")).toThrow(/append-only/);
    raw.close();
    const again = openJournal(path);
    expect(again.publications("a.")).toMatchObject([
      { opened: { id: opened, changes: [change] }, closed: undefined, running: true },
    ]);
    again.append(2, "a.", { kind: "publication-closed", opened, end: "published", because: verbatim("b") });
    expect(again.publications("a.")[0]?.closed).toMatchObject({ end: "published" });
    again.close();
  });
  test("what fails inside an exclusive stretch leaves nothing behind", () => {
    const journal = openJournal(join(folder(), "j.db"));
    expect(() =>
      journal.exclusively(() => {
        journal.append(1, "a.", { kind: "settled", ask: "one", wanted: "w" });
        throw new Error("stop");
      }),
    ).toThrow("stop");
    expect(journal.entries(undefined, "settled")).toEqual([]);
    journal.close();
  });
  test("a file that is not a journal, and one of a later format, are one clear error each", async () => {
    const made = folder({ "bad.db": "this is not a database, but it is long enough to look at ".repeat(40) });
    expect(message(() => openJournal(join(made, "bad.db")))).toMatch(
      /is damaged .*set it aside with mv .*bad\.db.*a new one begins/,
    );
    mkdirSync(join(made, "folder.db"));
    expect(message(() => openJournal(join(made, "folder.db")))).toMatch(/folder\.db cannot be written, because [a-z]/i);
    const path = join(made, "new.db");
    openJournal(path).close();
    const { default: Database } = await import("libsql");
    const raw = new Database(path);
    raw.exec("PRAGMA user_version = 99");
    raw.close();
    expect(message(() => openJournal(path))).toMatch(/newer Zandrel/);
  });
});

describe("a service that a person names", () => {
  const services =
    "services:\n  seekmere: { title: Seekmere }\n  sm2: { title: Seekmere Two }\n  a: { title: Same }\n  b: { title: same }\n";
  const made = folder({
    "zandrel.yaml": `version: 1\norganisation: Brackwater\nhosts: {}\n${services}`,
  });
  test.each([
    ["seekmere", "seekmere"],
    ["Seekmere", "seekmere"],
    [" SEEKMERE two ", "sm2"],
    ["b", "b"],
  ])("%j is found by its key or its title", (named, key) => expect(pickService(openWorkspace(made, made), named)).toBe(key));
  test.each(["seek", "", "Same", "__proto__"])("%j is none", (named) =>
    expect(() => pickService(openWorkspace(made, made), named)).toThrow(/unknown-service/),
  );
});
