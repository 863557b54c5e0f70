import { existsSync, mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, describe, expect, test } from "@jest/globals";
import { runHelper } from "./helper.ts";

const folder = mkdtempSync(join(tmpdir(), "zandrel-helper-"));
const started = join(folder, "started");
afterAll(() => {
  if (existsSync(started)) process.kill(Number(readFileSync(started, "utf8")), "SIGKILL");
  rmSync(folder, { recursive: true, force: true });
});

const ask = (script: string, timeout = 30_000) =>
  runHelper([process.execPath, "-e", script], { action: "describe" }, { cwd: folder, env: process.env, timeout });
const ANSWER = '{"version":1,"contract":"zandrel-helper","title":"Zonemarrow","atomic":true}';
const GRANDCHILD = `const child = require("child_process").spawn("sleep", ["600"], { stdio: "inherit", detached: true });
require("fs").writeFileSync(${JSON.stringify(started)}, String(child.pid));`;

describe("a helper program", () => {
  test("answers, whether it reads its request or not", async () => {
    expect(await ask(`console.log('${ANSWER}')`)).toMatchObject({ ok: true, value: { title: "Zonemarrow" } });
    expect(await ask(`process.stdin.destroy(); console.log('${ANSWER}')`)).toMatchObject({ ok: true });
  });
  test.each<[string, string, object]>([
    [
      "that prints without end",
      'const text = "x".repeat(1 << 16); for (;;) require("fs").writeSync(1, text)',
      { clause: "program-output-too-long", mebibytes: 4 },
    ],
    ["that prints something else", 'console.log("hello")', { clause: "program-not-json" }],
    ["that answers another contract", "console.log('{}')", { clause: "program-other-form", at: "contract" }],
    [
      "that ends with an error of its run-time environment",
      'throw new TypeError("no such zone")',
      { clause: "program-ended", how: 1, said: "no such zone" },
    ],
    [
      "that ends with an error",
      'console.error("no token"); process.exit(4)',
      { clause: "program-ended", how: 4, said: "no token" },
    ],
  ])("%s is an outcome", async (_, script, detail) => {
    expect(await ask(script)).toMatchObject({ ok: false, error: { detail, sent: true } });
  });
  test("that hangs is ended, also where a program that it started holds its output open", async () => {
    const ran = await ask(`${GRANDCHILD} setInterval(() => {}, 1000)`, 1500);
    expect(ran).toMatchObject({
      ok: false,
      error: { detail: { clause: "program-no-answer", seconds: 1.5 }, sent: true },
    });
  });
  test("that ends, answers and is ended leaves no program behind that it started", async () => {
    const pid = join(folder, "left");
    const leaves = `const child = require("child_process").spawn("sleep", ["600"], { stdio: "ignore" });
require("fs").writeFileSync(${JSON.stringify(pid)}, String(child.pid)); child.unref();`;
    const isThere = (): boolean => {
      const path = `/proc/${readFileSync(pid, "utf8")}/stat`;
      return existsSync(path) && !/\) Z /.test(readFileSync(path, "latin1"));
    };
    for (const [script, timeout] of [
      [`${leaves} console.log('${ANSWER}')`, 30_000],
      [`${leaves} setInterval(() => {}, 1000)`, 1500],
    ] as const) {
      await ask(script, timeout);
      for (let looks = 0; isThere() && looks < 200; looks++) await new Promise((done) => setTimeout(done, 10));
      expect(isThere()).toBe(false);
    }
  });
  test("that cannot be started was not asked", async () => {
    expect(
      await runHelper([join(folder, "nothing")], { action: "describe" }, { cwd: folder, env: {}, timeout: 30_000 }),
    ).toMatchObject({ ok: false, error: { detail: { clause: "program-not-started", why: "ENOENT" }, sent: false } });
  });
});
