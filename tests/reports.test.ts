import { execFileSync } from "node:child_process";
import { cpSync, mkdirSync, readdirSync, readFileSync, symlinkSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { crc32, gzipSync } from "node:zlib";
import { describe, expect, test } from "@jest/globals";
import { execa } from "execa";
import type { ReportHead } from "../src/core/aggregate/index.ts";
import { name } from "../src/core/name/index.ts";
import { sqliteSql } from "../src/workspace/sql.ts";
import { openReportStore, REPORTS_FORM } from "../src/workspace/tally.ts";
import { folderWith, PROGRAM, zandrel } from "./zandrel.ts";

const demo = new URL("../demo/", import.meta.url).pathname;
const WORLD = ["--zone-file", "authenticated.zone", "--zone-file", "services.zone"];

/** The demo's workspace with its services' asks and a month of reports. */
function brackwater(): string {
  const here = folderWith();
  cpSync(join(demo, "brackwater"), here, { recursive: true });
  cpSync(join(demo, "reports"), join(here, "reports"), { recursive: true });
  writeFileSync(
    join(here, "domains", "brackwater.example.yaml"),
    `domain: brackwater.example
role: main
host: nettlehost
asks:
  - id: heronpost-sending
    service: heronpost
    purpose: sending
    spf: include:spf.heronpost.example
    records: |
      hpa._domainkey CNAME brackwater.ka.heronpost.example.
  - id: swiftquill-sending
    service: swiftquill
    purpose: sending
    records: |
      sq-track CNAME links.swiftquill.example.
`,
  );
  return here;
}
const REPORT = `<?xml version="1.0"?><feedback><report_metadata><org_name>Mallowmail</org_name><email>reports@mallowmail.example</email><report_id>ID</report_id><date_range><begin>1772323200</begin><end>1772409599</end></date_range></report_metadata><policy_published><domain>brackwater.example</domain><p>none</p></policy_published><record><row><source_ip>198.51.100.70</source_ip><count>5</count><policy_evaluated><disposition>none</disposition><dkim>pass</dkim><spf>pass</spf></policy_evaluated></row><identifiers><header_from>brackwater.example</header_from></identifiers></record></feedback>`;
const report = (id: string, change: (text: string) => string = (text) => text): string => change(REPORT.replace("ID", id));

/** A ZIP archive of stored files, made by hand; `damage` makes their checksums wrong, `size` is what the directory says of each. */
function zips(files: readonly (readonly [string, Buffer])[], damage = 0, size?: number): Buffer {
  const locals: Buffer[] = [];
  const centrals: Buffer[] = [];
  for (const [entry, content] of files) {
    const fields = Buffer.alloc(26);
    fields.writeUInt16LE(20, 0);
    fields.writeUInt32LE((crc32(content) ^ damage) >>> 0, 10);
    fields.writeUInt32LE(content.length, 14);
    fields.writeUInt32LE(size ?? content.length, 18);
    fields.writeUInt16LE(entry.length, 22);
    const central = Buffer.concat([
      Buffer.from("PK\x01\x02"),
      Buffer.from([20, 0]),
      fields,
      Buffer.alloc(14),
      Buffer.from(entry),
    ]);
    central.writeUInt32LE(Buffer.concat(locals).length, 42);
    centrals.push(central);
    locals.push(Buffer.concat([Buffer.from("PK\x03\x04"), fields, Buffer.from(entry), content]));
  }
  const [local, central] = [Buffer.concat(locals), Buffer.concat(centrals)];
  const end = Buffer.alloc(22);
  end.write("PK\x05\x06", 0, "latin1");
  end.writeUInt16LE(files.length, 8);
  end.writeUInt16LE(files.length, 10);
  end.writeUInt32LE(central.length, 12);
  end.writeUInt32LE(local.length, 16);
  return Buffer.concat([local, central, end]);
}
const zip = (entry: string, content: Buffer, size?: number): Buffer => zips([[entry, content]], 0, size);

/** A mail with a report attached, as receivers send it. */
const mail = (attachment: Buffer, from = "reports@mallowmail.example"): string =>
  `From: ${from}\r\nTo: dmarc@brackwater.example\r\nSubject: Report domain: brackwater.example\r\nMIME-Version: 1.0\r\nContent-Type: multipart/mixed; boundary="b"\r\n\r\n--b\r\nContent-Type: text/plain\r\n\r\nA report.\r\n--b\r\nContent-Type: application/gzip; name="r.xml.gz"\r\nContent-Disposition: attachment; filename="r.xml.gz"\r\nContent-Transfer-Encoding: base64\r\n\r\n${attachment.toString("base64").replace(/(.{76})/g, "$1\r\n")}\r\n--b--\r\n`;

describe("dmarc import", () => {
  test("a month of reports, packed as they come; each counts once", async () => {
    const here = brackwater();
    expect(await zandrel(here, ["dmarc", "import", "reports", "--json"])).toMatchObject({
      exit: 0,
      json: { taken: 28, known: 0, messages: 10_174, setAside: [] },
    });
    expect(await zandrel(here, ["dmarc", "import", "reports", "--json"])).toMatchObject({
      exit: 0,
      json: { taken: 0, known: 28, setAside: [] },
    });
    expect((await zandrel(here, ["dmarc", "sources", ...WORLD, "--json"])).json.messages).toBe(10_174);
    const told = await zandrel(here, ["history"]);
    expect(told.out.replace(/\s+/g, " ")).toMatch(
      /28 reports came in from Mallowmail: 10,174 messages from 2026-02-02 to 2026-03-01\./,
    );
    expect(told.out.match(/came in from/g)).toHaveLength(1);
  });
  test("what a run took in that was killed before its end is told by the next one", async () => {
    const here = brackwater();
    await zandrel(here, ["dmarc", "import", "reports"]);
    const path = join(here, ".zandrel", "reports.db");
    // As a file of the form before has it, which knows nothing of what is told.
    const raw = sqliteSql(path, REPORTS_FORM);
    raw.run("DROP TABLE arrived");
    raw.run("PRAGMA user_version = 1");
    raw.close();
    const store = openReportStore(path);
    const head = {
      receiver: "Pigeonry",
      email: "r@pigeonry.example",
      id: "k",
      domain: name("brackwater.example"),
      policy: "none",
    };
    const days = { begin: Date.parse("2026-03-02T00:00:00Z") / 1000, end: Date.parse("2026-03-02T23:59:59Z") / 1000 };
    expect(await store.take(async () => ({ head: { ...head, ...days } as ReportHead, rows: 1, messages: 7 }))).toBe("taken");
    store.close();
    // Nothing of it is new, and yet the story goes on.
    expect(await zandrel(here, ["dmarc", "import", "reports", "--json"])).toMatchObject({ exit: 0, json: { taken: 0 } });
    await zandrel(here, ["dmarc", "import", "reports"]);
    const told = (await zandrel(here, ["history"])).out.replace(/\s+/g, " ");
    expect(told).toMatch(/1 report came in from Pigeonry: 7 messages of 2026-03-02\./);
    expect(told.match(/came in from/g)).toHaveLength(2);
  });
  test("bare, gzip, ZIP, a mail, an mbox, a Maildir, standard input: whatever it comes in", async () => {
    const here = brackwater();
    mkdirSync(join(here, "box", "new"), { recursive: true });
    writeFileSync(join(here, "1.xml"), `\ufeff${report("1")}`);
    writeFileSync(join(here, "2.gz"), gzipSync(report("2")));
    writeFileSync(join(here, "3.zip"), zip("r.xml", Buffer.from(report("3"))));
    writeFileSync(join(here, "4.eml"), mail(gzipSync(report("4"))));
    writeFileSync(
      join(here, "5.mbox"),
      `From x Mon Mar 2 09:00:00 2026\n${mail(gzipSync(report("5")))}\nFrom y Mon Mar 2 09:00:00 2026\n${mail(Buffer.from(report("6")))}`,
    );
    writeFileSync(join(here, "box", "new", "7"), mail(zip("r.xml", Buffer.from(report("7")))));
    const ran = await zandrel(here, ["dmarc", "import", "1.xml", "2.gz", "3.zip", "4.eml", "5.mbox", "box", "-", "--json"], {
      input: report("8"),
    });
    expect([ran.exit, ran.json]).toEqual([0, { taken: 8, known: 0, failures: 0, rows: 8, messages: 40, setAside: [] }]);
  });
  test("declared encodings, and several reports in one archive", async () => {
    const here = brackwater();
    const latin = report("latin", (text) =>
      text.replace('"1.0"', '"1.0" encoding="ISO-8859-1"').replace("Mallowmail", "Mällowmail"),
    );
    writeFileSync(join(here, "1.xml"), Buffer.from(latin, "latin1"));
    writeFileSync(join(here, "2.xml"), Buffer.from(`\ufeff${report("sixteen")}`, "utf16le"));
    writeFileSync(join(here, "3.gz"), gzipSync(Buffer.from(report("big-endian"), "utf16le").swap16()));
    writeFileSync(
      join(here, "4.zip"),
      zips([
        ["a.xml", Buffer.from(report("a"))],
        ["b.xml", Buffer.from(report("b"))],
      ]),
    );
    const ran = await zandrel(here, ["dmarc", "import", "1.xml", "2.xml", "3.gz", "4.zip", "--json"]);
    expect([ran.exit, ran.json]).toEqual([0, { taken: 5, known: 0, failures: 0, rows: 5, messages: 25, setAside: [] }]);
  });
  test("many files are read by several threads, and come to what one after the other would", async () => {
    const files: [string, string | Buffer][] = Array.from({ length: 60 }, (_, i) => {
      const text = report(String(i % 50));
      if (i % 20 === 7) return [`${i}.xml`, text.slice(0, -40)];
      if (i % 20 === 9) return [`${i}.gz`, gzipSync(text).subarray(0, 200)];
      if (i % 20 === 11) return [`${i}.txt`, "not a report"];
      if (i % 20 === 13) return [`${i}.xml`, text.replaceAll("brackwater.example", "elsewhere.example")];
      // One of many kinds of rows comes in pieces.
      const record = /<record>.*<\/record>/s.exec(text)?.[0] as string;
      const address = (n: number) => `10.${n >> 8}.${n & 255}.1`;
      const many = () => Array.from({ length: 12_000 }, (_, n) => record.replace("198.51.100.70", address(n))).join("");
      return i === 25 ? [`${i}.gz`, gzipSync(text.replace(record, many()))] : [`${i}.gz`, gzipSync(text)];
    });
    const folders = [brackwater(), brackwater()] as const;
    for (const here of folders) {
      mkdirSync(join(here, "inbox"));
      for (const [file, content] of files) writeFileSync(join(here, "inbox", file), content);
    }
    const [together, apart] = await Promise.all([
      zandrel(folders[0], ["dmarc", "import", "inbox", "--json"]),
      zandrel(folders[1], [
        "dmarc",
        "import",
        ...readdirSync(join(folders[1], "inbox"))
          .sort()
          .map((file) => `inbox/${file}`),
        "--json",
      ]),
    ]);
    expect(together).toEqual(apart);
    expect([together.exit, together.json.taken, together.json.known, together.json.rows]).toEqual([1, 42, 6, 12_041]);
    expect(together.json.setAside.map((one: { reason: string }) => one.reason).sort()).toEqual([
      ...Array(6).fill("cut"),
      ...Array(3).fill("no-report"),
      ...Array(3).fill("other-domain"),
    ]);
    const sources = await Promise.all(folders.map((here) => zandrel(here, ["dmarc", "sources", ...WORLD, "--json"])));
    expect(sources[0]?.json.messages).toBe(together.json.messages);
    expect({ ...sources[0]?.json, page: null }).toEqual({ ...sources[1]?.json, page: null });
  });
  test("what is not a file in a folder is named and passed over, and a ring of links ends", async () => {
    const here = brackwater();
    const box = join(here, "inbox");
    mkdirSync(join(box, "sub"), { recursive: true });
    writeFileSync(join(box, "a.xml"), report("a"));
    execFileSync("mkfifo", [join(box, "b.xml")]);
    symlinkSync("/dev/zero", join(box, "c.xml"));
    symlinkSync("nowhere", join(box, "d.xml"));
    symlinkSync("..", join(box, "sub", "up"));
    writeFileSync(join(box, "sub", "z.xml"), report("z"));
    const ran = await zandrel(here, ["dmarc", "import", "inbox", "--json"]);
    expect([
      ran.exit,
      ran.json.taken,
      ran.json.setAside.map((one: { file: string; because: string }) => `${one.file}: ${one.because}`),
    ]).toEqual([
      1,
      2,
      [
        "b.xml: it is a pipe or a device and no file",
        "c.xml: it is a pipe or a device and no file",
        "d.xml: it is a link that leads nowhere",
        "up: it is a link to a folder that holds it",
      ],
    ]);
  });
  test("what is broken is set aside with its reason, and the rest goes on", async () => {
    const here = brackwater();
    const bad = join(here, "bad");
    mkdirSync(bad);
    const files: Record<string, string | Buffer> = {
      "a-good.xml": report("good"),
      "b-cut.gz": gzipSync(report("x").repeat(50)).subarray(0, 80),
      "c-nested.zip": zip("inner.zip", zip("r.xml", Buffer.from(report("x")))),
      "d-lying.zip": zip("r.xml", Buffer.from(report("x")), 9),
      "e-entities.xml": `<!DOCTYPE f [<!ENTITY a "a">]>${report("x")}`,
      "f-other.xml": report("x", (text) => text.replaceAll("brackwater.example", "heronpost.example")),
      "g-1970.xml": report("x", (text) => text.replace("1772323200", "0")),
      "h-negative.xml": report("x", (text) => text.replace("<count>5", "<count>-5")),
      "i-forged.eml": mail(gzipSync(report("x")), "reports@cheap-seats.test"),
      "j-none.eml": "From: box@brackwater.example\r\n\r\nhello\r\n",
      "k.bin": Buffer.from([1, 2, 3]),
      "l-bomb.gz": gzipSync(`<feedback><x>${" ".repeat(64 << 20)}`),
      "m-broken.zip": Buffer.from("PK\x03\x04 and nothing more"),
      "m-crc.zip": zips([["r.xml", Buffer.from(report("x"))]], 7),
      "m-empty.zip": zips([]),
      "m-ruf.eml":
        "From: box@mallowmail.example\r\nMIME-Version: 1.0\r\nContent-Type: multipart/report; report-type=feedback-report; boundary=b\r\n\r\n--b\r\nContent-Type: message/feedback-report\r\n\r\nFeedback-Type: auth-failure\r\n--b--\r\n",
      "n-good.xml": report("good-2"),
    };
    for (const [file, content] of Object.entries(files)) writeFileSync(join(bad, file), content);
    const ran = await zandrel(here, ["dmarc", "import", "bad", "--json"]);
    expect([ran.exit, ran.json.taken, ran.json.messages]).toEqual([1, 2, 10]);
    expect(ran.json.setAside.map((one: { file: string; reason: string }) => [one.file.slice(0, 1), one.reason])).toEqual([
      ["b", "cut"],
      ["c", "no-report"],
      ["d", "no-report"],
      ["e", "entities"],
      ["f", "other-domain"],
      ["g", "bad-value"],
      ["h", "bad-value"],
      ["i", "other-sender"],
      ["j", "no-report"],
      ["k", "no-report"],
      ["l", "too-large"],
      ["m", "no-report"],
      ["m", "cut"],
      ["m", "no-report"],
      ["m", "missing"],
    ]);
    expect((await zandrel(here, ["dmarc", "sources", ...WORLD, "--json"])).json.messages).toBe(10);
  });
  test.each<[string[], number, string]>([
    [["import"], 2, "needs FILE"],
    [["import", "nowhere"], 2, "nowhere is not there"],
    [["sources"], 1, "there are no reports yet"],
    [["sources", "puppetfest.example"], 1, "no report about puppetfest.example"],
    [["advise", "brackwater.example", "--days", "0"], 2, "is not a whole number from 1 to 3660"],
  ])("%j is one sentence", async (argv, exit, sentence) => {
    const ran = await zandrel(brackwater(), ["dmarc", ...argv]);
    expect([ran.exit, ran.out, ran.err]).toEqual([exit, "", expect.stringContaining(sentence)]);
  });

  test("a disk that is full in the middle loses nothing, and halves no report", async () => {
    const here = brackwater();
    mkdirSync(join(here, "many"));
    // Each with addresses of its own, so that the file has to grow.
    const rows = (i: number) =>
      Array.from({ length: 400 }, (_, n) => ROW.replace("198.51.100.70", `10.${i}.${n >> 8}.${n & 255}`)).join("");
    const ROW = /<record>.*<\/record>/.exec(REPORT)?.[0] as string;
    for (let i = 0; i < 30; i++)
      writeFileSync(
        join(here, "many", `${i}.xml`),
        report(`r${i}`, (text) => text.replace(ROW, rows(i))),
      );
    const whole = 30 * 400 * 5;
    const import_ = ["dmarc", "import", "many", "--json"];
    // The limit on a file's size stands for the disk: writing beyond it fails.
    const limited = await execa(
      "bash",
      ["-c", 'trap "" XFSZ; ulimit -f 1000; exec "$0" "$@"', process.execPath, PROGRAM, ...import_],
      {
        cwd: here,
        reject: false,
        env: { NO_COLOR: "1" },
      },
    );
    expect([limited.exitCode, limited.stderr]).toEqual([2, ""]);
    expect(JSON.parse(limited.stdout).error).toMatchObject({
      code: "cannot-write",
      message: expect.stringMatching(/reports\.db cannot be written, because the disk is full; what was there is untouched/),
      remedy: "make room, then run the command again",
    });
    const again = await zandrel(here, import_);
    expect(again).toMatchObject({ exit: 0, err: "" });
    expect(again.json.known).toBeGreaterThan(0);
    expect(again.json.taken + again.json.known).toBe(30);
    // What the run that broke off took in is part of the story, too.
    const story = await zandrel(here, ["history", "--json"]);
    const told: { kind: string; detail: { reports: number } }[] = story.json.events;
    const taken = told.filter(({ kind }) => kind === "reports-taken").map(({ detail }) => detail.reports);
    expect([taken.length, taken.reduce((sum, reports) => sum + reports, 0)]).toEqual([2, 30]);
    const sources = await zandrel(here, ["dmarc", "sources", ...WORLD, "--days", "90", "--json"]);
    expect(sources.json.sources.reduce((sum: number, one: { messages: number }) => sum + one.messages, 0)).toBe(whole);
  });
});

describe("dmarc sources and advise", () => {
  test("services are recognised, and why they are not proven", async () => {
    const here = brackwater();
    await zandrel(here, ["dmarc", "import", "reports"]);
    const ran = await zandrel(here, ["dmarc", "sources", ...WORLD, "--json"]);
    expect([
      ran.exit,
      ran.json.sources.map((one: { title: string; service: string | null; messages: number; aligned: number }) => [
        one.title,
        one.service,
        one.messages,
        one.aligned,
      ]),
    ]).toEqual([
      1,
      [
        ["Heronpost", "heronpost", 6350, 6350],
        ["Swiftquill", "swiftquill", 2366, 0],
        ["Inglemail", "inglemail", 1223, 1223],
        ["cheap-seats.test", null, 182, 0],
        ["lists.puppetfest.example", null, 53, 0],
      ],
    ]);
    const advice = await zandrel(here, ["dmarc", "advise", ...WORLD, "--json"]);
    expect([
      advice.exit,
      advice.json.policy,
      advice.json.repairs.map((one: { source: string; reason: string }) => [one.source, one.reason]),
    ]).toEqual([
      1,
      "quarantine",
      [
        ["Swiftquill", "wrong-signer"],
        ["Inglemail", "spf-only"],
      ],
    ]);
    expect(advice.json.steps).toMatchObject([{ policy: "reject", safe: false }]);
    // The composer knows what the reports say.
    const composed = await zandrel(here, [
      "dmarc",
      "compose",
      "brackwater.example",
      "--policy",
      "reject",
      "--reports-to",
      "d@brackwater.example",
      ...WORLD,
      "--json",
    ]);
    expect(composed.json.obstacles).toMatchObject([
      { kind: "strict-too-soon", because: expect.stringContaining("mail of one's own") },
    ]);
  });
  test("what receivers did is kept with each week", async () => {
    const here = brackwater();
    const done = (id: string, disposition: string, begin: number) =>
      report(id, (text) =>
        text
          .replace("<disposition>none", `<disposition>${disposition}`)
          .replace("1772323200", String(begin))
          .replace("1772409599", String(begin + 86_399)),
      );
    mkdirSync(join(here, "three"));
    for (const [i, disposition] of ["none", "quarantine", "reject"].entries())
      writeFileSync(join(here, "three", `${i}.xml`), done(`d${i}`, disposition, 1_772_323_200 - i * 7 * 86_400));
    await zandrel(here, ["dmarc", "import", "three"]);
    const [source] = (await zandrel(here, ["dmarc", "sources", ...WORLD, "--json"])).json.sources;
    expect(source.dispositions).toEqual({ none: 5, quarantine: 5, reject: 5 });
    expect(source.weeks.map((week: { messages: number }) => week.messages)).toEqual([5, 5, 5]);
    // The window is what was looked at: it begins with the first report in it, and counts only those.
    const window = async (days: string) => {
      const { json } = await zandrel(here, ["dmarc", "sources", ...WORLD, "--days", days, "--json"]);
      return [json.from, json.to, json.reports];
    };
    expect(await window("90")).toEqual(["2026-02-15", "2026-03-01", 3]);
    expect(await window("10")).toEqual(["2026-02-22", "2026-03-01", 2]);
    const advice = await zandrel(here, ["dmarc", "advise", ...WORLD, "--json"]);
    expect(advice.json.done).toEqual({ quarantine: 5, reject: 5 });
    expect((await zandrel(here, ["dmarc", "advise", ...WORLD])).out).toMatch(
      /put 5\s+messages\s+into\s+the\s+junk\s+folder\s+and\s+refused\s+5\s+messages/,
    );
  });

  test("an unknown sender among a service's addresses is to be explained before a step is called safe", async () => {
    const here = brackwater();
    mkdirSync(join(here, "days"));
    for (let day = 0; day < 14; day++)
      writeFileSync(
        join(here, "days", `${day}.xml`),
        report(String(day), (text) =>
          text
            .replace("1772323200", String(1_772_323_200 - day * 86_400))
            .replace(
              /<record>[\s\S]*<\/record>/,
              (own) =>
                `${own}${own.replace("198.51.100.70", "198.51.100.20").replaceAll("<dkim>pass</dkim><spf>pass</spf>", "<dkim>fail</dkim><spf>fail</spf>")}`,
            ),
        ),
      );
    await zandrel(here, ["dmarc", "import", "days"]);
    const advice = await zandrel(here, ["dmarc", "advise", ...WORLD]);
    expect([advice.exit, advice.out]).toEqual([3, expect.stringContaining("198.51.100.20 may be yours")]);
    const forced = advice.out.split("\n").find((line) => line.includes("--force")) ?? "";
    expect((await zandrel(here, [...forced.trim().split(" ").slice(1), ...WORLD])).exit).toBe(0);
    const sources = await zandrel(here, ["dmarc", "sources", ...WORLD]);
    expect(sources.out.replace(/\s+/g, " ")).toMatch(/198\.51\.100\.20 \(next to \w+'s addresses, but not one of them/);
  });

  test("who only stands in the SPF record counts as known, and is waited for", async () => {
    const here = brackwater();
    writeFileSync(join(here, "zandrel.yaml"), readFileSync(join(here, "zandrel.yaml"), "utf8").replace(/services:[\s\S]*/, ""));
    writeFileSync(join(here, "domains", "brackwater.example.yaml"), "domain: brackwater.example\n");
    await zandrel(here, ["dmarc", "import", "reports"]);
    const { sources } = (await zandrel(here, ["dmarc", "sources", ...WORLD, "--json"])).json;
    const known = sources.filter((one: { ours: boolean }) => one.ours).map((one: { title: string }) => one.title);
    expect(known).toContain("heronpost.example");
    expect((await zandrel(here, ["dmarc", "sources", ...WORLD])).out).toContain("heronpost.example (in your SPF record)");
    expect(sources.find((one: { title: string }) => one.title === "heronpost.example")).toMatchObject({ service: null });
    // Without the services' own zones nobody can say whose addresses these are: no step is called safe then.
    const advice = await zandrel(here, ["dmarc", "advise", "--zone-file", "authenticated.zone", "--json"]);
    expect([advice.exit, advice.json.steps[0].safe]).toEqual([3, null]);
    expect(advice.json.steps[0].because).toMatch(/spf\.(inglemail|heronpost)\.example.* could not be looked up/);
  });

  test("once every service is proven, the next step is safe, and the composer agrees", async () => {
    const here = brackwater();
    for (const file of readdirSync(join(here, "reports")))
      if (file.endsWith(".zip")) writeFileSync(join(here, "reports", file), "");
    mkdirSync(join(here, "proven"));
    for (let day = 0; day < 14; day++)
      writeFileSync(
        join(here, "proven", `${day}.xml`),
        report(String(day), (text) => text.replace("1772323200", String(1_772_323_200 - day * 86_400))),
      );
    await zandrel(here, ["dmarc", "import", "proven"]);
    const advice = await zandrel(here, ["dmarc", "advise", ...WORLD]);
    expect([advice.exit, advice.out]).toEqual([0, expect.stringContaining("p=reject: safe now")]);
    const composed = await zandrel(here, [
      "dmarc",
      "compose",
      "brackwater.example",
      "--policy",
      "reject",
      "--reports-to",
      "d@brackwater.example",
      ...WORLD,
      "--json",
    ]);
    expect([composed.exit, composed.json.obstacles]).toEqual([0, []]);
  });
  test("a page with charts: whole in itself, without script, nothing from outside raw in it", async () => {
    const here = brackwater();
    writeFileSync(
      join(here, "evil.xml"),
      report("evil", (text) =>
        text
          .replace(
            "</identifiers>",
            "</identifiers><auth_results><spf><domain>evil.test</domain><result>pass</result></spf></auth_results>",
          )
          .replace("198.51.100.70", "203.0.113.9")
          .replaceAll("<dkim>pass</dkim><spf>pass</spf>", "<dkim>fail</dkim><spf>fail</spf>"),
      ),
    );
    await zandrel(here, ["dmarc", "import", "reports", "evil.xml"]);
    expect((await zandrel(here, ["dmarc", "sources", ...WORLD, "--html", "page.html"])).out).toContain("page.html");
    const page = readFileSync(join(here, "page.html"), "utf8");
    expect(page.match(/<svg/g)).toHaveLength(3);
    expect(page).not.toMatch(/<script|<link|<img|@import|url\((?!#)/);
    for (const title of ["Heronpost", "Swiftquill", "unknown: evil.test", "10,174"])
      expect(page).toContain(title === "10,174" ? "10,179" : title);
  });
});

/** A report about a single message, as a receiver mails it. */
const failureMail = ({
  id = "a1",
  ip = "198.51.100.70",
  check = "bodyhash",
  domain = "brackwater.example",
  type = "auth-failure",
  result = "spam",
  original = undefined as string | undefined,
  originalType = "message/rfc822",
} = {}): string =>
  `From: failures@mallowmail.example\r\nTo: failures@brackwater.example\r\nSubject: FW: a message\r\nMessage-ID: <${id}@mallowmail.example>\r\nDate: Mon, 2 Mar 2026 10:00:00 +0000\r\nMIME-Version: 1.0\r\nContent-Type: multipart/report; report-type=feedback-report; boundary="f"\r\n\r\n--f\r\nContent-Type: text/plain\r\n\r\nNot proven.\r\n--f\r\nContent-Type: message/feedback-report\r\n\r\nFeedback-Type: ${type}\r\nUser-Agent: m/1\r\nVersion: 1\r\nOriginal-Mail-From: <ada.wren@${domain}>\r\nArrival-Date: Mon, 2 Mar 2026 09:00:00 +0000\r\nSource-IP: ${ip}\r\nReported-Domain: ${domain}\r\nAuth-Failure: ${check}\r\nDelivery-Result: ${result}\r\nDKIM-Domain: ${domain}\r\nDKIM-Selector: hpa\r\nDKIM-Canonicalized-Header: ${Buffer.from(`from:Ada Wren <ada.wren@${domain}>\r\nsubject:Row nine\r\ncontent-type:text/plain\r\n`).toString("base64")}\r\n\r\n--f\r\nContent-Type: ${originalType}\r\n\r\n${original ?? `From: Ada Wren <ada.wren@${domain}>\r\nTo: guest.nine@mallowmail.example\r\nSubject: Row nine [list]\r\nContent-Type: text/html\r\nMessage-ID: <${id}@${domain}>\r\n\r\n<p>Curtain up, Ada.</p>\r\n`}\r\n--f--\r\n`;

describe("reports about single messages", () => {
  const kept = (here: string): string =>
    readdirSync(here, { recursive: true })
      .map(String)
      .filter((file) => /reports\.db/.test(file))
      .map((file) => readFileSync(join(here, file), "latin1"))
      .join("");

  test("told apart by what is in them, wherever they are and whatever they are called; each counts once", async () => {
    const here = brackwater();
    const box = join(here, "inbox");
    mkdirSync(join(box, "maildir", "new"), { recursive: true });
    writeFileSync(join(box, "report.xml"), failureMail({ id: "1" }));
    writeFileSync(join(box, "b.gz"), gzipSync(failureMail({ id: "2" })));
    writeFileSync(
      join(box, "c.zip"),
      zips([
        ["daily.eml", Buffer.from(mail(gzipSync(report("zipped"))))],
        ["x.dat", Buffer.from(failureMail({ id: "3", originalType: "text/rfc822-headers" }))],
        ["r.xml", Buffer.from(report("plain"))],
      ]),
    );
    writeFileSync(
      join(box, "d.mbox"),
      ["4", "5"].map((id) => `From x Mon Mar  2 09:00:00 2026\n${failureMail({ id })}\n`).join(""),
    );
    writeFileSync(join(box, "maildir", "new", "1.m"), failureMail({ id: "6" }));
    writeFileSync(join(box, "maildir", "new", "2.m"), failureMail({ id: "6" }));
    writeFileSync(join(box, "e.eml"), failureMail({ id: "7", type: "abuse" }));
    writeFileSync(join(box, "f.eml"), failureMail({ id: "8", domain: "cheap-seats.example" }));
    writeFileSync(join(box, "g.eml"), failureMail({ id: "9", original: "" }));
    writeFileSync(join(box, "h.eml"), failureMail({ id: "10", original: "<html><p>no message</p></html>" }).slice(0, 1250));
    const ran = await zandrel(here, ["dmarc", "import", "inbox", "--json"]);
    expect(ran.json).toMatchObject({ taken: 2, known: 1, failures: 8, messages: 10 });
    expect(ran.json.setAside.map((one: { file: string; reason: string }) => `${one.file} ${one.reason}`)).toEqual([
      "e.eml other-feedback",
      "f.eml other-domain",
    ]);
    expect((await zandrel(here, ["dmarc", "import", "inbox", "--json"])).json).toMatchObject({ taken: 0, failures: 0 });
  });

  test("nobody's address, subject or text is kept, unless addresses and subjects are asked for", async () => {
    const here = brackwater();
    writeFileSync(join(here, "f.eml"), failureMail());
    await zandrel(here, ["dmarc", "import", "f.eml"]);
    expect(kept(here)).toContain("brackwater.example");
    expect(kept(here)).not.toMatch(/ada\.wren|Ada Wren|guest\.nine|Row nine|Curtain/);
    const other = brackwater();
    writeFileSync(join(other, "f.eml"), failureMail());
    await zandrel(other, ["dmarc", "import", "f.eml", "--keep-personal"]);
    expect(kept(other)).toMatch(/ada\.wren@brackwater\.example/);
    expect(kept(other)).not.toMatch(/guest\.nine|Curtain/);
    const shown = await zandrel(other, ["dmarc", "failures", "brackwater.example", ...WORLD]);
    expect(shown.out).toContain("ada.wren@brackwater.example  “Row nine [list]”");
    expect(shown.out).toContain("subject was “Row nine” when it was signed and came as “Row nine [list]”");
  });

  test("sums and single cases, joined to who sends as the domain by the daily reports", async () => {
    const here = brackwater();
    expect((await zandrel(here, ["dmarc", "failures"])).exit).toBe(1);
    await zandrel(here, ["dmarc", "import", "reports"]);
    const none = await zandrel(here, ["dmarc", "failures", "brackwater.example"]);
    expect([none.exit, none.err]).toEqual([1, expect.stringContaining("there is no report about a single message")]);
    const sources = (await zandrel(here, ["dmarc", "sources", "brackwater.example", ...WORLD, "--json"])).json.sources;
    const own = sources.find((one: { ours: boolean; blocks: string[] }) => one.ours && one.blocks.length > 0);
    const ip = own.blocks[0].split("/")[0];
    for (const [i, text] of [
      failureMail({ id: "1", ip }),
      failureMail({ id: "2", ip, check: "signature" }),
      failureMail({ id: "3", ip: "203.0.113.99", check: "spf", result: "reject" }),
    ].entries())
      writeFileSync(join(here, `${i}.eml`), text);
    await zandrel(here, ["dmarc", "import", "0.eml", "1.eml", "2.eml"]);
    const { json } = await zandrel(here, ["dmarc", "failures", "brackwater.example", ...WORLD, "--json", "--cases", "2"]);
    expect(json).toMatchObject({ domain: "brackwater.example.", messages: 3, receivers: ["mallowmail.example"], more: 1 });
    expect(
      json.sums.map((one: { source: string | null; failure: string; refused: number }) => [one.source, one.failure, one.refused]),
    ).toEqual([
      [own.title, "bodyhash", 1],
      [own.title, "signature", 1],
      ["cheap-seats.test", "spf", 1],
    ]);
    expect(json.sums[0].fields).toEqual(["subject", "content-type"]);
    expect(json.cases).toHaveLength(2);
    const text = await zandrel(here, ["dmarc", "failures", "brackwater.example", ...WORLD]);
    expect(text.out).toContain("Heronpost sends for you");
    expect(text.out.replace(/\s+/g, " ")).toContain("content-type was “text/plain” when it was signed and came as “text/html”");
    expect(text.out).toMatch(/Next: zandrel audit brackwater\.example/);
  });

  test("ten thousand of them are taken in one go, and again counted once", async () => {
    const here = brackwater();
    const many = Array.from({ length: 10_000 }, (_, i) => `From x Mon Mar  2 09:00:00 2026\n${failureMail({ id: `n${i}` })}\n`);
    writeFileSync(join(here, "many.mbox"), many.join(""));
    expect((await zandrel(here, ["dmarc", "import", "many.mbox", "--json"])).json).toMatchObject({ failures: 10_000, known: 0 });
    const { json } = await zandrel(here, [
      "dmarc",
      "failures",
      "brackwater.example",
      "--json",
      "--zone-file",
      "authenticated.zone",
    ]);
    expect(json).toMatchObject({ messages: 10_000, more: 9995 });
  });
});
