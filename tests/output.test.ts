import { execFileSync, spawnSync } from "node:child_process";
import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, test } from "@jest/globals";
import { ENVIRONMENT, folderWith, PROGRAM, zandrel } from "./zandrel.ts";

/** The built program and everything that comes out of it: where that cannot be written, and what must not be in it. */

const ZONE = `$ORIGIN brackwater.example.
$TTL 3600
@ SOA ns1.nettlehost.example. hostmaster 7 7200 900 1209600 900
@ NS ns1.nettlehost.example.
@ A 192.0.2.80
@ MX 10 mx1.inglemail.example.
`;

/** Runs a command line of the shell in which `zandrel` is the built program. */
const shell = (here: string, line: string) =>
  spawnSync("bash", ["-c", `set -o pipefail; zandrel() { "$NODE" "$PROGRAM" "$@"; }; ${line}`], {
    cwd: here,
    encoding: "utf8",
    env: { ...ENVIRONMENT, HOME: here, NODE: process.execPath, PROGRAM },
  });

describe("standard output that cannot be written", () => {
  test.each([
    ["a full device", "zandrel words > /dev/full"],
    ["a full device, as JSON", "zandrel words --json > /dev/full"],
    ["help into a full device", "zandrel --help > /dev/full"],
    ["a failure as JSON into a full device", "zandrel status --json > /dev/full"],
    ["a file that may not grow", "(ulimit -f 1; zandrel words > out.txt)"],
    ["a file that may not grow, as JSON", "(ulimit -f 1; zandrel words --json > out.json)"],
    ["a failure as JSON into a file that may not grow", "(ulimit -f 0; zandrel status --json > out.json)"],
  ])("%s: one sentence that says what to do, and 2", (_, line) => {
    const { status, stdout, stderr } = shell(folderWith(), line);
    expect([status, stdout]).toEqual([2, ""]);
    expect(stderr).toMatch(/^the result could not be written to the end, because [^\n]+: do not use [^\n]+\.\n$/);
  });

  test("a reader that leaves early is not a failure", () => {
    const { status, stdout, stderr } = shell(folderWith(), "zandrel words | head -1");
    expect([status, stdout.split("\n").length, stderr]).toEqual([0, 2, ""]);
  });
});

describe("control characters from a zone", () => {
  // A C0 sequence, a C1 introducer, DEL, a carriage return that would overwrite the line, and a turn of direction.
  const evil = "v=spf1 \\027]0;owned\\007 \\155\\050 \\127 \\013back \\226\\128\\174turned -all";
  test.each([["text"], ["csv"], ["junit"], ["sarif"], ["json"]])("stay out of %s", async (format) => {
    const here = folderWith({
      "brackwater.example.zone": `${ZONE}@ TXT "${evil}"\n_dmarc TXT "${evil.replace("v=spf1", "v=DMARC1; p=")}"\n`,
    });
    const how = format === "json" ? ["--json"] : ["--format", format];
    const { out, err } = await zandrel(here, ["audit", "brackwater.example", "--zone-file", "brackwater.example.zone", ...how]);
    expect(out).toContain("owned");
    expect((out + err).replaceAll("\r\n", "\n")).not.toMatch(/[\x00-\x09\x0b-\x1f\x7f-\x9f\u202a-\u202e]/);
  });
});

describe("--include-from", () => {
  const files = () => {
    const here = folderWith();
    for (const folder of ["zones", "zones/parts", "shared"]) mkdirSync(join(here, folder));
    writeFileSync(
      join(here, "zones", "brackwater.example.zone"),
      `${ZONE}$INCLUDE parts/mail.zone\n$INCLUDE ../shared/site.zone\n`,
    );
    writeFileSync(join(here, "zones", "parts", "mail.zone"), `@ TXT "v=spf1 -all"\n`);
    writeFileSync(join(here, "shared", "site.zone"), `www A 192.0.2.80\n`);
    return here;
  };
  const explain = (here: string, ...more: string[]) =>
    zandrel(here, ["spf", "explain", "brackwater.example", "--zone-file", "zones/brackwater.example.zone", ...more]);

  test("another folder is read only where it was named", async () => {
    const here = files();
    const refused = await explain(here);
    expect([refused.exit, refused.err]).toEqual([2, expect.stringContaining("--include-from")]);
    expect(refused.err).not.toContain("192.0.2.80");
    const allowed = await explain(here, "--include-from", "shared");
    expect([allowed.exit, allowed.out]).toEqual([0, expect.stringContaining("-all")]);
    const other = await explain(here, "--include-from", "zones/parts");
    expect(other.exit).toBe(2);
  });

  test("a pipe among them is refused and never waited for", async () => {
    const here = files();
    const site = join(here, "shared", "site.zone");
    execFileSync("bash", ["-c", `rm "${site}"; mkfifo "${site}"`]);
    const { exit, err } = await explain(here, "--include-from", "shared");
    expect([exit, err]).toEqual([2, expect.stringMatching(/site\.zone.*pipe/)]);
  });

  test("an edit leaves the files that were read along as they were", async () => {
    const here = files();
    writeFileSync(
      join(here, "zandrel.yaml"),
      "version: 1\norganisation: Brackwater\nservices:\n  seekmere:\n    title: Seekmere\n",
    );
    mkdirSync(join(here, "domains"));
    writeFileSync(
      join(here, "domains", "brackwater.example.yaml"),
      'domain: brackwater.example\nasks:\n  - id: seekmere-ownership\n    service: seekmere\n    purpose: ownership\n    asked: 2026-03-02\n    records: |\n      @ TXT "seekmere-owner=4f1d0c77a2"\n',
    );
    const into = ["publish", "brackwater.example", "--into", "zones/brackwater.example.zone", "--include-from", "shared"];
    expect((await zandrel(here, into)).exit).toBe(0);
    expect(readFileSync(join(here, "zones", "brackwater.example.zone"), "utf8")).toContain("seekmere-owner=4f1d0c77a2");
    expect(readFileSync(join(here, "shared", "site.zone"), "utf8")).toBe("www A 192.0.2.80\n");
  });
});
