import { generateKeyPairSync } from "node:crypto";
import { cpSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { expect, test } from "@jest/globals";
import { COMMANDS } from "../src/cli/registry.ts";
import { folderWith, started, zandrel } from "./zandrel.ts";

const demo = new URL("../demo/", import.meta.url).pathname;

/** The demo workspace with the files that the examples name. */
function demoWorkspace(): string {
  const here = folderWith();
  cpSync(join(demo, "brackwater"), here, { recursive: true });
  cpSync(join(demo, "reports"), join(here, "reports"), { recursive: true });
  const mail = (name: string) => join(demo, "mail", name);
  for (const [from, to] of [
    ["newsletter.eml", "newsletter.eml"],
    ["newsletter.eml", "received.eml"],
    ["newsletter.eml", "test.eml"],
    ["newsletter.eml", "arrived.eml"],
    ["over-a-list.eml", "signed.eml"],
    ["inbox.mbox", "inbox.mbox"],
    ["inbox.mbox", "dmarc.mbox"],
  ] as const)
    cpSync(mail(from), join(here, to));
  mkdirSync(join(here, "Maildir/new"), { recursive: true });
  const key = generateKeyPairSync("ed25519").privateKey.export({ type: "pkcs8", format: "pem" }).toString();
  mkdirSync(join(here, "keys/brackwater.example"), { recursive: true });
  for (const [file, text] of [
    ["spring26.pem", key],
    ["keys/brackwater.example/spring26.pem", key],
    ["seekmere.txt", "Type\tHost\tValue\nTXT\t@\tseekmere-owner=4f1d0c77a3\n"],
    ["secret.txt", "a-made-up-secret\n"],
  ] as const)
    writeFileSync(join(here, file), text, { mode: 0o600 });
  return here;
}

/** A command line as a shell reads it, with what it redirects. */
function words(line: string): { argv: string[]; from: string | undefined } {
  const all = [...line.replace(/^source <\((.*)\)$/, "$1").matchAll(/'([^']*)'|(\S+)/g)].map(
    ([, quoted, plain]) => quoted ?? (plain as string),
  );
  const at = all.findIndex((word, i) => i > 0 && /^[<>]+$/.test(word));
  const argv = (at === -1 ? all : all.slice(0, at)).slice(all.findIndex((word) => /zandrel$/.test(word)) + 1);
  return { argv, from: all[at] === "<" ? all[at + 1] : undefined };
}

/** A Monday morning of the story, in real time. */
const CLOCK = `2026-03-02T09:00:00.000Z@${Date.now()}*1`;

/** These run until they are ended, or need the simulated services: they have tests of their own. */
const LONG = /^zandrel (?:watch|lab|demo|guide|host find|site .*--wait|sender events \S+ --listen|sweep$|guard --metrics .*)\b/;
const examples: (readonly [line: string, command: string])[] = [];
for (const { name, load } of COMMANDS) examples.push(...(await load()).default.examples.map(([line]) => [line, name] as const));

test("there are two examples and more of nearly every command", () => {
  expect(examples.length).toBeGreaterThan(COMMANDS.length * 1.8);
});

/** What the demo workspace does not have; each of these lines is understood, and says that. */
const MISSING: Readonly<Record<string, string>> = {
  "zandrel init brackwater.example --organisation 'Brackwater Puppet Theatre'": "domain-there",
  "zandrel intake": "paste-problem",
  "zandrel publish brackwater.example --page": "page-one-domain",
  "zandrel prove pagewick-ownership --confirmed --note 'green tick on the domains page'": "unknown-target",
  "zandrel relocate compare brackwater.example --new-host zonemarrow": "new-host",
  "zandrel relocate check brackwater.example --new-host zonemarrow": "new-host",
  "zandrel message send --service heronpost --from news@brackwater.example --to probe@mallowmail.example --via link": "no-link",
  "zandrel message send --follow SQ-1f --copy arrived.eml": "unknown-message",
  "zandrel sender credential swiftquill --new mail --domain brackwater-tickets.example": "not-offered",
  "zandrel sender credential swiftquill --new mail --domain brackwater-tickets.example --environment shop.env --as MAIL_PASSWORD --with-settings":
    "not-offered",
  "zandrel sender credential swiftquill --end c-41": "unknown-credential",
  "zandrel sender settings swiftquill --domain brackwater-tickets.example": "no-smtp-settings",
  "zandrel sender settings swiftquill --check": "no-smtp-settings",
  "zandrel sender link swiftquill": "no-link",
  "zandrel sender link http://127.0.0.1:8100/link/v1 --link-key env:LINK_KEY --deep": "variable-not-set",
  "zandrel message judge from-the-list.eml --trust-sealer puppetry-guild.example": "file-unreadable",
  "zandrel logo check brackwater.example --drawing logo.svg": "file-unreadable",
  "zandrel logo prepare logo.svg --html logo.html": "file-unreadable",
  "zandrel logo prepare logo.svg --address https://www.brackwater.example/logo.svg --write": "file-unreadable",
  "zandrel lab registrar brackwater.example": "lab-unknown",
  "zandrel lab registrar brackwater.example --name-servers zonemarrow": "lab-unknown",
  "zandrel lab registrar brackwater.example --without-ds": "lab-unknown",
  "zandrel spf flatten brackwater.example --write": "flatten-include",
  "zandrel sweep domains.txt": "file-unreadable",
  "zandrel sweep domains.txt --queue env:SWEEP_QUEUE": "variable-not-set",
  "zandrel sweep work --queue env:SWEEP_QUEUE": "variable-not-set",
  "zandrel sweep work --queue env:SWEEP_QUEUE --once --json": "variable-not-set",
  "zandrel sweep customers.csv --checks spf,dmarc --format csv": "file-unreadable",
  "zandrel dossier --mail-to director@brackwater.example --service swiftquill --from tickets@brackwater-tickets.example":
    "no-smtp-settings",
  "zandrel journal env:ZANDREL_JOURNAL": "variable-not-set",
  "zandrel journal here": "journal-there",
  "zandrel sweep report": "unknown-sweep",
  "zandrel sweep report workspace-2026-03-02 --json": "unknown-sweep",
  "zandrel sweep diff workspace-2026-03-02 workspace-2026-03-09": "unknown-sweep",
  "zandrel sweep diff workspace-2026-03-02 workspace-2026-03-09 --format html": "unknown-sweep",
  "zandrel helper brackwater-post.example": "unknown-domain",
  "zandrel helper brackwater-post.example --json": "unknown-domain",
};

test.each(examples.filter(([line]) => !LONG.test(line)))("%s", async (line, name) => {
  const here = demoWorkspace();
  const { argv, from } = words(line);
  const command = (await COMMANDS.find((one) => one.name === name)?.load())?.default;
  const json = command?.schema === undefined || argv.includes("--json") ? [] : ["--json"];
  const input = from === undefined && !argv.includes("-") ? "" : readFileSync(join(here, from ?? "newsletter.eml"), "latin1");
  // The first example of each command is started for real.
  const start = examples.find(([, of]) => of === name)?.[0] === line ? started : zandrel;
  const ran = await start(here, [...argv, ...json], { env: { ZANDREL_CLOCK: CLOCK }, input });
  expect(ran.err).not.toMatch(/\n\s+at /);
  const refused = ran.exit !== 2 ? undefined : ran.out === "" ? ran.err : ran.json.error.code;
  expect(refused).toBe(MISSING[line]);
});
