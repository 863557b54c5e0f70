import { execFileSync } from "node:child_process";
import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { name } from "../src/core/name/index.ts";
import { startLab } from "../src/lab/index.ts";
import type { HostMode } from "../src/lab/web-front.ts";
import { folderWith, zandrel } from "./zandrel.ts";

/** The logo beside the name, by the lab's DNS and web servers: everything that is in the way, in order, until nothing is. */
type Lab = Awaited<ReturnType<typeof startLab>>;
let lab: Lab;
let folder: string;
const apex = name("brackwater.example");
const WWW = "www.brackwater.example";
const DRAWING =
  '<svg xmlns="http://www.w3.org/2000/svg" version="1.2" baseProfile="tiny-ps" viewBox="0 0 64 64"><title>Brackwater</title><path fill="#b5482a" d="M8 56 32 8l24 48z"/></svg>';

beforeAll(async () => {
  lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), port: 0 });
  folder = folderWith({ "lab.yaml": lab.settings });
  await zandrel(folder, ["init", "brackwater.example", "--dns-host", "nettlehost", "--settings", "lab.yaml"], { env: lab.env });
});
afterAll(() => lab.close());

const run = (argv: readonly string[]) => zandrel(folder, argv, { env: lab.env });
const text = (at: string, value: string | undefined) =>
  value === undefined
    ? lab.nettlehost.remove(apex, name(at), "TXT")
    : lab.nettlehost.put(apex, { name: name(at), type: "TXT", ttl: 0, data: [{ strings: [value] }] });
const serve = (mode: HostMode) => lab.web.hosts.set(WWW, mode);
/** What is not met, with all that is wrong. */
async function wrong(): Promise<{ exit: number; shown: string; said: string[] }> {
  lab.clock.leap(7 * 3600 * 1000);
  const { exit, json } = await run(["logo", "check", "--json"]);
  const said = json.checks
    .filter(({ verdict }: { verdict: string }) => verdict === "broken" || verdict === "unknown")
    .flatMap(({ id, because, offences }: { id: string; because: string; offences: { because: string }[] }) =>
      offences.length === 0 ? [`${id}: ${because}`] : offences.map((one) => `${id}: ${one.because}`),
    );
  return { exit, shown: json.shown, said };
}

test("from no policy to a logo that nothing is in the way of", async () => {
  expect((await wrong()).said).toEqual([
    "policy: there is no DMARC policy, and no provider shows a logo without one that is enforced",
    "record: there is no logo record at default._bimi.brackwater.example",
  ]);
  text("_dmarc.brackwater.example", "v=DMARC1; p=none");
  expect((await wrong()).said[0]).toContain("is p=none");
  text("_dmarc.brackwater.example", "v=DMARC1; p=quarantine; sp=none; pct=50");
  text("default._bimi.brackwater.example", `v=BIMI1; l=https://${WWW}/logo.svg; a=`);
  serve({ kind: "site", files: {} });
  expect((await wrong()).said).toEqual([
    "subdomains: the policy leaves subdomains out (sp=none), and it has to hold for them too",
    "percent: the policy holds for 50 % of the mail (pct=50), and has to hold for all",
    expect.stringMatching(/^address: the certificate is not for www/),
    "address: the server answers with 404 instead of 200",
  ]);
  text("_dmarc.brackwater.example", "v=DMARC1; p=reject");
  await lab.web.certify(WWW);
  serve({ kind: "site", files: { "/logo.svg": DRAWING.replace("tiny-ps", "tiny").replace("<path", "<script/><path") } });
  expect((await wrong()).said).toEqual([
    'drawing: baseProfile="tiny-ps" is wanted on <svg>, and it says "tiny"',
    "drawing: it has a script",
  ]);
  serve({ kind: "site", files: { "/logo.svg": DRAWING } });
  expect(await wrong()).toEqual({ exit: 0, shown: "yes", said: [] });
  const shown = await run(["logo", "check"]);
  expect(shown.out).toContain("Nothing is in the way of the logo");
  expect(shown.out).toContain("the record names no evidence");
  expect(shown.out).toMatch(/The web server's certificate is good until/);
});

test.each<[string, () => void, string | RegExp]>([
  [
    "it is led to somebody else",
    () => serve({ kind: "redirect", to: "cheap-seats.example" }),
    /address: cheap-seats\.example|leads to no|somebody else/,
  ],
  ["it is led on without encryption", () => serve({ kind: "to-http", to: WWW }), /without encryption|redirect/],
  ["a page in its place", () => serve({ kind: "site", body: "<html></html>" }), /text\/html/],
  [
    "a record with a mistake",
    () => text("default._bimi.brackwater.example", "v=BIMI1; l=http://www.brackwater.example/logo.svg"),
    /record: l=http:.* does not begin with https/,
  ],
  [
    "two records",
    () =>
      lab.nettlehost.put(apex, {
        name: name("default._bimi.brackwater.example"),
        type: "TXT",
        ttl: 0,
        data: [{ strings: ["v=BIMI1; l=; a="] }, { strings: ["v=BIMI1; l="] }],
      }),
    /record: there are 2 logo records/,
  ],
  ["a record that declines", () => text("default._bimi.brackwater.example", "v=BIMI1; l=; a="), /record: .* declines/],
])("%s", async (_, change, said) => {
  text("default._bimi.brackwater.example", `v=BIMI1; l=https://${WWW}/logo.svg; a=`);
  change();
  const found = await wrong();
  expect(found.exit).toBe(1);
  expect(found.said.join("\n")).toMatch(said);
});

test("name servers that do not answer leave it open", async () => {
  lab.nettlehost.isDown = true;
  const found = await wrong();
  lab.nettlehost.isDown = false;
  expect([found.exit, found.shown]).toEqual([3, "unknown"]);
});

test("a drawing is made clean once, shown, and its record saved; a file is never overwritten unasked", async () => {
  writeFileSync(join(folder, "wide.svg"), DRAWING.replace("0 0 64 64", "0 0 64 32").replace('version="1.2" ', ""));
  const made = await run(["logo", "prepare", "wide.svg", "--html", "logo.html"]);
  expect(made).toMatchObject({ exit: 0 });
  expect(readFileSync(join(folder, "logo.html"), "utf8")).toContain("In a list of messages");
  expect(await run(["logo", "check", "--drawing", "wide-tiny-ps.svg", "--json"])).toMatchObject({
    json: { checks: expect.arrayContaining([expect.objectContaining({ id: "drawing", verdict: "met" })]) },
  });
  expect((await run(["logo", "prepare", "wide.svg"])).err).toContain("wide-tiny-ps.svg already exists");
  const saved = await run(["logo", "prepare", "wide.svg", "--force", "--address", `https://${WWW}/l.svg`, "--write", "--json"]);
  expect(saved.json).toMatchObject({ ask: "own-mail-logo", record: `v=BIMI1; l=https://${WWW}/l.svg; a=` });
  expect((await run(["draft"])).out).toContain(`v=BIMI1; l=https://${WWW}/l.svg; a=`);
  writeFileSync(join(folder, "photo.svg"), DRAWING.replace("<path", '<image href="a.png"/><path'));
  const refused = await run(["logo", "prepare", "photo.svg"]);
  expect(refused.exit).toBe(1);
  expect(refused.out).toContain("<image> puts a picture or a film into the drawing");
  expect(existsSync(join(folder, "photo-tiny-ps.svg"))).toBe(false);
  expect((await run(["logo", "prepare", "wide.svg", "--address", "http://x.example/l.svg"])).exit).toBe(2);
  // A record without an address is no record, and nothing is written before that is said.
  const unsaid = await run(["logo", "prepare", "wide.svg", "--into", "other.svg", "--write"]);
  expect([unsaid.exit, existsSync(join(folder, "other.svg"))]).toEqual([2, false]);
  expect(unsaid.err).toContain("a record needs the address of the drawing");
});

test("a pipe or a device in place of a drawing is refused, and never waited for", async () => {
  execFileSync("mkfifo", [join(folder, "pipe.svg")]);
  for (const file of ["pipe.svg", "/dev/zero"]) {
    const ran = await run(["logo", "check", "--drawing", file]);
    expect([ran.exit, ran.err]).toEqual([2, expect.stringContaining("a pipe or a device")]);
  }
});
