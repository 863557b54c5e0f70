import {
  chmodSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  utimesSync,
  writeFileSync,
} from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, expect, test } from "@jest/globals";
import { openCodeCache } from "./code-cache.ts";

let home: string;
beforeEach(() => {
  home = mkdtempSync(join(tmpdir(), "zandrel-code-"));
});
afterEach(() => rmSync(home, { recursive: true, force: true }));

const open = (build = "b1") => openCodeCache(build, { XDG_CACHE_HOME: home });
const builds = () => readdirSync(join(home, "zandrel"));
const fileOf = (name: string) => join(home, "zandrel", builds()[0] as string, name);
const CODE = Buffer.from("compiled");

test("what is kept is read again, by this build alone", () => {
  open().write("run.cjs", CODE);
  expect(open().read("run.cjs")).toEqual(CODE);
  expect(open().read("other.cjs")).toBeUndefined();
  expect(open("b2").read("run.cjs")).toBeUndefined();
  // Nothing but the file is left there.
  expect(readdirSync(join(fileOf("run.cjs"), ".."))).toEqual(["run.cjs"]);
});

test.each([
  ["shorter", (whole: Buffer) => whole.subarray(0, whole.length - 1)],
  ["empty", () => Buffer.alloc(0)],
  [
    "changed",
    (whole: Buffer) => {
      const other = Buffer.from(whole);
      other[40 - 1] = 1;
      return other;
    },
  ],
])("a file that is %s is not used", (_, damage) => {
  open().write("run.cjs", CODE);
  writeFileSync(fileOf("run.cjs"), damage(readFileSync(fileOf("run.cjs"))));
  expect(open().read("run.cjs")).toBeUndefined();
});

test.each([
  ["..", "the folder of the build"],
  ["../..", "the folder above it"],
])("%s that others may change is neither read nor written", (up) => {
  open().write("run.cjs", CODE);
  chmodSync(join(fileOf("run.cjs"), up), 0o777);
  expect(open().read("run.cjs")).toBeUndefined();
  open().write("late.cjs", CODE);
  expect(existsSync(fileOf("late.cjs"))).toBe(false);
});

test("the code of the last three builds stays", () => {
  for (const [i, build] of ["b1", "b2", "b3"].entries()) {
    open(build).write("run.cjs", CODE);
    const folder = builds().find((name) => name.startsWith(build)) as string;
    utimesSync(join(home, "zandrel", folder), i, i);
  }
  writeFileSync(join(home, "zandrel", "old.txt"), "not ours");
  open("b4").write("run.cjs", CODE);
  expect(readFileSync(join(home, "zandrel", "old.txt"), "utf8")).toBe("not ours");
  rmSync(join(home, "zandrel", "old.txt"));
  expect(builds().map((name) => name.slice(0, 2))).toEqual(["b2", "b3", "b4"]);
});

test("a place where nothing can be kept is not a reason to fail", () => {
  writeFileSync(join(home, "zandrel"), "a file where the folder would be");
  open().write("run.cjs", CODE);
  expect(open().read("run.cjs")).toBeUndefined();
  // A relative path means nothing (XDG Base Directory Specification), and the home folder is used.
  mkdirSync(join(home, "home"));
  openCodeCache("b1", { XDG_CACHE_HOME: "cache", HOME: join(home, "home") }).write("run.cjs", CODE);
  expect(readdirSync(join(home, "home", ".cache"))).toEqual(["zandrel"]);
});
