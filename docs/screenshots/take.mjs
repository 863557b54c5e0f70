// Renders the main commands' output on the demo data to PNG, in a real terminal emulator inside Chromium.
import { spawn } from "node:child_process";
import { Resolver } from "node:dns/promises";
import { cpSync, existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { chromium } from "playwright-core";
import { internals } from "../../internals.mjs";

const path = (relative) => fileURLToPath(new URL(relative, import.meta.url));
const program = path("../../dist/zandrel.cjs");
const executablePath = ["/usr/bin/chromium", "/usr/bin/chromium-browser"].find(existsSync);
if (executablePath === undefined) throw new Error("Chromium is not installed: apt-get install chromium");

const asset = (name) => readFileSync(path(`../../node_modules/@xterm/xterm/${name}`), "utf8");
const page = (
  columns,
  rows,
  fontSize = 15,
) => `<!doctype html><style>${asset("css/xterm.css")} body{margin:0;background:#191c26;padding:24px} .xterm-viewport{overflow:hidden!important}</style>
<div id="t"></div><script>${asset("lib/xterm.js")}</script><script>
const t=new Terminal({cols:${columns},rows:${rows},fontSize:${fontSize},lineHeight:1.2,fontFamily:"'DejaVu Sans Mono',monospace",convertEol:true,cursorStyle:"bar",cursorInactiveStyle:"none",theme:{background:"#191c26",foreground:"#e6e3dc",brightBlack:"#a6a8b8",green:"#8ad6ab",red:"#f58f97",yellow:"#eaca72",cyan:"#8bd2e3",blue:"#a3b8f7",magenta:"#dba9ea"}});
t.open(document.getElementById("t"));</script>`;

/** Runs a command line and gives back what it printed, colours included. */
function run(argv, { cwd, env = {}, input = "" }) {
  return new Promise((resolve) => {
    const child = spawn(process.execPath, [program, ...argv], {
      cwd,
      env: { ...process.env, TZ: "UTC", FORCE_COLOR: "1", COLUMNS: "100", ...env },
    });
    let printed = "";
    child.stdout.on("data", (chunk) => (printed += chunk));
    child.stderr.on("data", (chunk) => (printed += chunk));
    child.on("exit", () => resolve(printed));
    child.stdin.end(input);
  });
}

const browser = await chromium.launch({
  executablePath,
  args: [
    "--no-sandbox",
    "--disable-gpu",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
  ],
});

/** Draws a prompt with its output and saves it as NAME.png. */
export async function shoot(name, blocks) {
  const tab = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  const text = blocks.map(({ shown, printed }) => `\x1b[1m$\x1b[22m \x1b[36m${shown}\x1b[39m\n${printed}`).join("\n");
  // What is longer than the picture is drawn smaller, so that its beginning and its end are both there.
  const widths = text.split("\n").map((line) => line.replace(/\x1b\[[0-9;]*m/g, "").length);
  const lines = widths.reduce((sum, width) => sum + Math.max(1, Math.ceil(width / 130)), 0);
  await tab.setContent(page(130, Math.max(40, lines + 1), lines < 40 ? 15 : Math.max(9, Math.floor((15 * 40) / (lines + 3)))));
  // @ts-expect-error "t" is the page's own terminal.
  await tab.evaluate((all) => new Promise((done) => t.write(all, done)), text);
  await tab.waitForTimeout(200);
  await tab.screenshot({ path: path(`${name}.png`) });
  await tab.close();
}

/** The fill-in sheet as a page, made from the demo's asks as a host's form would want them. */
async function sheet(folder) {
  cpSync(path("../../demo/brackwater"), join(folder, "sheet"), { recursive: true });
  const settings = join(folder, "sheet/zandrel.yaml");
  const form = "way: by-hand\n      form: { finalDot: required, ttl: [300, 3600] }";
  writeFileSync(settings, readFileSync(settings, "utf8").replace(/way: zone-file\n\s+file: .*/, form));
  writeFileSync(settings, `${readFileSync(settings, "utf8")}defaults: { authorityPort: 5391 }\n`);
  const argv = ["publish", "brackwater.example", "--replace", "www", "--resolver", "127.53.0.11:5391", "--page"];
  const child = spawn(process.execPath, [program, ...argv], { cwd: join(folder, "sheet"), env: { ...process.env, TZ: "UTC" } });
  const url = await new Promise((resolve, reject) => {
    let printed = "";
    const look = (chunk) => {
      printed += chunk;
      const found = /http:\S+/.exec(printed)?.[0];
      if (found !== undefined) resolve(found);
    };
    child.stdout.on("data", look);
    child.stderr.on("data", look);
    child.on("exit", () => reject(new Error(printed)));
  });
  const tab = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await tab.goto(url);
  await tab.waitForTimeout(3000);
  await tab.screenshot({ path: path("page.png") });
  await tab.close();
  child.removeAllListeners("exit");
  child.kill("SIGINT");
}

/** A conversation with the guide: each answer is typed when its question is shown. */
async function converse(answers, cwd, env) {
  const line = [process.execPath, program, "guide"].map((word) => `'${word}'`).join(" ");
  const child = spawn("script", ["-qfec", `stty cols 120 rows 56; ${line}`, "/dev/null"], {
    cwd,
    env: { ...process.env, TZ: "UTC", TERM: "xterm-256color", ...env },
  });
  let printed = "";
  let seen = 0;
  const left = [...answers];
  let shown = "";
  child.stdout.on("data", (chunk) => {
    printed += chunk;
    const [question, keys] = left[0] ?? [];
    if (question === undefined || !printed.slice(seen).includes(question)) return;
    seen = printed.length;
    left.shift();
    setTimeout(() => {
      // The last question is shown as it waits for its answer.
      if (left.length === 0) shown = printed;
      child.stdin.write(keys);
    }, 500);
  });
  await new Promise((resolve) => child.on("exit", resolve));
  const tab = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await tab.setContent(page(130, 56, 11));
  await tab.addStyleTag({ content: ".scrollbar,.xterm-scrollable-element>.scrollbar{display:none!important}" });
  // @ts-expect-error "t" is the page's own terminal.
  await tab.evaluate((all) => new Promise((done) => t.write(all, done)), shown);
  await tab.waitForTimeout(200);
  await tab.screenshot({ path: path("guide.png") });
  await tab.close();
}

const folder = mkdtempSync(join(tmpdir(), "zandrel-shots-"));
const { startLab } = await internals("lab/index.ts");
const lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), port: 5391 });
try {
  writeFileSync(join(folder, "lab.yaml"), lab.settings);
  const { env, mailboxes } = lab;
  const paste = lab.seekmere.instructions("brackwater.example");
  const zandrel = async (argv, input) => ({
    shown: `zandrel ${argv.join(" ")}`,
    printed: await run(argv, { cwd: folder, env, input }),
  });

  const talk = join(folder, "talk");
  mkdirSync(talk);
  await run(["init", "puppetfest.example", "--dns-host", "nettlehost", "--settings", "../lab.yaml"], { cwd: talk, env });
  const page1 = paste.replaceAll("brackwater.example", "puppetfest.example").trimEnd().replaceAll("\n", "\r");
  await converse(
    [
      ["Which domain?", "\r"],
      ["What does the service ask for?", "\r"],
      ["line with only a dot", `${page1}\r.\r`],
      ["Is this right?", "\r"],
      ["Publish it at", "\x03"],
    ],
    talk,
    env,
  );
  const init = await zandrel(["init", "brackwater.example", "--dns-host", "nettlehost", "--settings", "lab.yaml"]);
  await shoot("intake", [init, await zandrel(["intake", "-"], paste), await zandrel(["status"])]);
  const demo = path("../../demo/brackwater");
  const onFiles = async (argv) => ({ shown: `zandrel ${argv.join(" ")}`, printed: await run(argv, { cwd: demo }) });
  await shoot("draft", [await onFiles(["draft", "--zone-file", "brackwater.example.zone"])]);
  // Somebody behind two of the resolvers looks the domain up, so those remember the old records for a while.
  for (const address of ["127.53.0.11", "127.53.0.14"]) {
    const resolver = new Resolver();
    resolver.setServers([`${address}:5391`]);
    await resolver.resolveTxt("brackwater.example");
  }
  const publish = await zandrel(["publish", "brackwater.example"]);
  // The second name server gets changes late.
  lab.clock.leap(60_000);
  await shoot("publish", [publish, await zandrel(["status"])]);
  await shoot("watch", [
    await zandrel(["watch", "brackwater.example"]),
    await zandrel(["prove", "seekmere-ownership"]),
    await zandrel(["status"]),
  ]);
  await shoot("site", [await zandrel(["site", "brackwater.example"])]);
  const planned = await zandrel(["relocate", "plan", "brackwater.example", "--new-host", "zonemarrow"]);
  const captured = await zandrel(["relocate", "capture", "brackwater.example"]);
  await shoot("relocate", [
    planned,
    captured,
    await zandrel(["relocate", "check", "brackwater.example", "--new-host", "zonemarrow"]),
  ]);
  await sheet(folder);
  cpSync(path("../../demo/brackwater/kits"), join(folder, "kits"), { recursive: true });
  await run(["intake", "--kit", "heronpost", "--input", "account=brackwater"], { cwd: folder, env });
  await run(["publish", "brackwater.example"], { cwd: folder, env });
  await run(["watch", "brackwater.example"], { cwd: folder, env });
  const address = ["sender", "address", "heronpost", "news@brackwater.example"];
  const pending = await zandrel(address);
  const box = join(mailboxes, "news@brackwater.example/new");
  const [mail] = readdirSync(box);
  await fetch(/http:\S+\/open\/\S+/.exec(readFileSync(join(box, mail), "latin1"))[0]);
  await shoot("sender", [
    pending,
    await zandrel(address),
    await zandrel(["sender", "domain", "heronpost", "brackwater.example"]),
    await zandrel(["sender", "credential", "heronpost", "--new", "mail", "--domain", "brackwater.example"]),
    await zandrel(["sender", "settings", "heronpost", "--check"]),
  ]);
  const message = [
    "message",
    "send",
    "--service",
    "heronpost",
    "--from",
    "news@brackwater.example",
    "--to",
    "probe@mallowmail.example",
  ];
  const sent = await run([...message, "--copy", join(mailboxes, "probe@mallowmail.example"), "--for", "2h"], {
    cwd: folder,
    env,
  });
  await shoot("send", [{ shown: `zandrel ${message.join(" ")} --copy ~/Maildir`, printed: sent }]);
  // The guard finds a token that somebody deleted, and the list is gone through as it is then.
  await zandrel(["guard", "--once"]);
  await run(["undo", "brackwater.example", "--force"], { cwd: folder, env });
  lab.clock.leap(2 * 3_600_000);
  const list = "brackwater.example\nhttps://www.puppetfest.example/\nswiftquill.example\n192.0.2.1\n";
  const swept = await zandrel(["sweep", "-", "--checks", "spf,dkim,dmarc"], list);
  await shoot("sweep", [await zandrel(["guard", "--once"]), swept, await zandrel(["sweep", "report"])]);
  await run(["dmarc", "import", path("../../demo/reports")], { cwd: folder, env });
  await run(["dossier"], { cwd: folder, env });
  const dossier = await browser.newPage({ viewport: { width: 1280, height: 1000 } });
  await dossier.goto(`file://${join(folder, "dossier/brackwater.example.html")}`);
  await dossier.screenshot({ path: path("dossier.png") });
  await dossier.close();
  const world = ["--zone-file", "authenticated.zone", "--zone-file", "services.zone"];
  const onMail = async (argv) => ({
    shown: `zandrel ${argv.join(" ")} …`,
    printed: await run([...argv, ...world], { cwd: demo }),
  });
  await shoot("judge", [await onMail(["message", "judge", "../mail/over-a-list.eml"])]);
  await shoot("audit", [await onMail(["audit", "brackwater.example"])]);
  await shoot("spf", [
    await onMail(["spf", "explain", "brackwater.example"]),
    await onMail(["spf", "combine", "brackwater.example", "ip4:203.0.113.9", "ip4:198.51.100.70"]),
  ]);
  cpSync(demo, join(folder, "keys"), { recursive: true });
  const withKeys = async (argv) => ({
    shown: `zandrel ${argv.join(" ")} …`,
    printed: await run([...argv, ...world], { cwd: join(folder, "keys") }),
  });
  await shoot("dkim", [
    await withKeys(["dkim", "check", "brackwater.example"]),
    await withKeys([
      "dkim",
      "rotate",
      "brackwater.example",
      "--old-selector",
      "z202602",
      "--new-selector",
      "z202609",
      "--key-type",
      "ed25519",
      "--write",
    ]),
  ]);
  const reported = join(folder, "reported");
  cpSync(demo, reported, { recursive: true });
  const asks = ["heronpost", "swiftquill"].map(
    (service) =>
      `  - id: ${service}-sending\n    service: ${service}\n    purpose: sending\n    spf: include:spf.${service}.example\n    records: |\n      ${service} CNAME links.${service}.example.\n`,
  );
  const domainFile = join(reported, "domains/brackwater.example.yaml");
  writeFileSync(domainFile, readFileSync(domainFile, "utf8") + asks.join(""));
  const onReports = async (argv, files = world) => ({
    shown: `zandrel ${argv.join(" ")}${files.length > 0 ? " …" : ""}`,
    printed: await run([...argv, ...files], { cwd: reported }),
  });
  await run(["dmarc", "import", path("../../demo/reports")], { cwd: reported });
  await onReports(["dmarc", "sources", "--html", "sources.html"]);
  await shoot("dmarc", [await onMail(["dmarc", "explain", "brackwater.example"]), await onReports(["dmarc", "advise"])]);
  const sources = await browser.newPage({ viewport: { width: 1280, height: 1000 } });
  await sources.goto(`file://${join(reported, "sources.html")}`);
  await sources.screenshot({ path: path("sources.png") });
  await sources.close();
} finally {
  await lab.close();
  await browser.close();
  rmSync(folder, { recursive: true, force: true });
}
