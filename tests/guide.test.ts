import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { startLab } from "../src/lab/index.ts";
import { CTRL_C, DOWN, ENTER, openTerminal, type Terminal } from "./terminal.ts";
import { folderWith, stillFor, zandrel } from "./zandrel.ts";

/** The guide on the lab, through a pseudo terminal, as a person uses it. */
let lab: Awaited<ReturnType<typeof startLab>>;
let folder: string;
let terminal: Terminal;
const opened: Terminal[] = [];

beforeAll(async () => {
  lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), port: 0 });
  folder = folderWith({ "lab.yaml": lab.settings });
  await zandrel(folder, ["init", "brackwater.example", "--dns-host", "nettlehost", "--settings", "lab.yaml"], { env: lab.env });
});
afterAll(async () => {
  for (const one of opened) one.close();
  await lab.close();
});
const open = (argv: readonly string[], env: Readonly<Record<string, string>> = lab.env) =>
  opened.push((terminal = openTerminal(folder, argv, env)));

test("a proof from paste to proven: one command, and what it asks", async () => {
  open(["guide"]);
  await terminal.sees(/Which domain\?/);
  terminal.type(ENTER);
  await terminal.sees(/What does the service ask for\?/);
  terminal.type(ENTER);
  await terminal.sees(/line with only a dot/);
  terminal.type(`${lab.seekmere.instructions("brackwater.example").replaceAll("\n", "\r")}\r.\r`);
  const read = await terminal.sees(/Is this right\?/);
  expect(read).toContain("seekmere-ownership");
  expect(read).toContain("seekmere-owner=");
  terminal.type(ENTER);
  expect(await terminal.sees(/Publish it at Nettlehost\?/)).toContain("What would change");
  terminal.type(ENTER);
  await terminal.sees(/Now the change spreads/);
  await terminal.sees(/Everything asked for brackwater.example is proven/);
  expect(await terminal.ended()).toBe(0);
});

test("where everything is proven and nothing else is to be taken in, it ends", async () => {
  open(["guide", "brackwater.example"]);
  await terminal.sees(/something else to take in/);
  terminal.type(ENTER);
  expect(await terminal.ended()).toBe(0);
});

test("a clash is decided with a key, and the conversation can be left and taken up again", async () => {
  open(["guide", "brackwater.example"]);
  await terminal.sees(/something else to take in/);
  terminal.type(`${DOWN}${ENTER}`);
  await terminal.sees(/line with only a dot/);
  terminal.type("Type\tHost\tValue\rCNAME\twww\tsites.pagewick.example\r.\r");
  await terminal.sees(/Which service is it from\?|Is this right\?/);
  if (/Which service/.test(terminal.text().slice(-900))) {
    terminal.type(ENTER);
    await terminal.sees(/Is this right\?/);
  }
  terminal.type(ENTER);
  expect(await terminal.sees(/What should happen\?/)).toContain("In the way");
  terminal.type(CTRL_C);
  await terminal.sees(/takes up where it stood/);
  expect(await terminal.ended()).toBe(1);

  open(["guide", "brackwater.example"]);
  await terminal.sees(/What should happen\?/);
  terminal.type(ENTER);
  expect(await terminal.sees(/Publish it at Nettlehost\?/)).toContain("sites.pagewick.example");
  terminal.type(CTRL_C);
  await terminal.sees(/takes up where it stood/);

  // Its clock stands still, so that the wait cannot be over before it is left.
  open(["guide", "brackwater.example"], stillFor(lab));
  await terminal.sees(/What should happen\?/);
  terminal.type(ENTER);
  await terminal.sees(/Publish it at Nettlehost\?/);
  terminal.type(ENTER);
  await terminal.sees(/Now the change spreads/);
  terminal.type(CTRL_C);
  await terminal.sees(/takes up where it stood/);
  expect(await terminal.ended()).toBe(1);
});

test("intake on a terminal shows what it read, and a field can be changed before anything is written", async () => {
  writeFileSync(join(folder, "token.txt"), "Type: TXT\nHost: _seek\nValue: seekmere-owner=77aa\n");
  open(["intake", "token.txt", "--service", "seekmere"]);
  expect(await terminal.sees(/Is this right\?/)).toContain("_seek.brackwater.example");
  await terminal.sees(/> /);
  terminal.type(`edit${ENTER}`);
  await terminal.sees(/type \[TXT\]:/);
  terminal.type(ENTER);
  await terminal.sees(/host \[_seek\]:/);
  terminal.type(`_other${ENTER}`);
  await terminal.sees(/value \[seekmere-owner=77aa\]:/);
  terminal.type(ENTER);
  expect(await terminal.sees(/Is this right\?/)).toContain("_other.brackwater.example");
  await terminal.sees(/> /);
  terminal.type(ENTER);
  await terminal.sees(/saved\. Next:/);
  expect(await terminal.ended()).toBe(0);
  expect(readFileSync(join(folder, "domains/brackwater.example.yaml"), "utf8")).toContain('_other  TXT  "seekmere-owner=77aa"');
});

test("a service that is not known yet and a purpose are asked for once, also where a field is changed after that", async () => {
  writeFileSync(join(folder, "kettle.txt"), "Type: CNAME\nHost: kettle\nTarget: k51.kettlewright.example\n");
  open(["intake", "kettle.txt"]);
  await terminal.sees(/What is .* for\?[\s\S]*> /);
  terminal.type(ENTER);
  await terminal.sees(/Which service is it from\?[\s\S]*> /);
  terminal.type(`another${ENTER}`);
  await terminal.sees(/What is the service called\?/);
  terminal.type(`Kettle Wright${ENTER}`);
  await terminal.sees(/Is this right\?[\s\S]*> /);
  // What is not a choice is told so, and asked again.
  terminal.type(`perhaps${ENTER}`);
  await terminal.sees(/Please type one of these words\.[\s\S]*> /);
  terminal.type(`edit${ENTER}`);
  for (const field of ["type", "host", "value"]) {
    await terminal.sees(new RegExp(`${field} \\[.*\\]:`));
    terminal.type(ENTER);
  }
  await terminal.sees(/Is this right\?[\s\S]*> /);
  terminal.type(ENTER);
  expect(await terminal.sees(/saved\. Next:/)).not.toMatch(/Which service|What is .* for/);
  expect(await terminal.ended()).toBe(0);
  expect(readFileSync(join(folder, "zandrel.yaml"), "utf8")).toContain("  kettle-wright:\n    title: Kettle Wright\n");
});

test("from nothing: a workspace, a domain whose DNS host is not known, and how it is reached", async () => {
  const here = folderWith({});
  // Nobody answers, so that no DNS host is recognised.
  opened.push((terminal = openTerminal(here, ["guide", "--resolver", "127.0.0.1:9", "--timeout", "0.5"], lab.env)));
  await terminal.sees(/Which domain do you own\?/);
  terminal.type(`https://www.quillmark.test/${ENTER}`);
  await terminal.sees(/add the domain with zandrel init quillmark\.test/);
  await terminal.sees(/Which domain do you own\?/);
  terminal.type(`https://quillmark.test/${ENTER}`);
  await terminal.sees(/Where are the DNS records of quillmark\.test kept\?/);
  terminal.type(`Reed Host${ENTER}`);
  await terminal.sees(/How are records published there\?/);
  terminal.type(ENTER);
  await terminal.sees(/Reed Host is where Zandrel publishes from now on/);
  await terminal.sees(/What does the service ask for\?/);
  terminal.type(CTRL_C);
  expect(await terminal.ended()).toBe(1);
  expect(readFileSync(join(here, "domains/quillmark.test.yaml"), "utf8")).toContain("host: reed-host\n");
  expect(readFileSync(join(here, "zandrel.yaml"), "utf8")).toMatch(
    /reed-host:\n {4}title: Reed Host\n {4}publish:\n {6}way: by-hand\n/,
  );
});

/** A workspace of two domains with an ask of the same name each, and what it holds. */
function twoDomains(): string {
  const here = folderWith({ "zandrel.yaml": lab.settings });
  mkdirSync(join(here, "domains"));
  for (const domain of ["brackwater", "puppetfest"])
    writeFileSync(
      join(here, `domains/${domain}.example.yaml`),
      `domain: ${domain}.example\nhost: nettlehost\nasks:\n  - id: proof\n    service: seekmere\n    purpose: ownership\n    records: |\n      _p TXT "seekmere-owner=77aa"\n`,
    );
  return here;
}
const filesOf = (here: string): string[] =>
  ["zandrel.yaml", "domains/brackwater.example.yaml", "domains/puppetfest.example.yaml"].map((file) =>
    readFileSync(join(here, file), "utf8"),
  );

test("a domain, a service or an ask that is not named is picked from a list", async () => {
  const here = twoDomains();
  const pick = async (argv: readonly string[], choice: string, shown: RegExp) => {
    opened.push((terminal = openTerminal(here, argv, lab.env)));
    await terminal.sees(/> /);
    terminal.type(`${choice}${ENTER}`);
    await terminal.sees(shown);
    await terminal.ended();
  };
  await pick(["undo"], "puppetfest", /nothing of puppetfest\.example can be undone|puppetfest\.example/);
  await pick(["spf", "explain"], "brackwater", /brackwater\.example/);
  await pick(["prove", "proof"], "brackwater.example/proof", /proof/);
  await pick(["prove", "--confirmed"], "puppetfest.example/proof", /proof cannot be proven yet/);
  await pick(["sender", "settings"], "heronpost", /Heronpost/);
});

test.each<[string, readonly string[], RegExp, string]>([
  ["which domain a paste is for", ["intake", "paste.txt"], /Which domain is it for\?[\s\S]*> /, ""],
  ["which service it is from", ["intake", "paste.txt", "--domain", "brackwater.example"], /Which service[\s\S]*> /, ""],
  ["what a new service is called", ["intake", "paste.txt", "--domain", "brackwater.example"], /called\?/, `another${ENTER}`],
  [
    "whether it was read right",
    ["intake", "paste.txt", "--domain", "brackwater.example", "--service", "seekmere"],
    /Is this right\?[\s\S]*> /,
    "",
  ],
  [
    "a field that is changed",
    ["intake", "paste.txt", "--domain", "brackwater.example", "--service", "seekmere"],
    /type \[/,
    `edit${ENTER}`,
  ],
  ["which ask is retired", ["retire"], /Which ask[\s\S]*> /, ""],
  ["which domain is undone", ["undo"], /Which domain[\s\S]*> /, ""],
  ["how a host is reached", ["host", "set", "reedhost"], /How are records published[\s\S]*> /, ""],
  ["what a way needs", ["host", "set", "reedhost", "--way", "zone-file"], /The zone file/, ""],
])(
  "Ctrl-C where it is asked %s ends the command, and nothing is written; also with 40 columns",
  async (_, argv, asked, first) => {
    for (const columns of [100, 40]) {
      const here = twoDomains();
      writeFileSync(join(here, "paste.txt"), "Type: TXT\nHost: _k\nValue: kettle-check=51c0ffee\n");
      const before = filesOf(here);
      opened.push((terminal = openTerminal(here, argv, lab.env, columns)));
      for (const keys of first === "" ? [] : first.split(/(?<=\r)/)) {
        await terminal.sees(/[>:] /);
        terminal.type(keys);
      }
      await terminal.sees(asked);
      terminal.type(CTRL_C);
      expect(await terminal.ended()).not.toBe(0);
      expect(filesOf(here)).toEqual(before);
    }
  },
);

test("the end of input in the middle of a question leaves everything as it was", async () => {
  const before = readFileSync(join(folder, "domains/brackwater.example.yaml"), "utf8");
  open(["intake", "token.txt", "--service", "seekmere"]);
  await terminal.sees(/> /);
  terminal.type("\x04");
  await terminal.sees(/nothing was saved, because the question was left open/);
  expect(await terminal.ended()).toBe(2);
  expect(readFileSync(join(folder, "domains/brackwater.example.yaml"), "utf8")).toBe(before);
});

test.each([["intake"], ["guide"]])("what a kit asks reaches no terminal raw: %s", async (command) => {
  const here = twoDomains();
  const kit = `kit: 1\nservice: seekmere\ntitle: Seekmere\ninputs:\n  token: { explain: "\\e[8mWhich token?\\a" }\nasks:\n  - { id: ownership, purpose: ownership, records: '@ TXT "seek={token}"' }\n`;
  writeFileSync(join(here, "k.yaml"), kit);
  const argv = command === "guide" ? ["guide", "brackwater.example"] : ["intake", "--domain", "brackwater.example"];
  opened.push((terminal = openTerminal(here, [...argv, "--kit", "k.yaml"], lab.env)));
  // A character that a terminal would obey is shown as what it is.
  expect(await terminal.sees(/Which token\?\S*/)).toContain("\\x1b[8mWhich token?\\x07");
  terminal.type(CTRL_C);
  await terminal.ended();
});

test("without a terminal it says what to use instead", async () => {
  expect(await zandrel(folder, ["guide"], { env: lab.env })).toMatchObject({
    exit: 2,
    err: expect.stringContaining("needs a terminal"),
  });
});

test("a site builder's four records: two answers and one click on the page of the DNS host", async () => {
  const here = folderWith({ "lab.yaml": lab.settings });
  const run = (...argv: string[]) => zandrel(here, argv, { env: lab.env });
  await run("init", "puppetfest.example", "--dns-host", "nettlehost", "--settings", "lab.yaml");
  await run("host", "set", "nettlehost", "--way", "by-hand");
  const kit = `http://${lab.approvals.place}/v2/domainTemplates/providers/pagewick.example/services/site`;
  const claim = /pagewick-claim:(\w+)/.exec(lab.pagewick.instructions("puppetfest.example"))?.[1];
  const inputs = ["--input", `claim=${claim}`, "--input", "site=puppetfest"];
  opened.push((terminal = openTerminal(here, ["guide", "puppetfest.example", "--kit", kit, ...inputs], lab.env)));
  await terminal.sees(/replace what is at puppetfest\.example and www\.puppetfest\.example/);
  terminal.type(ENTER);
  // It is known that this DNS host takes approvals, and so they are offered.
  await terminal.sees(/Nettlehost takes approvals.*by hand, as before/s);
  terminal.type(`${DOWN}${ENTER}`);
  await terminal.sees(/Publish it at Nettlehost\?/);
  terminal.type(ENTER);
  const opensPage = async () => {
    const shown = await terminal.sees(/apply\?domain=puppetfest\.example\S+\s/);
    return [...shown.matchAll(/http:\/\/127\.0\.0\.1:\d+\/v2\S+/g)].at(-1)?.[0] as string;
  };
  // No browser is here to come back: who says no, elsewhere, ends the waiting, is told what was not done, and may change their mind.
  await lab.approvals.decide(await opensPage(), "refuse");
  await terminal.sees(/Press Enter to go on without waiting/);
  terminal.type(ENTER);
  await terminal.sees(/Not done: .*not there yet when you stopped waiting.*What now\?.*once more/s);
  terminal.type(ENTER);
  await lab.approvals.decide(await opensPage());
  await terminal.sees(/Everything asked for puppetfest\.example is proven/);
  expect(await terminal.ended()).toBe(0);
});
