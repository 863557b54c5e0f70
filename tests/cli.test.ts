import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, truncateSync, writeFileSync } from "node:fs";
import { createServer } from "node:net";
import { join } from "node:path";
import { describe, expect, test } from "@jest/globals";
import { COMMANDS } from "../src/cli/registry.ts";
import { openApi } from "../src/core/sending/index.ts";
import { SAID_CATALOGUE } from "../src/present/audit/findings.ts";
import { cataloguePage } from "../src/present/index.ts";
import { folderWith, freePort, started, zandrel } from "./zandrel.ts";

const SETTINGS =
  "version: 1\norganisation: Brackwater\nvantages:\n  - { name: v, resolver: 127.0.0.1:9 }\nhosts:\n  nettlehost:\n    title: Nettlehost\n    publish: { way: zone-file, file: brackwater.zone }\nservices:\n  seekmere:\n    title: Seekmere\n";
const ZONE =
  '; the theatre\n$ORIGIN brackwater.example.\n$TTL 1h\n@ SOA ns1 h 2026030101 2h 15m 2w 5m\n  NS ns1 ; here\n@ TXT "v=spf1 -all"\nns1 A 192.0.2.53\nwww CNAME parked.nettlehost.example.\n';
const DOMAIN =
  'domain: brackwater.example\nhost: nettlehost\nasks:\n  - id: seekmere-ownership\n    service: seekmere\n    purpose: ownership\n    records: |\n      @ TXT "seekmere-owner=4f1d0c77a2"\n';

function workspace(domain = DOMAIN): string {
  const folder = folderWith({ "zandrel.yaml": SETTINGS, "brackwater.zone": ZONE });
  mkdirSync(join(folder, "domains"));
  writeFileSync(join(folder, "domains/brackwater.example.yaml"), domain);
  return folder;
}

describe("the command line itself", () => {
  test("the code kept from the last run changes nothing, whatever has become of it", async () => {
    const here = workspace();
    const kept = folderWith();
    const draft = () =>
      started(here, ["draft", "--zone-file", "brackwater.zone", "--json"], {
        env: { XDG_CACHE_HOME: kept, ZANDREL_CLOCK: "2026-11-26T08:00:00Z" },
      });
    const first = await draft();
    const [build] = readdirSync(join(kept, "zandrel"));
    const files = readdirSync(join(kept, "zandrel", build as string)).map((name) => join(kept, "zandrel", build as string, name));
    expect(files.length).toBeGreaterThan(10);
    const changed = () => files.map((file) => statSync(file).mtimeMs);
    const before = changed();
    expect(await draft()).toMatchObject({ exit: first.exit, out: first.out, err: first.err });
    // It was used: nothing was compiled, so nothing more was kept.
    expect(changed()).toEqual(before);
    for (const [i, file] of files.entries()) truncateSync(file, i % 2 === 0 ? 0 : 50);
    expect(await draft()).toMatchObject({ exit: first.exit, out: first.out, err: first.err });
    expect(files.every((file) => statSync(file).size > 50)).toBe(true);
  });
  test("--version, --help, nothing at all", async () => {
    const here = folderWith();
    const { version } = JSON.parse(readFileSync(new URL("../package.json", import.meta.url), "utf8"));
    expect(await started(here, ["--version"])).toMatchObject({ exit: 0, out: `${version}\n` });
    const overview = (await started(here, ["--help"])).out;
    expect(overview).toContain("zandrel COMMAND");
    // Every word of every command is there, and each group says what it is about.
    for (const word of COMMANDS.flatMap(({ name }) => name.split(" "))) expect(overview).toMatch(new RegExp(`\\b${word}\\b`));
    expect(overview).not.toContain("undefined");
    expect((await started(here, ["sweep", "--help"])).out).toMatch(/Also:\n {2}sweep report /);
    expect(await started(here, [])).toMatchObject({ exit: 2 });
  });
  test.each(COMMANDS.map(({ name }) => [name]))(
    "%s --help has at least two real examples, and says no remark twice",
    async (name) => {
      const { exit, out } = await zandrel(folderWith(), [name, "--help"]);
      expect(exit).toBe(0);
      const examples = out.slice(out.indexOf("Examples:"));
      expect(examples.match(/zandrel/g)?.length).toBeGreaterThanOrEqual(2);
      expect(out.replace(/\s+/g, " ")).not.toMatch(/(\([^()]+\)) \1/);
    },
  );
  test.each<[string[], RegExp]>([
    [["statsu"], /no command “statsu”; did you mean status\?/],
    [["frobnicate"], /no command “frobnicate”/],
    [["draft", "--replce", "www"], /no option --replce; did you mean --replace\?/],
    [["status", "--timeout", "-1"], /--timeout “-1” is not a number/],
    [["draft", "--at", "soon"], /--at “soon” is not a time/],
    [["watch", "--for", "long"], /--for “long” is not a span/],
    [["status", "puppetfest.example"], /is not a domain of this workspace/],
    [["status", "brackwatre.example"], /did you mean brackwater.example\?/],
    [["prove", "seekmere-ownershp"], /did you mean seekmere-ownership\?/],
    [["status", "a..b"], /“a..b” is not a domain name/],
    [["status", "--resolver", "nowhere"], /“nowhere” is not a resolver/],
    [["intake", "--service", "seekmire", "--value", "x=1"], /did you mean seekmere\?/],
    [["intake", "--value", "x=1"], /not clear which service/],
    [["intake", "none.txt"], /none\.txt is not there/],
  ])("%j is one sentence and exit 2", async (argv, expected) => {
    const ran = await zandrel(workspace(), argv);
    expect(ran).toMatchObject({ exit: 2, out: "", err: expect.stringMatching(expected) });
    expect(ran.err.trim().split("\n")).toHaveLength(1);
  });
  test("lists take every value; any other option is given once", async () => {
    const here = workspace();
    writeFileSync(join(here, "other.zone"), "$ORIGIN other.example.\n$TTL 60\n@ SOA a b 1 1 1 1 1\n");
    const both = ["draft", "--zone-file", "other.zone", "--zone-file", "brackwater.zone"];
    expect((await zandrel(here, [...both, "--json"])).json.changes).toHaveLength(1);
    expect(await zandrel(here, [...both, "--timeout", "1", "--timeout", "2"])).toMatchObject({
      exit: 2,
      err: "--timeout is given twice, and takes one value: give it once.\n",
    });
  });
  test.each<[string[], string, string | null]>([
    [["draft", "--timeout", "x"], "option-number", "--timeout"],
    [["status", "--workspace", "/nowhere"], "no-workspace", null],
    [["frobnicate"], "unknown-command", null],
    [["draft", "--launch", "soon"], "option-time", "--launch"],
    [["publish", "--sheet", "x.pdf"], "sheet-form", "--sheet"],
  ])("%j with --json is an error object", async (argv, code, at) => {
    const ran = await zandrel(workspace(), [...argv, "--json"]);
    expect(ran).toMatchObject({ exit: 2, err: "" });
    expect(ran.json.error).toMatchObject({ code, at, message: expect.stringMatching(/./), remedy: expect.stringMatching(/./) });
  });
  test("an option without its value says what to do, and a value that is not known lists those that are", async () => {
    const here = workspace();
    expect((await zandrel(here, ["draft", "--replace"])).err).toBe(
      "--replace needs a value after it: see zandrel draft --help.\n",
    );
    expect((await zandrel(here, ["watch", "--until", "setled"])).err).toBe(
      "--until cannot be “setled”; did you mean settled? choose settled or proven.\n",
    );
    expect(
      (await zandrel(here, ["dkim", "sign", "x", "--json"])).err + (await zandrel(here, ["dkim", "sign", "x", "--json"])).out,
    ).toContain("no --json");
  });
  test("options make records directly: a value that looks like fields is a value", async () => {
    const here = workspace();
    const argv = [
      "intake",
      "--service",
      "seekmere",
      "--type",
      "TXT",
      "--host",
      "@",
      "--value",
      "site=abc; host=www; data=1",
      "--json",
    ];
    const { asks } = (await zandrel(here, argv)).json;
    expect(asks[0].records).toEqual([
      { name: "brackwater.example.", type: "TXT", ttl: 3600, data: "site=abc; host=www; data=1" },
    ]);
    // The same again is not a second ask.
    const again = await zandrel(here, argv);
    expect(again).toMatchObject({ exit: 0, err: "" });
    expect(again.json).toMatchObject({ written: false, already: asks[0].id });
  });
  test("colour only where it is wanted", async () => {
    const argv = ["draft", "--zone-file", "brackwater.zone"];
    const here = workspace();
    expect((await zandrel(here, argv)).out).not.toContain("\x1b");
    expect((await zandrel(here, argv, { env: { FORCE_COLOR: "1" } })).out).toContain("\x1b[32m");
    expect((await zandrel(here, argv, { env: { FORCE_COLOR: "1", NO_COLOR: "1" } })).out).not.toContain("\x1b");
  });
  test("completion offers commands and options", async () => {
    const here = folderWith();
    expect((await zandrel(here, ["completion"])).out).toContain("complete -o default -F _zandrel_complete zandrel");
    expect((await zandrel(here, ["--completions", "zandrel", "st"])).out).toBe("status\n");
    expect((await zandrel(here, ["--completions", "zandrel", "draft", "--re"])).out).toBe("--resolver\n--replace\n");
  });
});

test.each<[string, string, number]>([
  ["of a name server", "127.53.0.14", 0],
  ["of the web", "127.53.0.22", 2],
  ["of a mail service", "127.53.0.33", 5],
  ["of the mailbox provider", "127.53.0.34", 3],
])("a lab whose port %s is taken says so, and stops what it had started", async (_, address, offset) => {
  const port = await freePort();
  const taken = createServer();
  await new Promise<void>((resolve) => taken.listen(port + offset, address, resolve));
  const lab = await zandrel(folderWith(), ["lab", "--port", String(port)]);
  taken.close();
  expect(lab).toMatchObject({ exit: 2, out: "", err: expect.stringMatching(/^port \d+ is in use on a loopback address/) });
});

test("docs/findings.md is the catalogue", () =>
  expect(readFileSync(new URL("../docs/findings.md", import.meta.url), "utf8")).toBe(cataloguePage(SAID_CATALOGUE)));

test("docs/service-link.openapi.json is the contract", () =>
  expect(JSON.parse(readFileSync(new URL("../docs/service-link.openapi.json", import.meta.url), "utf8"))).toEqual(
    JSON.parse(JSON.stringify(openApi())),
  ));

describe("on zone files, without any network", () => {
  test("draft, publish into the file, draft again", async () => {
    const here = workspace();
    const draft = await zandrel(here, ["draft", "--zone-file", "brackwater.zone", "--json"]);
    expect(draft.exit).toBe(0);
    expect(draft.json).toMatchObject({ changes: [{ action: "merge", name: "brackwater.example.", type: "TXT" }], clashes: [] });
    const published = await zandrel(here, ["publish", "--resolver", "127.0.0.1:9", "--timeout", "0.5"]);
    expect(published).toMatchObject({ exit: 0, err: "" });
    const text = readFileSync(join(here, "brackwater.zone"), "utf8");
    expect(text).toContain("; the theatre");
    expect(text).toContain("  NS ns1 ; here");
    expect(text).toContain('@ TXT "v=spf1 -all"\n@\tTXT\t"seekmere-owner=4f1d0c77a2"\n');
    expect(Number(/SOA ns1 h (\d+)/.exec(text)?.[1])).toBeGreaterThan(2026030101);
    expect((await zandrel(here, ["draft", "--zone-file", "brackwater.zone", "--json"])).json.changes).toMatchObject([
      { action: "keep" },
    ]);
    expect(
      (await zandrel(here, ["publish", "--json", "--resolver", "127.0.0.1:9", "--timeout", "0.5"])).json.published,
    ).toMatchObject([{ changed: 0 }]);
    expect(readFileSync(join(here, "brackwater.zone"), "utf8")).toBe(text);
    expect((await zandrel(here, ["status", "--zone-file", "brackwater.zone", "--json"])).json.domains[0].asks).toMatchObject([
      { state: "settled" },
    ]);
  });
  test("--into edits another file than the host's", async () => {
    const here = workspace();
    writeFileSync(join(here, "copy.zone"), ZONE);
    expect(
      await zandrel(here, ["publish", "--into", "copy.zone", "--resolver", "127.0.0.1:9", "--timeout", "0.5"]),
    ).toMatchObject({ exit: 0 });
    expect(readFileSync(join(here, "copy.zone"), "utf8")).toContain("seekmere-owner");
    expect(readFileSync(join(here, "brackwater.zone"), "utf8")).toBe(ZONE);
  });
  test("a file named on the command line lies where the user is, not in the workspace", async () => {
    const here = workspace();
    const elsewhere = folderWith({ "copy.zone": ZONE });
    expect(
      await zandrel(elsewhere, [
        "publish",
        "--workspace",
        here,
        "--into",
        "copy.zone",
        "--resolver",
        "127.0.0.1:9",
        "--timeout",
        "0.5",
      ]),
    ).toMatchObject({ exit: 0, err: "" });
    expect(readFileSync(join(elsewhere, "copy.zone"), "utf8")).toContain("seekmere-owner");
    expect(existsSync(join(here, "copy.zone"))).toBe(false);
  });
  test("a clash ends with 1, names the options, and --replace is one", async () => {
    const here = workspace(DOMAIN.replace('@ TXT "seekmere-owner=4f1d0c77a2"', "www CNAME sites.pagewick.example."));
    const draft = await zandrel(here, ["draft", "--zone-file", "brackwater.zone", "--json"]);
    expect(draft.exit).toBe(1);
    expect(draft.json.clashes).toMatchObject([
      {
        kind: "other-value",
        breaks: expect.stringContaining("parked.nettlehost.example"),
        options: [expect.stringContaining("--replace www.brackwater.example")],
      },
    ]);
    expect(await zandrel(here, ["publish", "--resolver", "127.0.0.1:9", "--timeout", "0.5"])).toMatchObject({
      exit: 1,
      out: "",
      err: expect.stringContaining("1 thing is in the way"),
    });
    expect(readFileSync(join(here, "brackwater.zone"), "utf8")).toBe(ZONE);
    const replaced = await zandrel(here, [
      "draft",
      "--zone-file",
      "brackwater.zone",
      "--replace",
      "www.brackwater.example",
      "--json",
    ]);
    expect(replaced).toMatchObject({ exit: 0 });
    expect(replaced.json.changes).toMatchObject([
      { action: "replace", before: [{ data: "parked.nettlehost.example." }], after: [{ data: "sites.pagewick.example." }] },
    ]);
  });
  test("a mistake in a zone file is shown with its place", async () => {
    const here = workspace();
    writeFileSync(join(here, "bad.zone"), `${ZONE}x A 1.2.3\n`);
    expect(await zandrel(here, ["draft", "--zone-file", "bad.zone"])).toMatchObject({
      exit: 2,
      err: expect.stringContaining("bad.zone:9:5: found “1.2.3”, expected an IPv4 address"),
    });
    expect(await zandrel(here, ["draft", "--zone-file", "other.zone"])).toMatchObject({
      exit: 2,
      err: expect.stringContaining("other.zone is not there"),
    });
  });
});

test("a mistake in line 40 000 of a zone file is shown with its line, and the file stays as it is", async () => {
  const here = workspace();
  const lines = ZONE.trimEnd().split("\n");
  const text = [
    ...lines,
    ...Array.from({ length: 39_999 - lines.length }, (_, i) => `h${i} A 192.0.2.1`),
    'oops TXT "open',
    "after A 192.0.2.1",
    "",
  ].join("\n");
  writeFileSync(join(here, "brackwater.zone"), text);
  expect(await zandrel(here, ["publish", "--resolver", "127.0.0.1:9", "--timeout", "0.5"])).toMatchObject({
    exit: 2,
    out: "",
    err: expect.stringContaining('brackwater.zone:40000:10: found “"open”, expected a closing quote'),
  });
  expect(readFileSync(join(here, "brackwater.zone"), "utf8")).toBe(text);
});

describe("what nobody could ask", () => {
  test("is unknown and exit 3, never missing", async () => {
    const here = workspace();
    const port = await freePort();
    const argv = ["--resolver", `127.0.0.1:${port}`, "--timeout", "0.5", "--json"];
    const status = await zandrel(here, ["status", ...argv]);
    expect(status.exit).toBe(3);
    expect(status.json.domains[0].asks).toMatchObject([
      { state: "unknown", because: expect.stringContaining("cannot be reached") },
    ]);
    const proof = await zandrel(here, ["prove", ...argv]);
    expect(proof.exit).toBe(3);
    expect(proof.json.asks).toMatchObject([{ verdict: "unknown" }]);
  });
  test("a name the zone files do not hold could not be asked either", async () => {
    const here = workspace();
    writeFileSync(join(here, "other.zone"), "$ORIGIN other.example.\n$TTL 60\n@ SOA a b 1 1 1 1 1\n");
    expect(await zandrel(here, ["draft", "--zone-file", "other.zone"])).toMatchObject({
      exit: 3,
      out: expect.stringContaining("none of the zone files given holds brackwater.example"),
    });
  });
});

describe("hosts and redirects without an editor", () => {
  const read = (here: string, file: string) => readFileSync(join(here, file), "utf8");
  test("a host is added, reached in another way, and named by a domain; comments stay", async () => {
    const here = workspace();
    writeFileSync(join(here, "zandrel.yaml"), SETTINGS.replace("title: Nettlehost", "title: Nettlehost # ours"));
    const host = (...argv: string[]) => zandrel(here, ["host", "set", ...argv]);
    expect(
      await host("reedhost", "--title", "Reed Host", "--form", "ttl=300,3600", "--domain", "brackwater.example"),
    ).toMatchObject({
      exit: 0,
      out: expect.stringContaining("Next: zandrel draft brackwater.example"),
    });
    expect(read(here, "domains/brackwater.example.yaml")).toBe(DOMAIN.replace("host: nettlehost", "host: reedhost"));
    expect(
      (await zandrel(here, ["host", "set", "reedhost", "--way", "helper", "--command", "node reed.mjs", "--json"])).json,
    ).toMatchObject({
      became: "changed",
      way: "helper",
      title: "Reed Host",
    });
    // What is not named stays: one field of a form, the key of an update.
    for (const form of ["apex=empty", "names=full"]) await host("mosshost", "--form", form);
    expect(read(here, "zandrel.yaml")).toContain("        apex: empty\n        names: full\n");
    await host("mosshost", "--way", "update", "--server", "192.0.2.53", "--key-name", "k", "--secret", "env:MOSS");
    expect(await host("mosshost", "--server", "192.0.2.54")).toMatchObject({
      exit: 0,
      out: expect.stringMatching(/server: 192\.0\.2\.54\n\s+key:\n\s+name: k\n(?:.*\n)?\s+secret: env:MOSS/),
    });
    expect(await host("nettlehost", "--title", "Nettle & Co")).toMatchObject({ exit: 0 });
    expect(read(here, "zandrel.yaml")).toContain("    title: Nettle & Co # ours\n    publish: { way: zone-file");
    expect(read(here, "zandrel.yaml")).toContain(
      "  reedhost:\n    title: Reed Host\n    publish:\n      way: helper\n      command:\n        - node\n        - reed.mjs\n",
    );
  });
  test.each<[string[], RegExp]>([
    [["--way", "update", "--server", "192.0.2.53"], /add --key-name NAME/],
    [["--way", "helper", "--file", "x.zone"], /--file has no use with --way helper/],
    [["--form", "apex=blue"], /“blue” cannot be saved: expected one of @, empty, full/],
    [["--form", "apex"], /FIELD=VALUE/],
    [["--way", "update", "--server", "192.0.2.53", "--key-name", "k", "--secret", "c2VjcmV0"], /expected env:NAME or file:PATH/],
    [
      ["--way", "update", "--server", "nonsense", "--key-name", "k", "--secret", "env:K"],
      /“nonsense” is not the address of a server/,
    ],
    [["--way", "by-hand", "--address", "ns1 .example"], /“ns1 \.example” is not the address of a server/],
    [["--domain", "other.example"], /other\.example/],
  ])("%j is refused, and nothing is written", async (argv, message) => {
    const here = workspace();
    expect(await zandrel(here, ["host", "set", "reedhost", ...argv])).toMatchObject({
      exit: 2,
      err: expect.stringMatching(message),
    });
    expect(read(here, "zandrel.yaml")).toBe(SETTINGS);
  });
  test("a domain that redirects: by init, by init again, and by what a page says", async () => {
    const here = workspace();
    const path = "domains/puppetfest.example.yaml";
    await zandrel(here, ["init", "puppetfest.example"]);
    expect(read(here, path)).toContain("role: main\n");
    await zandrel(here, ["init", "puppetfest.example", "--redirect-to", "https://www.brackwater.example/"]);
    expect(read(here, path)).toContain("role: redirect\nhost: nettlehost\nredirectTo: www.brackwater.example\n");
    const page = "Forward puppetfest.example to https://brackwater.example (permanent, 301)\n";
    const taken = () => zandrel(here, ["intake", "-", "--domain", "puppetfest.example"], { input: page });
    expect((await taken()).out).toContain("Saved: this domain redirects to brackwater.example.");
    expect(read(here, path)).toContain("redirectTo: brackwater.example\n");
    expect((await taken()).out).toContain("Next: zandrel site puppetfest.example");
    expect(await zandrel(here, ["init", "puppetfest.example", "--redirect-to", "www.puppetfest.example"])).toMatchObject({
      exit: 2,
      err: expect.stringContaining("which is a part of it"),
    });
    // Neither an address nor a forwarding for a while makes one that redirects.
    for (const to of ["https://192.0.2.1/", "https://[2001:db8::1]/"])
      expect(
        (
          await zandrel(here, ["intake", "-", "--domain", "puppetfest.example"], {
            input: page.replace("https://brackwater.example", to),
          })
        ).err,
      ).not.toMatch(/Error|at .*js/);
    expect(read(here, path)).toContain("redirectTo: brackwater.example\n");
    // A domain that has a site of its own stays one.
    await zandrel(here, [
      "intake",
      "--service",
      "seekmere",
      "--type",
      "A",
      "--host",
      "@",
      "--value",
      "192.0.2.44",
      "--domain",
      "brackwater.example",
      "--purpose",
      "site",
    ]);
    const own = page
      .replace("puppetfest.example", "brackwater.example")
      .replace("https://brackwater.example", "https://other.example");
    expect(await zandrel(here, ["intake", "-", "--domain", "brackwater.example"], { input: own })).toMatchObject({
      out: expect.stringContaining("Nothing was saved"),
    });
    expect(read(here, "domains/brackwater.example.yaml")).not.toContain("redirectTo");
  });
});

describe("intake", () => {
  test("a value over 255 octets is cut into strings, and nothing of it is lost", async () => {
    const here = workspace();
    const long = `k=${"x".repeat(600)}`;
    const taken = await zandrel(here, ["intake", "--service", "seekmere", "--host", "_k", "--value", long, "--json"]);
    expect(taken.json.asks[0].records).toMatchObject([{ name: "_k.brackwater.example.", data: long }]);
    expect(readFileSync(join(here, "domains/brackwater.example.yaml"), "utf8")).toMatch(/"k=x{253}" "x{255}" "x{92}"/);
  });
  test("a host outside the domain is refused, and nothing is written", async () => {
    const here = workspace();
    expect(await zandrel(here, ["intake", "--service", "seekmere", "--host", "www.other.test.", "--value", "a=b"])).toMatchObject(
      { exit: 2, err: expect.stringContaining("is not part of this domain") },
    );
    expect(readFileSync(join(here, "domains/brackwater.example.yaml"), "utf8")).toBe(DOMAIN);
  });
  test("a service that is not known yet is added on demand", async () => {
    const here = workspace();
    expect(
      await zandrel(here, [
        "intake",
        "--add-service",
        "Page Wick",
        "--type",
        "CNAME",
        "--host",
        "shop",
        "--value",
        "https://sites.pagewick.example/x",
      ]),
    ).toMatchObject({ exit: 0, out: expect.stringContaining("repaired") });
    expect(readFileSync(join(here, "zandrel.yaml"), "utf8")).toBe(`${SETTINGS}  page-wick:\n    title: Page Wick\n`);
    expect(readFileSync(join(here, "domains/brackwater.example.yaml"), "utf8")).toContain("id: page-wick-site");
  });
  test("a service is not taken from a target, but offered by it", async () => {
    const here = workspace();
    const take = (target: string) => zandrel(here, ["intake", "-"], { input: `Type: CNAME\nHost: www\nTarget: ${target}\n` });
    expect(await take("shops.kettlewright.example")).toMatchObject({
      exit: 2,
      err: expect.stringContaining("--add-service Kettlewright"),
    });
    expect(await take("shops.seekmere.example")).toMatchObject({ exit: 2, err: expect.stringContaining("--service (seekmere)") });
    const page = "Seekmere asks for this record.\nType: CNAME\nHost: www\nTarget: shops.seekmere.example\n";
    expect((await zandrel(here, ["intake", "-"], { input: page })).out).toContain("seekmere-site: seekmere, site");
  });
  test("what receivers will pass over in a policy is said when it is pasted", async () => {
    const here = workspace();
    const input = "Seekmere\nType: TXT\nHost: _dmarc\nValue: v=DMARC1; p=none; rua=d@bühne.example\n";
    expect((await zandrel(here, ["intake", "--dry-run", "-"], { input })).out.replace(/\s+/g, " ")).toContain(
      "receivers pass over “d@bühne.example” of _dmarc.brackwater.example: “d@bühne.example” needs mailto: in front; perhaps “mailto:d@xn--bhne-0ra.example” is meant",
    );
    expect((await zandrel(here, ["intake", "--dry-run", "--json", "-"], { input })).json.passedOver).toMatchObject([
      { name: "_dmarc.brackwater.example.", meant: "mailto:d@xn--bhne-0ra.example" },
    ]);
  });
  test("a page that was saved in another encoding is read as it was", async () => {
    const here = workspace();
    const page = "Seekmere\nType: TXT\nHost: @\nValue: bühne=4f1d\n";
    const encoded = { "utf-16": Buffer.from(`\ufeff${page}`, "utf16le"), "one-octet": Buffer.from(page, "latin1") };
    for (const [file, octets] of Object.entries(encoded)) {
      writeFileSync(join(here, file), octets);
      expect((await zandrel(here, ["intake", "--dry-run", file])).out).toContain("bühne=4f1d");
    }
  });
  test("pages of several services are not saved as those of one", async () => {
    const here = workspace();
    writeFileSync(join(here, "zandrel.yaml"), `${SETTINGS}  pagewick: { title: Pagewick }\n`);
    const take = (...page: string[]) => zandrel(here, ["intake", "-"], { input: page.join("\n") });
    const seekmere = "Verify with Seekmere\nType: TXT\nHost: @\nValue: seekmere-owner=4f1d\n";
    const pagewick = "Your Pagewick site\nType: CNAME\nHost: www\nTarget: sites.pagewick.example\n";
    expect(await take(seekmere, "Your Pagewick site\nType: TXT\nHost: _pw\nValue: pw=1\n")).toMatchObject({
      exit: 2,
      err: expect.stringContaining("the paste names Seekmere and Pagewick: paste what each of them shows by itself"),
    });
    expect((await take(seekmere, pagewick)).err).toContain("--service (seekmere or pagewick)");
    expect((await take(pagewick)).out).toContain("pagewick-site");
  });
  test("what nothing on the page says the purpose of is not guessed: refused on a pipe, settled by an option", async () => {
    const here = workspace();
    const input = "Seekmere\nType: CNAME\nHost: k7f3\nTarget: k51.seekmere.example\n";
    expect(await zandrel(here, ["intake", "-"], { input })).toMatchObject({
      exit: 2,
      err: expect.stringMatching(/does not say what the CNAME record of k7f3\.brackwater\.example is for: add --purpose site/),
    });
    expect((await zandrel(here, ["intake", "-", "--dry-run"], { input })).out).toContain("assumed");
    expect((await zandrel(here, ["intake", "-", "--purpose", "ownership"], { input })).out).toContain("seekmere-ownership");
  });
  test("a page is shown with what each line was taken for, and nothing is saved", async () => {
    const here = workspace();
    const page = "Add this record\nType  TXT\nHost  @\nValue  seekmere-owner=7b22e6a190\nTTL  half an hour\nPress Verify\n";
    const explain = (input: string, ...more: string[]) => zandrel(here, ["intake", "--explain", ...more], { input });
    const text = await explain(page);
    expect([text.exit, text.out]).toEqual([
      0,
      expect.stringMatching(
        /Value {2}seekmere-owner=7b22e6a190\n +value seekmere-owner=7b22e6a190\n(?:.*\n)+.*because of --explain/,
      ),
    ]);
    const { json } = await explain(page, "--json");
    expect(json.pasted).toMatchObject([{ evidence: { type: "label", host: "label", value: "label" } }]);
    expect(json.page).toHaveLength(6);
    expect(json.page[3]).toEqual({
      line: 4,
      text: "Value  seekmere-owner=7b22e6a190",
      taken: [{ text: "seekmere-owner=7b22e6a190", as: "value" }],
      rest: "layout",
    });
    expect(json.written).toBe(false);
    // What cannot be meant is a problem of the page and not a record.
    const wrong = await explain("Type TXT\nHost @\nValue brackwater.example\n", "--add-service", "Pagewick");
    expect([wrong.exit, wrong.out]).toEqual([2, expect.stringContaining("cannot be meant")]);
    for (const source of [
      ["--value", "x=1"],
      ["--kit", "pagewick"],
    ])
      expect(await explain("", ...source)).toMatchObject({ exit: 2, err: expect.stringContaining("has no page") });
  });
  test("what a page says to remove is saved once, by itself or with the first new ask", async () => {
    const here = workspace();
    const take = (input: string) => zandrel(here, ["intake", "-", "--add-service", "Pagewick"], { input });
    const asks = () => readFileSync(join(here, "domains/brackwater.example.yaml"), "utf8").split("  - id: ").slice(2);
    const one = "Please delete this record:\nA www 203.0.113.7\n";
    expect((await zandrel(here, ["intake", "-"], { input: one })).err).toContain("--add-service");
    expect((await take(one)).out).toContain("1 record to remove in 1 ask");
    expect((await take(one)).out).toContain("Already saved as pagewick-site.");
    await take(`${one}Then add this record:\nCNAME www sites.pagewick.example\n`);
    const both = `${one}AAAA www 2001:db8::7\nThen add this record:\nCNAME www sites.pagewick.example\n`;
    expect((await take(both)).out).toContain("1 record to remove in 1 ask");
    expect((await take(both)).out).toContain("Already saved as pagewick-site, pagewick-site-3 and pagewick-site-2.");
    expect(asks().map((ask) => [ask.split("\n")[0], ...(ask.match(/(?<= {6})\w.*/g) ?? [])])).toEqual([
      ["pagewick-site", "www  A  203.0.113.7"],
      ["pagewick-site-2", "www  CNAME  sites.pagewick.example."],
      ["pagewick-site-3", "www  AAAA  2001:db8::7"],
    ]);
  });
  test("two readings are a question: refused on a pipe, settled by an option", async () => {
    const here = workspace();
    const argv = ["intake", "--service", "seekmere", "--type", "TXT", "--host", "mail.other.example", "--value", "a=b"];
    expect(await zandrel(here, argv)).toMatchObject({
      exit: 2,
      err: expect.stringContaining("--choose host-mail.other.example=inside"),
    });
    expect((await zandrel(here, [...argv, "--dry-run", "--json"])).json.questions).toHaveLength(1);
    const chosen = await zandrel(here, [...argv, "--choose", "host-mail.other.example=inside", "--json"]);
    expect(chosen.json.asks[0].records[0].name).toBe("mail.other.example.brackwater.example.");
  });
  test("a paste without a record, and a giant one, are one clear error", async () => {
    const here = workspace();
    expect(await zandrel(here, ["intake", "-", "--service", "seekmere"], { input: "Welcome! Please verify.\n" })).toMatchObject({
      exit: 2,
      err: expect.stringContaining("no record was found"),
    });
    expect(await zandrel(here, ["intake", "-", "--service", "seekmere"], { input: "x".repeat(1_100_000) })).toMatchObject({
      exit: 2,
      err: expect.stringContaining("larger than 1 MiB"),
    });
  });
  test("a file of 100 MB is refused before it is read", async () => {
    const here = workspace();
    writeFileSync(join(here, "huge.txt"), "");
    truncateSync(join(here, "huge.txt"), 100 * 1024 * 1024);
    expect(await zandrel(here, ["intake", "huge.txt", "--service", "seekmere"])).toMatchObject({
      exit: 2,
      out: "",
      err: expect.stringContaining("larger than 1 MiB"),
    });
  });
  test("two processes at once lose nothing", async () => {
    const here = workspace();
    const ran = await Promise.all(
      Array.from({ length: 6 }, (_, i) =>
        zandrel(here, ["intake", "--service", "seekmere", "--id", `token-${i}`, "--host", `_${i}`, "--value", `k=${i}`]),
      ),
    );
    expect(ran.map(({ exit, err }) => `${exit} ${err}`)).toEqual(Array(6).fill("0 "));
    const text = readFileSync(join(here, "domains/brackwater.example.yaml"), "utf8");
    for (let i = 0; i < 6; i++) expect(text).toContain(`id: token-${i}\n`);
  });
});

describe("spf test", () => {
  const ZONES =
    '$ORIGIN brackwater.example.\n$TTL 1h\n@ SOA ns1 h 1 2h 15m 2w 5m\n@ TXT "v=spf1 include:spf.heronpost.example ip4:192.0.2.25 -all exp=why.brackwater.example"\nwhy TXT "%{i} may not send for %{d}"\n';
  const here = () =>
    folderWith({
      "b.zone": ZONES,
      "h.zone": '$ORIGIN heronpost.example.\n$TTL 1h\n@ SOA a b 1 1 1 1 1\nspf TXT "v=spf1 ip4:198.51.100.0/24 -all"\n',
    });
  const files = ["--zone-file", "b.zone", "--zone-file", "h.zone", "--json"];
  test.each<[string, string[], number, object]>([
    ["192.0.2.25", [], 0, { result: "pass", mechanism: "ip4:192.0.2.25", lookups: 1, voidLookups: 0, explanation: null }],
    [
      "198.51.100.7",
      ["--mail-from", "news@brackwater.example"],
      0,
      { result: "pass", mechanism: "include:spf.heronpost.example" },
    ],
    ["203.0.113.9", [], 1, { result: "fail", mechanism: "-all", explanation: "203.0.113.9 may not send for brackwater.example" }],
    ["203.0.113.9", ["--mail-from", "", "--helo", "mx.brackwater.example"], 1, { identity: "postmaster@mx.brackwater.example" }],
  ])("from %s %j", async (ip, more, exit, expected) => {
    const ran = await zandrel(here(), ["spf", "test", "brackwater.example", "--ip", ip, ...more, ...files]);
    expect(ran).toMatchObject({ exit, err: "" });
    expect(ran.json).toMatchObject(expected);
    expect(ran.json.header).toMatch(/^Received-SPF: (pass|fail) \(.*\) client-ip=/);
  });
  test("an include that no file holds could not be asked: temperror and exit 3", async () => {
    expect(
      (await zandrel(here(), ["spf", "test", "brackwater.example", "--ip", "192.0.2.25", "--zone-file", "b.zone", "--json"]))
        .json,
    ).toMatchObject({ result: "temperror" });
    expect(
      await zandrel(here(), ["spf", "test", "brackwater.example", "--ip", "192.0.2.25", "--zone-file", "b.zone"]),
    ).toMatchObject({ exit: 3 });
  });
  test.each([[["spf"]], [["spf", "test", "brackwater.example"]], [["spf", "test", "brackwater.example", "--ip", "nobody"]]])(
    "%j is one sentence",
    async (argv) => {
      expect(await zandrel(here(), argv)).toMatchObject({
        exit: 2,
        out: "",
        err: expect.stringMatching(/zandrel spf needs a subcommand|--ip is missing|is not an IP address/),
      });
    },
  );
});

describe("kits", () => {
  const KIT =
    'kit: 1\nservice: pagewick\ntitle: Pagewick\ninputs:\n  claim: { explain: the claim, pattern: "[0-9a-z]{4}" }\n  site: { explain: the site }\nbefore: [choose a front page]\nasks:\n  - id: ownership\n    purpose: ownership\n    records: |\n      _pw TXT "claim:{claim}"\n  - id: site\n    purpose: site\n    after: [ownership]\n    later: [site]\n    spf: include:spf.pagewick.example\n    records: |\n      www CNAME {site}.pagewick.example.\n';
  const withKit = (text = KIT) => {
    const here = workspace();
    mkdirSync(join(here, "kits"));
    writeFileSync(join(here, "kits/pagewick.yaml"), text);
    return here;
  };
  test("used twice: first what can be asked now, then what the service shows later", async () => {
    const here = withKit();
    const first = await zandrel(here, ["intake", "--kit", "pagewick", "--input", "claim=77aa", "--json"]);
    expect(first).toMatchObject({ exit: 0, err: "" });
    expect(first.json).toMatchObject({
      asks: [{ id: "pagewick-ownership" }],
      before: ["choose a front page"],
      later: ["pagewick-site"],
    });
    expect(readFileSync(join(here, "zandrel.yaml"), "utf8")).toContain("  pagewick:\n    title: Pagewick\n");
    const second = await zandrel(here, ["intake", "--kit", "pagewick", "--input", "claim=77aa", "--input", "site=b", "--json"]);
    expect(second.json.asks).toMatchObject([
      { id: "pagewick-site", spf: "include:spf.pagewick.example", records: [{ type: "CNAME" }] },
    ]);
    const draft = await zandrel(here, ["draft", "--zone-file", "brackwater.zone", "--json"]);
    expect(draft.json.changes.map((change: { name: string; type: string }) => `${change.name} ${change.type}`)).toEqual([
      "brackwater.example. TXT",
      "_pw.brackwater.example. TXT",
    ]);
    expect(
      (await zandrel(here, ["status", "--zone-file", "brackwater.zone", "--json"])).json.domains[0].asks.map(
        (ask: { state: string }) => ask.state,
      ),
    ).toEqual(["noted", "noted", "waiting"]);
    expect(await zandrel(here, ["intake", "--kit", "pagewick", "--input", "claim=77aa"])).toMatchObject({
      exit: 0,
      out: expect.stringMatching(/pagewick-site needs what the service shows[\s\S]*Already saved as pagewick-ownership/),
    });
  });
  test.each<[string, string, string[], RegExp]>([
    ["no such kit", KIT, ["--kit", "pagwick"], /did you mean pagewick\?/],
    ["a missing input", KIT, ["--kit", "pagewick"], /needs claim \(the claim\): give it with --input claim=/],
    ["a malformed input", KIT, ["--kit", "pagewick", "--input", "claim=XX"], /does not have the form/],
    ["an input without a name", KIT, ["--kit", "pagewick", "--input", "77aa"], /is not NAME=VALUE/],
    [
      "a kit with a mistake",
      KIT.replace("purpose: site", "purpose: sight"),
      ["--kit", "pagewick"],
      /pagewick\.yaml:14:14: .*expected one of/,
    ],
    ["a kit with a blank of nobody", KIT.replace("{site}", "{sight}"), ["--kit", "pagewick"], /blank \{sight\}/],
    [
      "an alias bomb",
      `a: &a [x,x,x,x,x,x,x,x,x,x]\nb: &b [*a,*a,*a,*a,*a,*a,*a,*a,*a]\nc: &c [*b,*b,*b,*b,*b,*b,*b,*b,*b]\nd: [*c,*c,*c,*c,*c,*c,*c,*c]\n${KIT}`,
      ["--kit", "pagewick"],
      /multiply too far/,
    ],
  ])("%s is one sentence, and nothing is saved", async (_, text, argv, expected) => {
    const here = withKit(text);
    expect(await zandrel(here, ["intake", ...argv])).toMatchObject({ exit: 2, out: "", err: expect.stringMatching(expected) });
    expect(readFileSync(join(here, "domains/brackwater.example.yaml"), "utf8")).toBe(DOMAIN);
  });
  test("a pasted SPF record becomes terms for the one record", async () => {
    const here = workspace();
    const taken = await zandrel(here, [
      "intake",
      "--add-service",
      "Heronpost",
      "--value",
      "v=spf1 include:spf.heronpost.example ~all",
      "--json",
    ]);
    expect(taken.json.asks).toMatchObject([
      { id: "heronpost-sending", spf: "include:spf.heronpost.example", spfEnd: "~all", records: [] },
    ]);
    const draft = await zandrel(here, ["draft", "--zone-file", "brackwater.zone", "--json"]);
    expect(draft.json.changes).toMatchObject([
      { action: "merge", after: [{ data: "seekmere-owner=4f1d0c77a2" }, { data: "v=spf1 include:spf.heronpost.example -all" }] },
    ]);
  });
});

describe("control characters from outside", () => {
  const evil = "\x1b]0;owned\x07\x1b[2J\x9b31m\u202ereversed";
  test("never reach the terminal: from a paste, a zone, a file name, an operand", async () => {
    const here = workspace();
    writeFileSync(
      join(here, "evil.zone"),
      `${ZONE}evil 60 TXT "${Buffer.from(evil).toString("latin1").replace(/\n/g, "")}"\n`,
      "latin1",
    );
    const outputs = [
      await zandrel(here, ["intake", "-", "--service", "seekmere", "--dry-run"], {
        input: `Type: TXT\nHost: @\nValue: a=${evil}\n`,
      }),
      await zandrel(here, ["draft", "--zone-file", "evil.zone", "--zone-file", `${evil}.zone`.replaceAll("\0", "")]),
      await zandrel(here, [evil]),
      await zandrel(here, ["draft", `--${evil}`]),
      await zandrel(here, ["status", evil]),
      await zandrel(here, ["intake", "--service", evil, "--value", "x"]),
    ];
    for (const { out, err } of outputs) {
      expect(out.length + err.length).toBeGreaterThan(0);
      expect(out + err).not.toMatch(/[\x00-\x09\x0b-\x1f\x7f-\x9f\u202a-\u202e]/);
    }
  });
});
