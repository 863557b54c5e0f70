import { execFileSync, spawn, spawnSync } from "node:child_process";
import {
  chmodSync,
  chownSync,
  existsSync,
  linkSync,
  lstatSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, describe, expect, test } from "@jest/globals";
import { buildSync } from "esbuild";
import { type Clause, clause } from "../core/clause/index.ts";
import { createFile, makeFolder, openRegular, readText, replaceFile } from "./files.ts";
import { openJournal } from "./journal.ts";
import { lockBeside, withLock } from "./lock.ts";

const folders: string[] = [];
const folder = (): string => {
  const made = mkdtempSync(join(tmpdir(), "zandrel-test-"));
  folders.push(made);
  return made;
};
afterAll(() => {
  for (const made of folders) rmSync(made, { recursive: true, force: true });
});
const mode = (path: string): number => statSync(path).mode & 0o7777;
const codeOf = (run: () => unknown): string => {
  try {
    run();
  } catch (error) {
    return `${(error as { code: string }).code} ${JSON.stringify((error as { params?: object }).params ?? {})}`;
  }
  return "no error";
};

/** A program made of a few lines on this folder's modules, ready to be run in a process of its own. */
function program(lines: string): string {
  const { outputFiles } = buildSync({
    stdin: { contents: lines, resolveDir: join(process.cwd(), "src/workspace"), loader: "ts" },
    bundle: true,
    platform: "node",
    format: "esm",
    banner: { js: 'import { createRequire as __from } from "node:module"; const require = __from(import.meta.url);' },
    write: false,
  });
  const path = join(folder(), "program.mjs");
  // The native package is found from where the program lies.
  const from = JSON.stringify(join(process.cwd(), "package.json"));
  writeFileSync(path, outputFiles[0]?.text.replaceAll("createRequire(import.meta.url)", `createRequire(${from})`) ?? "");
  return path;
}

describe("replacing a file", () => {
  test("keeps mode, owner and group, whatever the umask", () => {
    const path = join(folder(), "zone");
    writeFileSync(path, "old");
    chmodSync(path, 0o664);
    const mayChown = process.getuid?.() === 0;
    if (mayChown) chownSync(path, 1234, 5678);
    const before = process.umask(0o077);
    try {
      replaceFile(path, "new");
    } finally {
      process.umask(before);
    }
    const { uid, gid } = statSync(path);
    expect([readFileSync(path, "utf8"), mode(path)]).toEqual(["new", 0o664]);
    if (mayChown) expect([uid, gid]).toEqual([1234, 5678]);
  });

  test.each<[number, number | undefined, number]>([
    [0o077, undefined, 0o600],
    [0o022, undefined, 0o644],
    [0o000, undefined, 0o644],
    [0o077, 0o640, 0o640],
  ])("a new file has the mode that the umask %o leaves, unless one is asked for: %o", (umask, asked, is) => {
    const path = join(folder(), "new");
    const before = process.umask(umask);
    try {
      replaceFile(path, "x", asked === undefined ? {} : { mode: asked });
    } finally {
      process.umask(before);
    }
    expect(mode(path)).toBe(is);
  });

  test("edits what a link leads to, and leaves the link", () => {
    const here = folder();
    mkdirSync(join(here, "server"));
    writeFileSync(join(here, "server", "zone"), "old");
    symlinkSync(join("server", "zone"), join(here, "zone"));
    replaceFile(join(here, "zone"), "new");
    expect(lstatSync(join(here, "zone")).isSymbolicLink()).toBe(true);
    expect(readFileSync(join(here, "server", "zone"), "utf8")).toBe("new");
    expect(readdirSync(join(here, "server"))).toEqual(["zone"]);
  });

  test("never writes through a link that leads nowhere, nor over a folder, a pipe or a device", () => {
    const here = folder();
    symlinkSync(join(here, "nowhere"), join(here, "link"));
    expect(codeOf(() => replaceFile(join(here, "link"), "x"))).toMatch(/cannot-write .*ENOENT/);
    expect(existsSync(join(here, "nowhere"))).toBe(false);
    execFileSync("mkfifo", [join(here, "pipe")]);
    expect(codeOf(() => replaceFile(join(here, "pipe"), "x"))).toMatch(/cannot-write .*special/);
    expect(codeOf(() => replaceFile("/dev/null", "x"))).toMatch(/cannot-write .*special/);
    expect(codeOf(() => replaceFile(here, "x"))).toMatch(/cannot-write/);
    expect(statSync("/dev/null").isCharacterDevice()).toBe(true);
  });

  test("leaves the old file and nothing else where there is no room for the new one", () => {
    const here = folder();
    writeFileSync(join(here, "zone"), "old");
    const run = program(`import { replaceFile } from "./files.ts"; replaceFile("zone", "x".repeat(50_000));`);
    const limited = (blocks: number) =>
      spawnSync("bash", ["-c", `ulimit -f ${blocks}; exec "$0" "$1"`, process.execPath, run], { cwd: here, encoding: "utf8" });
    const ran = limited(16);
    expect(ran.status).toBe(1);
    expect(ran.stderr).toContain("EFBIG");
    expect(readFileSync(join(here, "zone"), "utf8")).toBe("old");
    expect(readdirSync(here)).toEqual(["zone"]);
    expect(limited(1024).status).toBe(0);
    expect(readFileSync(join(here, "zone"), "utf8")).toHaveLength(50_000);
  });
});

describe("revising a domain", () => {
  test("leaves zandrel.yaml as it was where there is no room for the domain file behind it", () => {
    const here = folder();
    mkdirSync(join(here, "domains"));
    const settings = "version: 1\norganisation: Brackwater\nservices:\n  seekmere:\n    title: Seekmere\n";
    const domain = `domain: brackwater.example\nasks: []\n${"# a long note\n".repeat(4000)}`;
    writeFileSync(join(here, "zandrel.yaml"), settings);
    writeFileSync(join(here, "domains", "brackwater.example.yaml"), domain);
    const run = program(
      `import { revise } from "./edit.ts"; import { openWorkspace } from "./workspace.ts";
      const [domain] = openWorkspace(".", ".").domains;
      const ask = { id: "a", service: "new", purpose: "ownership", asked: "2026-03-02", records: "@ TXT token\\n" };
      revise(".", domain, { service: { key: "new", title: "New" }, without: [], add: [ask] });`,
    );
    const limited = (blocks: number) =>
      spawnSync("bash", ["-c", `ulimit -f ${blocks}; exec "$0" "$1"`, process.execPath, run], { cwd: here, encoding: "utf8" });
    const texts = () => ["zandrel.yaml", "domains/brackwater.example.yaml"].map((file) => readFileSync(join(here, file), "utf8"));
    expect(limited(16).stderr).toContain("EFBIG");
    expect(texts()).toEqual([settings, domain]);
    expect([limited(1024).status, ...texts().map((text) => /service: new|title: New/.test(text))]).toEqual([0, true, true]);
  });
});

describe("making a file", () => {
  test("refuses what is there, links that lead nowhere included, and leaves nothing behind", () => {
    const here = folder();
    writeFileSync(join(here, "key"), "old");
    symlinkSync(join(here, "nowhere"), join(here, "link"));
    for (const name of ["key", "link"])
      expect(codeOf(() => createFile(join(here, name), "new", { what: "key", mode: 0o600 }))).toMatch(/file-there/);
    expect(readFileSync(join(here, "key"), "utf8")).toBe("old");
    expect(readdirSync(here).sort()).toEqual(["key", "link"]);
    createFile(join(here, "a", "b"), "new", { what: "key", mode: 0o600 });
    expect([mode(join(here, "a")), mode(join(here, "a", "b")), statSync(join(here, "a", "b")).nlink]).toEqual([0o700, 0o600, 1]);
  });

  test.each([0o000, 0o022, 0o777])("folders are 0700 and databases 0600 with umask %o", (umask) => {
    const here = folder();
    const before = process.umask(umask);
    try {
      makeFolder(join(here, "x", "y"));
      openJournal(join(here, ".zandrel", "journal.db")).close();
    } finally {
      process.umask(before);
    }
    expect([mode(join(here, "x")), mode(join(here, "x", "y")), mode(join(here, ".zandrel"))]).toEqual([0o700, 0o700, 0o700]);
    expect(mode(join(here, ".zandrel", "journal.db"))).toBe(0o600);
  });
});

describe("reading a file", () => {
  test("a pipe, a device, a socket or a folder is named, and never waited for", () => {
    const here = folder();
    execFileSync("mkfifo", [join(here, "pipe")]);
    expect(codeOf(() => readText(join(here, "pipe")))).toMatch(/file-unreadable .*special/);
    expect(codeOf(() => readText("/dev/zero"))).toMatch(/file-unreadable .*special/);
    expect(codeOf(() => readText(here))).toMatch(/file-unreadable .*EISDIR/);
    expect(codeOf(() => openRegular(join(here, "none")))).toMatch(/file-unreadable .*ENOENT/);
  });
  test("one that is too large is not read, also where its size does not say so", () => {
    const here = folder();
    writeFileSync(join(here, "a"), "x".repeat(101));
    expect(codeOf(() => readText(join(here, "a"), "utf8", 100))).toMatch(/file-too-large/);
    expect(readText(join(here, "a"), "utf8", 101)).toHaveLength(101);
    // The kernel says 0 octets for these, and there are more.
    expect(readText("/proc/self/status")).toContain("Pid:");
    expect(codeOf(() => readText("/proc/self/status", "utf8", 10))).toMatch(/file-too-large/);
  });
});

describe("a lock", () => {
  const quiet = { tell: async () => undefined };

  test("is held by one at a time, in one process and between processes", async () => {
    const path = join(folder(), ".zandrel", "lock");
    let inside = 0;
    let most = 0;
    await Promise.all(
      Array.from({ length: 8 }, () =>
        withLock(path, "it", quiet, async () => {
          most = Math.max(most, ++inside);
          await new Promise((done) => setTimeout(done, 5));
          inside -= 1;
        }),
      ),
    );
    expect(most).toBe(1);
    expect(mode(path)).toBe(0o600);
  });

  test("ends with its process, however that ends, and whoever waits says so", async () => {
    const here = folder();
    const path = join(here, "lock");
    const run = program(
      `import { withLock } from "./lock.ts";
       await withLock("lock", "it", { async tell() {} }, () => { console.log("held"); return new Promise((done) => setTimeout(done, 1e9)); });`,
    );
    const holder = spawn(process.execPath, [run], {
      cwd: here,
      stdio: ["ignore", "pipe", "inherit"],
    });
    await new Promise((held) => holder.stdout.once("data", held));
    const said: Clause[] = [];
    const waiting = withLock(
      path,
      "this workspace",
      {
        async tell(text) {
          said.push(text);
          holder.kill("SIGKILL");
        },
      },
      () => "mine",
    );
    expect(await waiting).toBe("mine");
    expect(said).toEqual([clause("told-lock", { what: "this workspace" })]);
  });

  test("of a file lies beside it, and beside its target where it is a link", () => {
    const here = folder();
    mkdirSync(join(here, "server"));
    writeFileSync(join(here, "server", "zone"), "");
    symlinkSync(join(here, "server", "zone"), join(here, "link"));
    linkSync(join(here, "server", "zone"), join(here, "hard"));
    expect(lockBeside(join(here, "link"))).toBe(lockBeside(join(here, "server", "zone")));
    expect(lockBeside(join(here, "none"))).toBe(join(here, ".none.lock"));
  });

  test("does not take a link or a folder for its file", async () => {
    const here = folder();
    symlinkSync(join(here, "elsewhere"), join(here, "lock"));
    await expect(withLock(join(here, "lock"), "it", quiet, () => 1)).rejects.toThrow(/cannot-write/);
    expect(existsSync(join(here, "elsewhere"))).toBe(false);
  });
});
