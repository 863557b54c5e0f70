/**
 * The reliability suite: the built program against kills, crowds, full disks, clocks and hostile others. It prints how often
 * each was tried and survived, and ends with 1 where anything was not. `--part NAME` runs one part, `--times N` scales
 * the kills.
 */
import { spawnSync } from "node:child_process";
import { chmodSync, existsSync, mkdirSync, readdirSync, readFileSync, symlinkSync, writeFileSync } from "node:fs";
import { createServer as createHttp } from "node:http";
import { createServer as createTcp } from "node:net";
import { join } from "node:path";
import { gzipSync } from "node:zlib";
import {
  below,
  environment,
  everythingHere,
  folder,
  given,
  listenTcp,
  listenUdp,
  note,
  PROGRAM,
  pick,
  questionOf,
  random,
  run,
  seed,
  sentence,
  start,
  table,
  ZONE,
} from "./hard/base.mjs";
import { clocks } from "./hard/clocks.mjs";
import { markup } from "./hard/markup.mjs";
import { moves } from "./hard/moves.mjs";
import { secrets } from "./hard/secrets.mjs";

const REPORT = (id) =>
  `<?xml version="1.0"?><feedback><report_metadata><org_name>Mallowmail</org_name><email>r@mallowmail.example</email><report_id>${id}</report_id><date_range><begin>1772323200</begin><end>1772409599</end></date_range></report_metadata><policy_published><domain>brackwater.example</domain><p>none</p></policy_published>${`<record><row><source_ip>198.51.100.70</source_ip><count>5</count><policy_evaluated><disposition>none</disposition></policy_evaluated></row><identifiers><header_from>brackwater.example</header_from></identifiers></record>`.repeat(20)}</feedback>`;

/** A workspace with a zone file, a token, and reports to import. */
async function workspace() {
  const here = folder();
  writeFileSync(join(here, "brackwater.example.zone"), ZONE);
  mkdirSync(join(here, "reports"));
  for (let i = 0; i < 10; i++) writeFileSync(join(here, "reports", `${i}.xml`), REPORT(i));
  await run(here, ["init", "brackwater.example", "--dns-host", "nettlehost"]);
  await run(here, ["intake", "--add-service", "Seekmere", "--type", "TXT", "--host", "@", "--value", "seek=0"]);
  return here;
}
const INTO = ["--into", "brackwater.example.zone"];
const FROM = ["--zone-file", "brackwater.example.zone"];

/** Whether a workspace is whole: every file can be read, nothing is half written, and the next command goes on. */
async function isWhole(here) {
  const status = await run(here, ["status", ...FROM, "--json"]);
  if (![0, 1].includes(status.exit)) return `status ends with ${status.exit}: ${status.err || status.out}`;
  const zone = readFileSync(join(here, "brackwater.example.zone"), "utf8");
  if (!zone.includes("; by hand, and to stay") || !zone.includes("v=spf1 -all")) return "the zone file lost something";
  const ids = [...readFileSync(join(here, "domains", "brackwater.example.yaml"), "utf8").matchAll(/id: (\S+)/g)].map(
    ([, id]) => id,
  );
  if (new Set(ids).size !== ids.length) return `an id twice: ${ids}`;
  const left = readdirSync(here).filter((name) => name.endsWith(".tmp") && !name.startsWith("."));
  return left.length === 0 ? true : `left behind: ${left}`;
}

/** Writing commands, each with what must be true of the workspace once it is run again to its end. */
const WRITING = [
  { name: "intake", argv: (n) => ["intake", "--service", "seekmere", "--host", `h${n}`, "--value", `v=${n}`] },
  {
    name: "intake of a new service",
    argv: (n) => ["intake", "--add-service", `Service ${n}`, "--host", `s${n}`, "--value", `v=${n}`],
  },
  { name: "publish", argv: () => ["publish", ...INTO] },
  { name: "undo", argv: () => ["undo", "brackwater.example", ...INTO] },
  { name: "dkim new", argv: (n) => ["dkim", "new", "brackwater.example", "--selector", `k${n}`, "--key-type", "ed25519"] },
  {
    name: "dmarc compose",
    argv: () => [
      "dmarc",
      "compose",
      "brackwater.example",
      "--policy",
      "none",
      "--reports-to",
      "d@brackwater.example",
      "--write",
      ...FROM,
    ],
  },
  { name: "dmarc import", argv: () => ["dmarc", "import", "reports"] },
  { name: "retire", argv: () => ["retire", "seekmere-ownership", ...INTO, "--replace", "@"] },
];

async function kills(times) {
  const here = await workspace();
  // How long each command takes here, so that the kills fall all over its life.
  const typical = new Map();
  for (let i = 0; i < times; i++) {
    const { name, argv } = WRITING[i % WRITING.length];
    const call = argv(1000 + i);
    const { child, done } = start(here, call);
    const timer = setTimeout(() => child.kill("SIGKILL"), random() * (typical.get(name) ?? 600) * 1.1);
    const ended = await done;
    clearTimeout(timer);
    if (ended.signal === null) typical.set(name, ended.seconds * 1000);
    // Looked at after every fourth, because the look takes longer than the kill.
    if (i % 4 === 3 || i === times - 1) note("kills while writing", await isWhole(here), `${name}, kill ${i}`);
    else note("kills while writing", true, name);
  }
  const again = await run(here, ["dmarc", "import", "reports", "--json"]);
  const { taken, known } = JSON.parse(again.out);
  note(
    "kills while writing",
    taken + known === 10 ? true : `reports: ${taken} taken, ${known} known`,
    "the reports after all kills",
  );
}

async function crowds() {
  const ten = (argv) => Promise.all(Array.from({ length: 10 }, (_, i) => argv(i)));
  const here = await workspace();
  const yaml = () => readFileSync(join(here, "domains", "brackwater.example.yaml"), "utf8");
  const all = (ran) =>
    ran.map(sentence).find((one) => one !== true) ??
    (ran.every(({ exit }) => exit === 0)
      ? true
      : `exits ${ran.map(({ exit }) => exit)}: ${ran.find(({ exit }) => exit !== 0)?.err}`);

  const same = await ten((i) => run(here, ["intake", "--service", "seekmere", "--host", "@", "--value", `same=${i}`]));
  note("ten processes at once", all(same), "intake of one service");
  const ids = [...yaml().matchAll(/id: (seekmere-\S+)/g)].map(([, id]) => id);
  note("ten processes at once", ids.length === 11 && new Set(ids).size === 11 ? true : `${ids}`, "different ids");

  const services = await ten((i) => run(here, ["intake", "--add-service", `New ${i}`, "--host", `n${i}`, "--value", `n=${i}`]));
  note("ten processes at once", all(services), "intake of new services");
  const known = [...readFileSync(join(here, "zandrel.yaml"), "utf8").matchAll(/title: New \d/g)].length;
  note("ten processes at once", known === 10 ? true : `${known} services`, "ten services arrive");

  const published = await ten((i) => run(here, ["publish", "--only", `new-${i}-ownership`, ...INTO]));
  note("ten processes at once", all(published), "publish into one zone file");
  const zone = readFileSync(join(here, "brackwater.example.zone"), "utf8");
  note("ten processes at once", [...zone.matchAll(/"n=\d"/g)].length === 10 ? true : zone, "ten sets published");

  const imports = await ten(() => run(here, ["dmarc", "import", "reports", "--json"]));
  note(
    "ten processes at once",
    imports.every(({ exit }) => exit === 0 || exit === 1) && !imports.some(({ err }) => /SQLITE/.test(err))
      ? true
      : JSON.stringify(imports.map(({ exit, err }) => [exit, err])),
    "imports",
  );
  const taken = imports.reduce((sum, { out }) => sum + JSON.parse(out).taken, 0);
  note("ten processes at once", taken === 10 ? true : `${taken} taken`, "each report once");
  note("ten processes at once", await isWhole(here), "the workspace afterwards");
}

/** A disk that is full from some point on: the limit of a file's size stands for it, where no small disk can be mounted. */
async function fullDisks() {
  const ulimit = (cwd, blocks, argv, input = "") =>
    spawnSync("bash", ["-c", `ulimit -f ${blocks}; exec "$0" "$@"`, process.execPath, PROGRAM, ...argv], {
      cwd,
      input,
      encoding: "utf8",
      env: { ...environment, HOME: cwd },
    });
  for (let point = 0; point < 30; point++) {
    const here = await workspace();
    const { name, argv } = WRITING[point % WRITING.length];
    const before = new Map(
      ["zandrel.yaml", "brackwater.example.zone", "domains/brackwater.example.yaml"].map((file) => [
        file,
        readFileSync(join(here, file), "utf8"),
      ]),
    );
    const long = name.startsWith("intake")
      ? [...argv(point).slice(0, -1), "v=".padEnd(200 * (1 + (point % 5)), "x")]
      : argv(point);
    const ran = ulimit(here, 1 + (point % 6) * 4, long);
    const sound = sentence({ exit: ran.status, err: ran.stderr, signal: ran.signal });
    let held = sound;
    if (held === true && ran.status === 0 && /cannot be written/.test(ran.stderr)) held = "says both";
    if (held === true && ran.status !== 0)
      for (const [file, text] of before)
        if (readFileSync(join(here, file), "utf8") !== text)
          held = `${file} changed although it ended with ${ran.status}: ${ran.stderr}`;
    if (held === true) held = await isWhole(here);
    note("full disks", held, `${name}, ${1 + (point % 6) * 4} blocks`);
  }
  const tiny = folder();
  const mounted = spawnSync("mount", ["-t", "tmpfs", "-o", "size=128k", "none", tiny]).status === 0;
  if (!mounted) {
    if (process.env.ZANDREL_REQUIRE_SERVERS === "1") note("full disks", "no small disk can be mounted", "tmpfs");
    return;
  }
  try {
    writeFileSync(join(tiny, "brackwater.example.zone"), ZONE);
    await run(tiny, ["init", "brackwater.example", "--dns-host", "nettlehost"]);
    for (let i = 0; i < 10; i++) {
      const ran = await run(tiny, ["intake", "--add-service", "Seekmere", "--host", `h${i}`, "--value", "x".repeat(200)]);
      const ids = readFileSync(join(tiny, "domains", "brackwater.example.yaml"), "utf8").match(/id: /g)?.length ?? 0;
      note(
        "full disks",
        sentence(ran) !== true
          ? sentence(ran)
          : ran.exit !== 0 && ran.exit !== 2
            ? `exit ${ran.exit}`
            : ran.exit === 2 && !/disk is full/.test(ran.err)
              ? ran.err
              : true,
        `a small disk, ${ids} asks`,
      );
    }
  } finally {
    spawnSync("umount", [tiny]);
  }
}

/** One answer that nobody should believe, or that is not an answer, by its number. */
function hostileAnswer(message, number) {
  const question = questionOf(message);
  const head = Buffer.from(question);
  head[2] = 0x84 | (message[2] & 0x79);
  head[3] = 0x80;
  for (const at of [6, 8, 10]) head.writeUInt16BE(0, at);
  const record = (type, data, name = Buffer.from([0xc0, 12])) => {
    const fixed = Buffer.alloc(10);
    fixed.writeUInt16BE(type, 0);
    fixed.writeUInt16BE(1, 2);
    fixed.writeUInt32BE(60, 4);
    fixed.writeUInt16BE(data.length, 8);
    return Buffer.concat([name, fixed, data]);
  };
  const answers = (count, ...records) => {
    const whole = Buffer.concat([head, ...records]);
    whole.writeUInt16BE(count, 6);
    return whole;
  };
  const type = question.readUInt16BE(question.length - 4);
  switch (number % 20) {
    case 0:
      return head.subarray(0, 11);
    case 1:
      return answers(65_535);
    case 2:
      return answers(1, record(type, Buffer.from([255, 1])));
    case 3:
      return answers(1, record(type, Buffer.from([0xc0, 12]), Buffer.from([0xc0, head.length])));
    case 4:
      return answers(1, record(5, Buffer.from([0xc0, 12])));
    case 5:
      return answers(1, record(5, Buffer.from([1, 97, 0xc0, 12])));
    case 6: {
      const other = Buffer.from(head);
      other.writeUInt16BE(0, 0);
      return other;
    }
    case 7: {
      const other = Buffer.from(head);
      other[13] ^= 1;
      return other;
    }
    case 8:
      return answers(200, ...Array.from({ length: 200 }, () => record(16, Buffer.from([3, 1, 27, 93]))));
    case 9:
      head[3] = 0x80 | below(16);
      return head;
    case 10:
      return Buffer.alloc(1 + below(600), below(256));
    case 11:
      head[2] |= 2;
      return head;
    case 12:
      return answers(
        1,
        record(
          16,
          Buffer.concat([
            Buffer.from([200]),
            Buffer.from("\u001b]0;owned\u0007\u009b31m".padEnd(200, "x"), "latin1").subarray(0, 200),
          ]),
        ),
      );
    case 13:
      return answers(1, record(type, Buffer.alloc(0)));
    case 14:
      head[2] &= 0x7f;
      return head;
    case 15:
      return answers(1, record(16, Buffer.from([255, ...Buffer.alloc(255, 34)])));
    case 16:
      head[3] = 0x83;
      return answers(1, record(16, Buffer.from([1, 97])));
    case 17:
      return Buffer.concat([answers(1, record(type, Buffer.from([1, 2, 3, 4]))), Buffer.alloc(400, 7)]);
    case 18:
      return answers(2, record(2, Buffer.from([0xc0, 12])), record(6, Buffer.alloc(20)));
    default:
      return undefined;
  }
}

async function hostileDns() {
  const here = await workspace();
  for (let number = 0; number < 60; number++) {
    const socket = await listenUdp((message) => hostileAnswer(message, number));
    const argv = pick([
      ["status"],
      ["audit", "brackwater.example"],
      ["spf", "explain", "brackwater.example"],
      ["dmarc", "explain", "brackwater.example"],
      ["dkim", "check", "brackwater.example", "k1"],
    ]);
    const ran = await run(here, [...argv, "--resolver", socket.address, "--timeout", "0.3"]);
    socket.close();
    const raw = /[\x00-\x08\x0b-\x1f\x7f-\x9f]/.test(ran.out + ran.err);
    note(
      "hostile DNS answers",
      sentence(ran) !== true
        ? sentence(ran)
        : raw
          ? "control characters came through"
          : ran.seconds > 30
            ? `${ran.seconds} s`
            : true,
      `${argv.join(" ")}, answer ${number % 20}`,
    );
  }
}

async function hostileFiles() {
  const here = await workspace();
  const inbox = join(here, "inbox");
  mkdirSync(inbox);
  const big = "x".repeat(1 << 20);
  const files = {
    "a.xml": "<feedback>".repeat(10_000),
    "b.xml": `<feedback><record>${"<row>".repeat(50_000)}`,
    "c.xml": `<feedback ${'a="1" '.repeat(100_000)}>`,
    "d.gz": gzipSync(`<feedback><x>${" ".repeat(200 << 20)}`),
    "e.gz": gzipSync(REPORT("e")).subarray(0, 100),
    "f.zip": Buffer.from("PK\u0003\u0004".padEnd(4000, "\u0000"), "latin1"),
    "g.eml": `From: a@b.example\r\nContent-Type: multipart/mixed; boundary=b\r\n\r\n${"--b\r\nContent-Type: multipart/mixed; boundary=b\r\n\r\n".repeat(5000)}`,
    "h.eml": `Subject: ${big}\r\n\r\n`,
    "i.xml": `<!DOCTYPE a [${'<!ENTITY b "&a;&a;">'.repeat(1000)}]><feedback/>`,
    "j.xml": Buffer.from("\ufeff<feedback>".repeat(1000), "utf16le"),
    "k.xml": `<feedback><record>${"<auth_results><dkim><domain>a</domain></dkim></auth_results>".repeat(20_000)}`,
    "l.bin": Buffer.alloc(1 << 20, 0),
    "m.xml": `<feedback><report_metadata><org_name>${big}</org_name>`,
    "n.xml": `<feedback>${"<!-- x -->".repeat(100_000)}`,
    "o.eml": `From: ${"a@b.example, ".repeat(50_000)}\r\n\r\n`,
    "p.xml": "",
    "q.gz": gzipSync(""),
    "r.xml": REPORT("r").replaceAll("198.51.100.70", "\u001b[31m"),
    "s.xml": REPORT("s").replace("<count>5", "<count>99999999999999999999"),
    "t.xml": REPORT("t").replaceAll("brackwater.example", `${"a.".repeat(200)}example`),
  };
  for (const [file, content] of Object.entries(files)) writeFileSync(join(inbox, file), content);
  for (const file of Object.keys(files)) {
    const ran = await run(here, ["dmarc", "import", join("inbox", file), "reports/0.xml", "--json"]);
    const { known = 0, taken = 0 } = ran.out === "" ? {} : JSON.parse(ran.out);
    note(
      "hostile files",
      sentence(ran) !== true
        ? sentence(ran)
        : known + taken < 1
          ? `the report beside it was not taken: ${ran.out}${ran.err}`
          : true,
      file,
    );
  }
  // Not files at all.
  const odd = join(here, "odd");
  mkdirSync(odd);
  spawnSync("mkfifo", [join(odd, "a")]);
  symlinkSync("/dev/zero", join(odd, "b"));
  symlinkSync("nowhere", join(odd, "c"));
  symlinkSync("d", join(odd, "d"));
  mkdirSync(join(odd, "e"));
  symlinkSync("../e", join(odd, "e", "f"));
  for (const name of ["a", "b", "c", "d", "e"])
    for (const argv of [
      ["dmarc", "import", `odd/${name}`],
      ["message", "judge", `odd/${name}`, ...FROM],
      ["status", "--zone-file", `odd/${name}`],
      ["intake", `odd/${name}`, "--service", "seekmere"],
    ]) {
      const ran = await run(here, argv);
      note(
        "hostile files",
        sentence(ran) !== true ? sentence(ran) : ran.seconds > 60 ? `${ran.seconds} s` : true,
        argv.join(" "),
      );
    }
}

async function hostileHelpers() {
  const answer = { version: 1, outcome: "done", reason: "" };
  const scripts = [
    "",
    "exit 1",
    "exit 127",
    "kill -9 $$",
    "kill -TERM $$",
    "echo hello",
    "echo '{}'",
    "echo '[]'",
    "echo null",
    `echo '${JSON.stringify({ ...answer, version: 2 })}'`,
    `echo '${JSON.stringify({ ...answer, outcome: "perhaps" })}'`,
    `echo '${JSON.stringify({ ...answer, reason: "x".repeat(5000) })}'`,
    "head -c 8000000 /dev/zero",
    "head -c 8000000 /dev/urandom",
    "echo '{\"version\":1' ; sleep 1",
    "exec 1>&-; sleep 1",
    "printf '\\033]0;owned\\007' >&2; exit 3",
    'cat >/dev/null; echo \'{"version":1,"outcome":"refused","reason":"\\u001b[31mno"}\'',
    'echo "token $HELPER_TOKEN is wrong" >&2; exit 4',
    'sleep 600 & echo \'{"version":1,"outcome":"done"}\'',
  ];
  for (const [i, script] of scripts.entries()) {
    const here = await workspace();
    const helper = join(here, "helper.sh");
    writeFileSync(helper, `#!/bin/sh\n${script}\n`);
    chmodSync(helper, 0o755);
    const settings = join(here, "zandrel.yaml");
    writeFileSync(settings, readFileSync(settings, "utf8").replace("way: by-hand", "way: helper\n      command: [./helper.sh]"));
    const ran = await run(here, ["helper", "brackwater.example", "--timeout", "1"], {
      env: { HELPER_TOKEN: "s3cret-of-nobody" },
    });
    const raw = /[\x00-\x08\x0b-\x1f\x7f-\x9f]|s3cret/.test(ran.out + ran.err);
    note(
      "hostile helpers",
      sentence(ran) !== true ? sentence(ran) : raw ? "control characters or a secret came through" : true,
      `${i}: ${script.slice(0, 40)}`,
    );
  }
}

async function hostileServers() {
  const web = [
    (response) => response.destroy(),
    (response) => void response.write("<html>"),
    (response) => response.writeHead(200, { "content-length": "10" }).end("x"),
    (response) => response.writeHead(302, { location: "/" }).end(),
    (response) => response.writeHead(302, { location: "javascript:alert(1)" }).end(),
    (response) => response.writeHead(200, { "content-encoding": "gzip" }).end("no gzip"),
    (response) => {
      const more = () => void (response.destroyed || response.write("x".repeat(1 << 16), more));
      more();
    },
    (response) => response.end(`<meta name="${"a".repeat(1 << 19)}`),
    (response) => response.end("<!--".repeat(1 << 17)),
    (response) => response.writeHead(500).end("\u001b[31m"),
  ];
  for (const [i, answer] of web.entries()) {
    const server = createHttp((_, response) => answer(response));
    const port = await listenTcp(server);
    const here = await workspace();
    const settings = join(here, "zandrel.yaml");
    writeFileSync(settings, `${readFileSync(settings, "utf8")}  webPorts: { http: ${port}, https: ${port} }\n`);
    const dns = await listenUdp(everythingHere);
    const ran = await run(here, ["site", "brackwater.example", "--resolver", dns.address, "--timeout", "0.5"]);
    dns.close();
    server.closeAllConnections();
    server.close();
    note(
      "hostile web and mail servers",
      sentence(ran) !== true ? sentence(ran) : ran.seconds > 30 ? `${ran.seconds} s` : true,
      `page ${i}`,
    );
  }
  const mail = [
    (socket) => socket.destroy(),
    () => undefined,
    (socket) => socket.write("220 "),
    (socket) => socket.write(`220 ${"x".repeat(1 << 20)}\r\n`),
    (socket) => socket.write("554 no\r\n"),
    (socket) => socket.write("\u001b[31m\r\n"),
    (socket) => socket.write("220 hello\r\n250 too early\r\n"),
    (socket) => socket.write(Buffer.alloc(10_000, 255)),
    (socket) => socket.on("data", (octets) => socket.write(octets)).write("220 echo\r\n"),
    (socket) => socket.on("data", () => socket.write("250 AUTH PLAIN\r\n")).write("220 no encryption\r\n"),
  ];
  for (const [i, answer] of mail.entries()) {
    const server = createTcp((socket) => {
      socket.on("error", () => undefined);
      answer(socket);
    });
    const port = await listenTcp(server);
    const here = await workspace();
    const settings = join(here, "zandrel.yaml");
    writeFileSync(
      settings,
      readFileSync(settings, "utf8").replace(
        /( +)title: Seekmere\n/,
        `$1title: Seekmere\n$1submission: { host: localhost.brackwater.example, port: ${port}, tls: starttls, user: theatre, password: env:MAIL_PASSWORD }\n`,
      ),
    );
    const dns = await listenUdp(everythingHere);
    const ran = await run(here, ["sender", "settings", "seekmere", "--check", "--resolver", dns.address, "--timeout", "1"], {
      env: { MAIL_PASSWORD: "s3cret-of-nobody" },
    });
    dns.close();
    server.close();
    const shown = ran.out + ran.err;
    note(
      "hostile web and mail servers",
      sentence(ran) !== true
        ? sentence(ran)
        : shown.includes("s3cret")
          ? "the password was printed"
          : !/seekmere|Seekmere|localhost/.test(shown)
            ? shown
            : ran.exit === 0
              ? "believed"
              : true,
      `mail ${i}`,
    );
  }
}

const PARTS = {
  kills: () => kills(Number(given.times)),
  crowds,
  "full-disks": fullDisks,
  "hostile-dns": hostileDns,
  "hostile-files": hostileFiles,
  "hostile-helpers": hostileHelpers,
  "hostile-servers": hostileServers,
  "hostile-markup": markup,
  clocks,
  secrets,
  moves,
};
if (!existsSync(PROGRAM)) throw new Error("build the program first: npm run build");
for (const [name, part] of Object.entries(PARTS)) if (given.part === undefined || given.part === name) await part();
const width = Math.max(...table.map(({ part }) => part.length));
console.log(`${"".padEnd(width)}  tried  survived   (seed ${seed})`);
for (const { part, tried, survived } of table)
  console.log(`${part.padEnd(width)}  ${String(tried).padStart(5)}  ${String(survived).padStart(8)}`);
process.exit(table.some(({ tried, survived }) => survived < tried) ? 1 : 0);
