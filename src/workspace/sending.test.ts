import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import Database from "libsql";
import { clause } from "../core/clause/index.ts";
import { EVENT_KINDS, type MessageEvent } from "../core/sending/index.ts";
import { openEventStore } from "./event-store.ts";
import { readSecret } from "./read-secret.ts";
import { ignoreInGit, secretFile, secretVariable } from "./secret.ts";

const folders: string[] = [];
const folder = () => {
  const made = mkdtempSync(join(tmpdir(), "zandrel-test-"));
  folders.push(made);
  return made;
};
afterAll(() => {
  for (const made of folders) rmSync(made, { recursive: true, force: true });
});

const NOW = Date.parse("2026-03-02T09:00:00Z");
const event = (id: string, more: Partial<MessageEvent> = {}): MessageEvent => ({
  id,
  kind: "arrived",
  at: "2026-03-02T08:59:00Z",
  messageId: "m@brackwater.example",
  domain: "brackwater.example",
  to: "probe@mallowmail.example",
  ...more,
});
const batch = (nonce: string, events: MessageEvent[], more = {}) => ({
  service: "swiftquill",
  nonce,
  signedAt: NOW / 1000,
  events,
  ...more,
});

describe("events on the disk", () => {
  test("each counts once: over requests, over services, over a reopening", () => {
    const path = join(folder(), "events.db");
    const store = openEventStore(path);
    expect(
      store.keep([batch("n1", [event("e1"), event("e1"), event("e2")]), batch("n2", [event("e2"), event("e3")])], NOW, 0),
    ).toEqual(["kept", "kept"]);
    expect(store.keep([batch("n1", [event("e9")])], NOW, 0)).toEqual(["replayed"]);
    expect(store.keep([batch("n1", [event("e1")], { service: "heronpost" })], NOW, 0)).toEqual(["kept"]);
    store.close();
    const again = openEventStore(path);
    expect(again.keep([batch("n2", [event("e8")]), batch("n3", [event("e3")])], NOW, 0)).toEqual(["replayed", "kept"]);
    expect(again.days(0).map(({ service, counts }) => `${service} ${counts.arrived}`)).toEqual(["heronpost 1", "swiftquill 3"]);
    again.close();
  });

  test("requests that are too old to be believed are forgotten, so that the memory of them does not grow", () => {
    const path = join(folder(), "events.db");
    const store = openEventStore(path);
    store.keep([batch("old", [event("e1")], { signedAt: 100 })], NOW, 0);
    store.keep([batch("new", [event("e2")])], NOW, 200);
    store.close();
    const database = new Database(path);
    expect(database.prepare("SELECT nonce FROM request").all()).toEqual([{ nonce: "new" }]);
    database.close();
  });

  test("what was kept is never changed", () => {
    const path = join(folder(), "events.db");
    const store = openEventStore(path);
    store.keep([batch("n", [event("e1")])], NOW, 0);
    store.close();
    const database = new Database(path);
    for (const change of ["UPDATE event SET kind = 'returned'", "DELETE FROM event"])
      expect(() => database.exec(change)).toThrow(/append-only/);
    database.close();
  });

  test("days are those of UTC, by service and domain; what became of one message is in order", () => {
    const store = openEventStore(join(folder(), "events.db"));
    store.keep(
      [
        batch("n", [
          event("1", { at: "2026-03-01T23:59:59.999Z" }),
          event("2", { at: "2026-03-02T00:00:00Z", kind: "returned", reply: "550 5.1.1 no" }),
          event("3", { at: "2026-03-02T00:00:01Z", domain: "Brackwater-Tickets.example" }),
        ]),
      ],
      NOW,
      0,
    );
    expect(store.days(0).map(({ day, domain, counts }) => [day, domain, counts.arrived, counts.returned])).toEqual([
      [20_514, "brackwater-tickets.example", 1, 0],
      [20_514, "brackwater.example", 0, 1],
      [20_513, "brackwater.example", 1, 0],
    ]);
    expect(store.days(Date.parse("2026-03-02T00:00:00Z"))).toHaveLength(2);
    expect(store.of("m@brackwater.example").map(({ kind, reply }) => [kind, reply])).toEqual([
      ["arrived", null],
      ["returned", "550 5.1.1 no"],
      ["arrived", null],
    ]);
    store.close();
  });

  test("however events are told, again and in any order, the sums are those of the different ones", () => {
    fc.assert(
      fc.property(
        fc.array(fc.record({ id: fc.nat(8), nonce: fc.nat(12) }), { maxLength: 30 }),
        fc.array(fc.constantFrom(...EVENT_KINDS), { minLength: 9, maxLength: 9 }),
        (narration, kinds) => {
          const store = openEventStore(join(folder(), "events.db"));
          const seen = new Set<number>();
          const nonces = new Set<number>();
          for (const { id, nonce } of narration) {
            store.keep([batch(`n${nonce}`, [event(`e${id}`, { kind: kinds[id] as MessageEvent["kind"] })])], NOW, 0);
            if (!nonces.has(nonce)) seen.add(id);
            nonces.add(nonce);
          }
          const counts = store.days(0)[0]?.counts;
          for (const kind of EVENT_KINDS) expect(counts?.[kind] ?? 0).toBe([...seen].filter((id) => kinds[id] === kind).length);
          store.close();
        },
      ),
      { numRuns: 50 },
    );
  });
});

const QUIET = { tell: async () => undefined };

describe("a place for a secret", () => {
  const SECRET = "it's a $ecret";
  const mode = (path: string): number => statSync(path).mode & 0o777;

  test("a file of its own, for its owner alone, read back as zandrel.yaml names it", () => {
    const here = folder();
    const place = secretFile(here, "keys/heronpost/b.secret");
    expect([mode(join(here, "keys/heronpost/b.secret")), mode(join(here, "keys"))]).toEqual([0o600, 0o700]);
    place.keep(SECRET);
    expect(readSecret(place.reference, clause("secret-queue"), here, {})).toBe(SECRET);
    expect(() => secretFile(here, "keys/heronpost/b.secret")).toThrow(/file-there/);
  });

  test("a place that is given up leaves nothing behind", async () => {
    const here = folder();
    secretFile(here, "x.secret").discard();
    expect(existsSync(join(here, "x.secret"))).toBe(false);
    await (await secretVariable(here, "shop.env", "PASSWORD", QUIET)).discard();
    expect(existsSync(join(here, "shop.env"))).toBe(false);
    writeFileSync(join(here, "kept.env"), "A=1\n");
    await (await secretVariable(here, "kept.env", "PASSWORD", QUIET)).discard();
    expect(readFileSync(join(here, "kept.env"), "utf8")).toBe("A=1\n");
  });

  test("a place that is given up after it got its secret is as it was before", async () => {
    const here = folder();
    const file = secretFile(here, "x.secret");
    file.keep(SECRET);
    file.discard();
    expect(existsSync(join(here, "x.secret"))).toBe(false);
    writeFileSync(join(here, "kept.env"), "PASSWORD=old\n");
    const variable = await secretVariable(here, "kept.env", "PASSWORD", QUIET, { replace: true });
    await variable.keep(SECRET);
    await variable.discard();
    expect(readFileSync(join(here, "kept.env"), "utf8")).toBe("PASSWORD=old\n");
  });

  test("what another process wrote into the file meanwhile stays when a place is given up", async () => {
    const here = folder();
    writeFileSync(join(here, "shop.env"), "A=1\nPORT=\n");
    const place = await secretVariable(here, "shop.env", "PASSWORD", QUIET, { settings: ["PORT"] });
    await place.keep(SECRET, { PORT: "587" });
    writeFileSync(join(here, "shop.env"), `${readFileSync(join(here, "shop.env"), "utf8")}OTHER='2'\n`);
    await place.discard();
    expect(readFileSync(join(here, "shop.env"), "utf8")).toBe("A=1\nPORT=\nOTHER='2'\n");
  });

  test("two places of one file are filled at the same time, and both secrets stay", async () => {
    const here = folder();
    const places = await Promise.all(["A", "B", "C"].map((name) => secretVariable(here, "shop.env", name, QUIET)));
    await Promise.all(places.map((place, i) => place.keep(String(i))));
    expect(readFileSync(join(here, "shop.env"), "utf8").trim().split("\n").sort()).toEqual(["A='0'", "B='1'", "C='2'"]);
  });

  test("a place that cannot be made says so before there is a secret", async () => {
    const here = folder();
    mkdirSync(join(here, "folder"));
    expect(() => secretFile(here, "folder")).toThrow(/file-there|cannot-write/);
    writeFileSync(join(here, "file"), "");
    expect(() => secretFile(here, "file/x")).toThrow(/cannot-write|file-there/);
    await expect(secretVariable(here, "file/x.env", "PASSWORD", QUIET)).rejects.toThrow(/cannot-write/);
  });

  test.each<[string, string | undefined, string]>([
    ["no file yet", undefined, "PASSWORD='S'\n"],
    ["an empty one", "", "PASSWORD='S'\n"],
    ["other lines, and none of it", "A=1\n# mine\n", "A=1\n# mine\nPASSWORD='S'\n"],
    ["no line end", "A=1", "A=1\nPASSWORD='S'\n"],
    ["an older one", "A=1\nPASSWORD=old\nB=2\n", "A=1\nPASSWORD='S'\nB=2\n"],
    ["an exported one", "export PASSWORD=old\n", "export PASSWORD='S'\n"],
    ["one without a value", "PASSWORD=\nB=2\n", "PASSWORD='S'\nB=2\n"],
    ["a longer name", "PASSWORD_OLD=1\nMY_PASSWORD=2\n", "PASSWORD_OLD=1\nMY_PASSWORD=2\nPASSWORD='S'\n"],
  ])("an environment file with %s", async (_, before, after) => {
    const here = folder();
    if (before !== undefined) writeFileSync(join(here, "shop.env"), before, { mode: 0o644 });
    const overwrites = /PASSWORD=old/.test(before ?? "");
    if (overwrites) await expect(secretVariable(here, "shop.env", "PASSWORD", QUIET)).rejects.toThrow(/variable-there/);
    expect(existsSync(join(here, "shop.env")) ? readFileSync(join(here, "shop.env"), "utf8") : undefined).toBe(before);
    await (await secretVariable(here, "shop.env", "PASSWORD", QUIET, { replace: overwrites })).keep("S");
    expect(readFileSync(join(here, "shop.env"), "utf8")).toBe(after);
    expect(mode(join(here, "shop.env"))).toBe(0o600);
  });

  test("settings stand beside the secret, and a value that is there is not overwritten", async () => {
    const here = folder();
    writeFileSync(join(here, "shop.env"), "MAIL_HOST=other.example\n");
    await expect(secretVariable(here, "shop.env", "MAIL_PASSWORD", QUIET, { settings: ["MAIL_HOST"] })).rejects.toThrow(
      /variable-there/,
    );
    const place = await secretVariable(here, "shop.env", "MAIL_PASSWORD", QUIET, { settings: ["MAIL_PORT"] });
    await place.keep("S", { MAIL_PORT: "587" });
    expect(readFileSync(join(here, "shop.env"), "utf8")).toBe("MAIL_HOST=other.example\nMAIL_PORT='587'\nMAIL_PASSWORD='S'\n");
  });

  test.each<[string | undefined, boolean, string]>([
    [undefined, true, "/shop.env\n"],
    ["keys/", true, "keys/\n/shop.env\n"],
    ["keys/\nshop.env\n", false, "keys/\nshop.env\n"],
  ])("a file with a secret is kept out of Git: %j", (before, added, after) => {
    const here = folder();
    if (before !== undefined) writeFileSync(join(here, ".gitignore"), before);
    expect(ignoreInGit(here, "shop.env")).toBe(added);
    expect(readFileSync(join(here, ".gitignore"), "utf8")).toBe(after);
    expect(ignoreInGit(here, "../elsewhere.env")).toBe(false);
  });

  test("a shell reads what was kept, whatever stands in it", async () => {
    const { execFileSync } = await import("node:child_process");
    const here = folder();
    await (await secretVariable(here, "shop.env", "PASSWORD", QUIET)).keep(SECRET);
    expect(execFileSync("sh", ["-c", '. ./shop.env; printf %s "$PASSWORD"'], { cwd: here, encoding: "utf8" })).toBe(SECRET);
  });
});
