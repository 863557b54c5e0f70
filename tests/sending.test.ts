import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, renameSync, statSync, writeFileSync } from "node:fs";
import { connect, createServer } from "node:net";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { execa } from "execa";
import { name } from "../src/core/name/index.ts";
import { startLab } from "../src/lab/index.ts";
import { ADDRESSES } from "../src/lab/zones.ts";
import { folderWith, freePort, PROGRAM, zandrel } from "./zandrel.ts";

/** Sending through the services of the lab, through the built program, in its order; each test goes on from the one before. */
type Lab = Awaited<ReturnType<typeof startLab>>;
let lab: Lab;
let folder: string;
const run = (argv: readonly string[], input = "", env: Record<string, string> = {}) =>
  zandrel(folder, argv, { env: { ...lab.env, ...env }, input });

const HOUR = 3_600_000;
const box = (address: string): string => join(lab.mailboxes, address);
/** The messages of a Maildir, as texts. */
const mailIn = (address: string): string[] => {
  const folder = join(box(address), "new");
  return existsSync(folder) ? readdirSync(folder).map((file) => readFileSync(join(folder, file), "latin1")) : [];
};

beforeAll(async () => {
  lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), port: 0 });
  folder = folderWith({ "lab.yaml": lab.settings });
  cpSync(new URL("../demo/brackwater/kits", import.meta.url).pathname, join(folder, "kits"), { recursive: true });
  await run(["init", "brackwater.example", "--dns-host", "nettlehost", "--settings", "lab.yaml"]);
  await run(["init", "brackwater-tickets.example", "--role", "sending", "--dns-host", "nettlehost"]);
});
afterAll(() => lab.close());

const NEWS = "news@brackwater.example";
const PROBE = "probe@mallowmail.example";
const send = (more: readonly string[] = []) =>
  run([
    "message",
    "send",
    "--service",
    "heronpost",
    "--from",
    NEWS,
    "--to",
    PROBE,
    "--copy",
    box(PROBE),
    "--for",
    "6h",
    "--json",
    ...more,
  ]);

describe("a newsletter service, from nothing to ready", () => {
  test("before its asks are settled nothing is sent, and what is missing is named", async () => {
    const taken = await run(["intake", "--kit", "heronpost", "--domain", "brackwater.example", "--input", "account=brackwater"]);
    expect(taken).toMatchObject({ exit: 0, err: "" });
    const refused = await send();
    expect([refused.exit, refused.json.sent.verdict, refused.json.ready]).toEqual([1, "not-sent", false]);
    expect(refused.json.missing.map((one: { what: string; state: string }) => `${one.what} ${one.state}`)).toEqual([
      "heronpost-sending noted",
      "heronpost-bounce noted",
      "heronpost-tracking noted",
      "brackwater.example missing",
      `${NEWS} missing`,
    ]);
    expect(mailIn(PROBE)).toEqual([]);
  });

  test.each<[readonly string[], RegExp]>([
    [["--from", "news"], /“news” is not a mail address/],
    [["--to", "a b@mallowmail.example"], /is not a mail address/],
    [["--service", "heronpst"], /did you mean heronpost/],
    [["--service", ""], /--service has an empty value/],
    [["--unsubscribe", "http://brackwater.example/leave", "--force"], /--unsubscribe is not an https address/],
    [["--text", "nowhere.txt", "--force"], /nowhere\.txt is not there/],
    [["--mail-from", "x", "--force"], /“x” is not a mail address/],
    [["--sign", "k9", "--force"], /k9\.pem is not there/],
    [["--for", "soon"], /--for “soon” is not a span of time/],
    [["--follow", "HP-0"], /no message “HP-0” was sent from this workspace/],
  ])("message send %j is one sentence", async (more, expected) => {
    const usual = ["--service", "heronpost", "--from", NEWS, "--to", PROBE];
    const others = usual.filter((_, i) => !more.includes(usual[i - (i % 2)] as string));
    expect(await run(["message", "send", ...others, ...more])).toMatchObject({
      exit: 2,
      out: "",
      err: expect.stringMatching(expected),
    });
  });

  test("a sender of a domain nobody looks after, and of a subdomain", async () => {
    const from = (address: string) =>
      run(["message", "send", "--service", "heronpost", "--from", address, "--to", PROBE, "--json"]);
    expect((await from("news@elsewhere.example")).json.missing[0]).toMatchObject({
      what: "elsewhere.example",
      next: "zandrel init elsewhere.example",
    });
    expect((await from("news@sub.brackwater.example")).json.missing.map((one: { what: string }) => one.what)).toContain(
      "heronpost-sending",
    );
  });

  test("the service is not asked to look before the records are settled", async () => {
    const early = await run(["sender", "domain", "heronpost", "brackwater.example", "--json"]);
    expect([early.exit, early.json.state, early.json.missing.length]).toEqual([1, "unknown", 3]);
    expect(await run(["publish", "brackwater.example"])).toMatchObject({ exit: 0, err: "" });
    lab.clock.leap(2 * HOUR);
    const accepted = await run(["sender", "domain", "heronpost", "brackwater.example", "--json"]);
    expect([accepted.exit, accepted.json.state]).toEqual([0, "accepted"]);
  });

  test("a sender address: asked for, pending, opened, confirmed", async () => {
    const asked = await run(["sender", "address", "heronpost", NEWS, "--json"]);
    expect([asked.exit, asked.json.state, asked.json.mailed]).toEqual([1, "pending", true]);
    const again = await run(["sender", "address", "heronpost", NEWS, "--json"]);
    expect([again.json.state, again.json.mailed]).toEqual(["pending", false]);
    const status = await run(["status", "brackwater.example", "--json"]);
    expect([status.exit, status.json.domains[0].senders]).toEqual([
      1,
      [
        { service: "heronpost", address: null, state: "accepted", next: "" },
        { service: "heronpost", address: NEWS, state: "pending", next: `zandrel sender address heronpost ${NEWS}` },
      ],
    ]);
    const [mail = "", ...more] = mailIn(NEWS);
    expect(more).toEqual([]);
    const link = /http:\S+\/open\/\S+/.exec(mail)?.[0] as string;
    expect(await (await fetch(link)).text()).toBe(`${NEWS} is confirmed.\n`);
    const confirmed = await run(["sender", "address", "heronpost", NEWS, "--json"]);
    expect([confirmed.exit, confirmed.json.state, confirmed.json.next]).toEqual([0, "confirmed", null]);
  });

  test("a link that was not opened in time has expired, and is mailed again on demand only", async () => {
    const address = ["sender", "address", "heronpost", "box@brackwater.example", "--json"];
    await run(address);
    const [old = ""] = mailIn("box@brackwater.example");
    lab.clock.leap(25 * HOUR);
    const late = await run(address);
    expect([late.exit, late.json.state, late.json.mailed]).toEqual([1, "expired", false]);
    expect((await fetch(/http:\S+\/open\/\S+/.exec(old)?.[0] as string)).status).toBe(410);
    const again = await run([...address, "--resend"]);
    expect([again.json.state, again.json.mailed]).toEqual(["pending", true]);
    expect(mailIn("box@brackwater.example")).toHaveLength(2);
  });

  test("a credential goes straight into a file for its owner, and is shown nowhere", async () => {
    const made = await run(["sender", "credential", "heronpost", "--new", "mail", "--domain", "brackwater.example"]);
    expect(made).toMatchObject({ exit: 0, err: "" });
    const path = join(folder, "keys/heronpost/brackwater.example.secret");
    expect(statSync(path).mode & 0o777).toBe(0o600);
    const secret = readFileSync(path, "utf8").trim();
    expect(secret.length).toBeGreaterThan(16);
    const listed = await run(["sender", "credential", "heronpost", "--json"]);
    expect(listed.json.credentials).toMatchObject([
      { scope: "mail", domain: "brackwater.example.", kept: "file:keys/heronpost/brackwater.example.secret" },
    ]);
    for (const text of [made.out, made.err, listed.out, readFileSync(join(folder, ".zandrel/journal.db"), "latin1")])
      expect(text).not.toContain(secret);
    const twice = await run(["sender", "credential", "heronpost", "--new", "mail", "--domain", "brackwater.example"]);
    expect(twice).toMatchObject({ exit: 2, err: expect.stringContaining("already exists, and a secret is never overwritten") });
    expect((await run(["sender", "credential", "heronpost", "--json"])).json.credentials).toHaveLength(1);
  });

  test("a service that does not make one leaves no file behind; what cannot go together is said", async () => {
    const other = ["sender", "credential", "heronpost", "--new", "mail", "--all-domains"];
    const refused = await run(other, "", { SERVICE_KEY: "wrong" });
    expect(refused).toMatchObject({
      exit: 1,
      out: "",
      err: expect.stringMatching(/did not make a credential: it does not accept the key/),
    });
    expect(existsSync(join(folder, "keys/heronpost/every-domain.secret"))).toBe(false);
    for (const [argv, expected] of [
      [[...other, "--domain", "brackwater.example"], /not clear what the credential is good for/],
      [[...other, "--keep"], /three different things/],
      [[...other, "--secret-file", "a", "--environment", "b"], /two places/],
      [[...other, "--environment", "b", "--as", "1X"], /cannot be the name of an environment variable/],
      [["sender", "credential", "heronpst"], /did you mean heronpost/],
      [["sender", "credential", "seekmere", "--new", "mail", "--all-domains"], /does not offer credentials over its link/],
      [["sender", "credential", "heronpost", "--end", "nobody"], /did not end the credential nobody: it knows no such thing/],
    ] as const) {
      const wrong = await run(argv);
      expect(wrong).toMatchObject({ out: "", err: expect.stringMatching(expected) });
      expect([1, 2]).toContain(wrong.exit);
    }
  });

  test("the settings are shown, and checked by connecting and logging in", async () => {
    const shown = await run(["sender", "settings", "heronpost", "--domain", "brackwater.example", "--json"]);
    expect(shown.json).toMatchObject({
      host: "submit.heronpost.example",
      tls: "starttls",
      user: "brackwater-theatre",
      check: null,
    });
    const works = await run(["sender", "settings", "heronpost", "--domain", "brackwater.example", "--check", "--json"]);
    expect([works.exit, works.json.check.verdict]).toEqual([0, "works"]);
  });

  test("over SMTP: followed to the inbox, judged, ready", async () => {
    const sent = await send();
    expect(sent.json).toMatchObject({
      via: "smtp",
      sent: { verdict: "accepted" },
      disposition: { state: "arrived", final: true, status: "2.0.0" },
      received: { dmarc: { result: "pass" }, dkim: [{ result: "pass", domain: "brackwater.example." }], spf: { result: "pass" } },
      ready: true,
    });
    expect(sent.exit).toBe(0);
    expect(sent.json.tracking).toMatch(/^HP-/);
    expect(sent.json.received.bulk.filter((one: { met: boolean }) => !one.met)).toEqual([]);
    const followed = await run([
      "message",
      "send",
      "--follow",
      sent.json.tracking,
      "--copy",
      box(PROBE),
      "--for",
      "6h",
      "--json",
    ]);
    expect([followed.exit, followed.json.messageId, followed.json.ready]).toEqual([0, sent.json.messageId, true]);
    expect(mailIn(PROBE)).toHaveLength(1);
  });

  test("proven, but in the junk folder: not ready, and it says where", async () => {
    const to = "picky@mallowmail.example";
    const sent = await run(["message", "send", "--service", "heronpost", "--from", NEWS, "--to", to, "--for", "6h", "--json"]);
    expect([sent.exit, sent.json.because]).toEqual([3, expect.stringContaining("nobody has looked at what arrived")]);
    mkdirSync(join(box(to), ".Junk/new"), { recursive: true });
    for (const file of readdirSync(join(box(to), "new")))
      renameSync(join(box(to), "new", file), join(box(to), ".Junk/new", file));
    const followed = await run(["message", "send", "--follow", sent.json.tracking, "--copy", box(to), "--json"]);
    expect([followed.exit, followed.json.folder, followed.json.ready]).toEqual([1, "Junk", false]);
    expect(followed.json.because).toBe("the message is proven yours, but it arrived in the folder Junk, not in the inbox");
  });

  test("over the link, with the sending credential", async () => {
    const sent = await send(["--via", "link"]);
    expect([sent.exit, sent.json.via, sent.json.ready]).toEqual([0, "link", true]);
  });

  test.each<[string, string, object]>([
    ["nobody@mallowmail.example", "returned", { status: "5.1.1", meaning: expect.stringContaining("no such mailbox") }],
    ["grumbler@mallowmail.example", "reported", {}],
  ])("a message to %s is %s", async (to, state, more) => {
    const sent = await run([
      "message",
      "send",
      "--service",
      "heronpost",
      "--from",
      NEWS,
      "--to",
      to,
      "--for",
      "2h",
      "--copy",
      box(to),
      "--json",
    ]);
    const end =
      sent.json.disposition.state === "arrived" ? await run(["message", "send", "--follow", sent.json.tracking, "--json"]) : sent;
    expect(end.json.disposition).toMatchObject({ state, final: true, ...more });
    expect([end.exit, end.json.ready]).toEqual([1, false]);
  });

  test("mail for a full mailbox waits, which is not the end", async () => {
    const sent = await run([
      "message",
      "send",
      "--service",
      "heronpost",
      "--from",
      NEWS,
      "--to",
      "full@mallowmail.example",
      "--for",
      "1h",
      "--json",
    ]);
    expect([sent.exit, sent.json.ready]).toEqual([3, null]);
    expect(sent.json.disposition).toMatchObject({ state: "waiting", final: false, status: "4.2.2" });
  });
});

test("an answer that gets lost: the service is asked whether it has the message all the same", async () => {
  const file = join(folder, "zandrel.yaml");
  const before = readFileSync(file, "utf8");
  const { host, port } = (await run(["sender", "settings", "heronpost", "--json"])).json;
  // Hands everything on, until the client has said as much as a whole message takes.
  const proxy = createServer((client) => {
    const server = connect(port, ADDRESSES.heronpost);
    let said = 0;
    client.on("data", (chunk) => {
      said += chunk.length;
      server.write(chunk);
    });
    server.on("data", (chunk) => said < 1500 && client.write(chunk));
    for (const socket of [client, server]) socket.on("error", () => {});
    client.on("close", () => server.destroy());
  });
  const at = await freePort();
  await new Promise<void>((resolve) => proxy.listen(at, ADDRESSES.heronpost, resolve));
  const submission = `{ host: ${host}, port: ${at}, tls: starttls, user: brackwater-theatre, password: file:keys/heronpost/brackwater.example.secret }`;
  writeFileSync(file, before.replace("    title: Heronpost\n", `    title: Heronpost\n    submission: ${submission}\n`));
  const arrived = mailIn(PROBE).length;
  const sent = await send(["--timeout", "2"]);
  writeFileSync(file, before);
  proxy.close();
  expect(sent.json.sent).toEqual({
    verdict: "accepted",
    because: expect.stringMatching(/did not answer within 2 s; the service has it all the same/),
  });
  expect([sent.exit, sent.json.ready, mailIn(PROBE).length]).toEqual([0, true, arrived + 1]);
  const followed = await run(["message", "send", "--follow", sent.json.messageId, "--copy", box(PROBE), "--for", "6h", "--json"]);
  expect([followed.exit, followed.json.sent.verdict, followed.json.ready]).toEqual([0, "unknown", true]);
});

describe("ticket mail: a token, keys as texts, scoped keys, events", () => {
  const TICKETS = "box@brackwater-tickets.example";
  const sendTicket = (to: string, more: readonly string[] = []) =>
    run(["message", "send", "--service", "swiftquill", "--from", TICKETS, "--to", to, "--json", ...more]);
  let port: number;
  let receiver: ReturnType<typeof receiving>;
  const receiving = () =>
    execa(process.execPath, [PROGRAM, "sender", "events", "swiftquill", "--listen", `127.0.0.1:${port}`], {
      cwd: folder,
      reject: false,
      env: lab.env as Record<string, string>,
    });
  const listen = async () => {
    receiver = receiving();
    await new Promise<void>((resolve) => receiver.stderr?.on("data", (text) => String(text).includes("Listening") && resolve()));
  };
  afterAll(() => {
    receiver?.kill("SIGKILL");
  });

  test("what the service shows is saved, published, and accepted", async () => {
    const token = /swiftquill-domain=(\S+)/.exec(lab.swiftquill.instructions("brackwater-tickets.example"))?.[1];
    const key = /p=(\S+)/.exec(await lab.swiftquill.page("brackwater-tickets.example"))?.[1];
    const inputs = ["--input", `token=${token}`, "--input", `key=${key}`];
    expect(await run(["intake", "--kit", "swiftquill", "--domain", "brackwater-tickets.example", ...inputs])).toMatchObject({
      exit: 0,
    });
    await run(["publish", "brackwater-tickets.example"]);
    lab.clock.leap(2 * HOUR);
    await run(["prove", "swiftquill-ownership"]);
    await run(["publish", "brackwater-tickets.example"]);
    lab.clock.leap(2 * HOUR);
    const accepted = await run(["sender", "domain", "swiftquill", "brackwater-tickets.example", "--json"]);
    expect([accepted.exit, accepted.json.state, accepted.json.missing]).toEqual([0, "accepted", []]);
  });

  test("a credential in an application's environment file, whose other lines stay", async () => {
    writeFileSync(join(folder, "shop.env"), "SHOP=brackwater\nMAIL_PASSWORD=old\nDEBUG=0\n");
    const make = (...more: string[]) =>
      run([
        ...["sender", "credential", "swiftquill", "--new", "mail", "--domain", "brackwater-tickets.example"],
        ...["--environment", "shop.env", "--as", "MAIL_PASSWORD", ...more],
      ]);
    expect(await make()).toMatchObject({
      exit: 2,
      out: "",
      err: expect.stringContaining("already has a value for MAIL_PASSWORD"),
    });
    expect(readFileSync(join(folder, "shop.env"), "utf8")).toContain("MAIL_PASSWORD=old\n");
    const made = await make("--with-settings", "--force");
    expect(made).toMatchObject({ exit: 0, err: "", out: expect.stringContaining("added to .gitignore") });
    const text = readFileSync(join(folder, "shop.env"), "utf8");
    expect(text).toMatch(
      /^SHOP=brackwater\nMAIL_PASSWORD='[^']{16,}'\nDEBUG=0\nMAIL_HOST='[\w.]+'\nMAIL_PORT='\d+'\nMAIL_TLS='\w+'\nMAIL_USER='[^']+'\n$/,
    );
    expect(readFileSync(join(folder, ".gitignore"), "utf8")).toMatch(/^\/shop\.env$/m);
    expect(statSync(join(folder, "shop.env")).mode & 0o777).toBe(0o600);
    const unset = await sendTicket(PROBE);
    expect(unset.exit).toBe(2);
    expect(unset.json.error).toMatchObject({ code: "variable-not-set", at: "MAIL_PASSWORD" });
  });

  test("it sends only what it is for", async () => {
    const MAIL_PASSWORD = /'([^']+)'/.exec(readFileSync(join(folder, "shop.env"), "utf8"))?.[1] as string;
    const wrong = await run(
      ["message", "send", "--service", "swiftquill", "--from", NEWS, "--to", PROBE, "--force", "--via", "smtp", "--json"],
      "",
      { MAIL_PASSWORD },
    );
    expect(wrong).toMatchObject({ exit: 2, json: { error: { code: "no-credential" } } });
    const sent = await run(
      [
        "message",
        "send",
        "--service",
        "swiftquill",
        "--from",
        TICKETS,
        "--to",
        PROBE,
        "--copy",
        box(PROBE),
        "--for",
        "6h",
        "--json",
      ],
      "",
      { MAIL_PASSWORD },
    );
    expect([sent.exit, sent.json.ready]).toEqual([0, true]);
    expect(sent.json.received.spf).toMatchObject({ result: "pass", domain: "mail.brackwater-tickets.example." });
    const settings = join(folder, "zandrel.yaml");
    const before = readFileSync(settings, "utf8");
    writeFileSync(
      settings,
      `${before}guard:\n  ways:\n    - { way: mail, service: swiftquill, from: "${TICKETS}", to: ["${PROBE}"] }\n`,
    );
    const guard = () => run(["guard", "brackwater-tickets.example", "--once", "--json"], "", { MAIL_PASSWORD });
    expect((await guard()).json.told).toEqual([]);
    const apex = name("brackwater-tickets.example");
    lab.nettlehost.remove(apex, name("mail.brackwater-tickets.example"), "TXT");
    lab.clock.leap(2 * HOUR);
    const told = await guard();
    expect(told.json).toMatchObject({ notices: expect.any(Array), waiting: 0, told: [{ way: `mail to ${PROBE}`, told: true }] });
    expect(told.json.notices.length).toBeGreaterThan(0);
    await lab.swiftquill.quiet();
    const notice = mailIn(PROBE).find((text) => text.includes("not in order any more"));
    expect(notice).toMatch(/^Auto-Submitted: auto-generated\r?$/im);
    expect(notice).toMatch(/Next: zandrel/);
    await run(["publish", "brackwater-tickets.example"]);
    writeFileSync(settings, before);
    await run([
      "sender",
      "credential",
      "swiftquill",
      "--end",
      (await run(["sender", "credential", "swiftquill", "--json"])).json.credentials[0].id,
    ]);
    const revoked = await run(["sender", "settings", "swiftquill", "--check"], "", { MAIL_PASSWORD });
    expect(revoked).toMatchObject({ exit: 2, err: expect.stringContaining("there is no credential") });
  });

  test("events are subscribed to, received, and survive a kill -9", async () => {
    port = await freePort();
    await listen();
    const kinds = async () => (await run(["sender", "events", "--json"])).json.days[0]?.counts ?? {};
    const send = () =>
      lab.swiftquill.send(
        TICKETS,
        PROBE,
        Buffer.from(
          `From: ${TICKETS}\r\nTo: ${PROBE}\r\nMessage-ID: <${Math.random()}@brackwater-tickets.example>\r\nSubject: x\r\n\r\nx\r\n`,
        ),
      );
    const first = await send();
    await lab.swiftquill.quiet();
    await lab.swiftquill.pretend("shown", first);
    await lab.swiftquill.quiet();
    expect(await kinds()).toMatchObject({ arrived: 1, shown: 1, returned: 0 });
    receiver.kill("SIGKILL");
    await receiver;
    // Nobody listens; the service tells again and again.
    const second = send();
    await new Promise((resolve) => setTimeout(resolve, 150));
    await listen();
    await second;
    await lab.swiftquill.quiet();
    expect(await kinds()).toMatchObject({ arrived: 2, shown: 1, returned: 0 });
    receiver.kill("SIGTERM");
    const ended = await receiver;
    expect([ended.exitCode, ended.stderr]).toEqual([0, expect.stringContaining("1 event was received.")]);
    // One subscription, made once, and its secret in a file for its owner alone.
    const secrets = readdirSync(join(folder, "keys/swiftquill"));
    expect(secrets).toHaveLength(1);
    expect(statSync(join(folder, "keys/swiftquill", secrets[0] as string)).mode & 0o777).toBe(0o600);
  });
});

describe("mailboxes whose signing is a switch", () => {
  test("it stays off until the key is seen, and what is sent before is signed by somebody else", async () => {
    const early = await run(["sender", "domain", "inglemail", "brackwater.example", "--signing", "on"]);
    expect(early).toMatchObject({ exit: 1, err: expect.stringMatching(/signing can be turned on when the key is seen/) });
    await run(
      ["intake", "-", "--service", "inglemail", "--domain", "brackwater.example"],
      await lab.inglemail.page("brackwater.example"),
    );
    await run(["publish", "brackwater.example"]);
    lab.clock.leap(2 * HOUR);
    const seen = await run(["sender", "domain", "inglemail", "brackwater.example", "--json"]);
    expect([seen.exit, seen.json.state, seen.json.signing]).toEqual([1, "accepted", "off"]);
    const on = await run(["sender", "domain", "inglemail", "brackwater.example", "--signing", "on", "--json"]);
    expect([on.exit, on.json.signing, on.json.next]).toEqual([0, "on", null]);
  });
});

describe("a service without a link is kept by hand", () => {
  test("recorded with a note and a day, and used by every other command", async () => {
    const address = ["sender", "address", "pigeonry", "news@brackwater.example"];
    const file = join(folder, "zandrel.yaml");
    const before = readFileSync(file, "utf8");
    const { host = "", port = 0 } = (await run(["sender", "settings", "heronpost", "--json"])).json;
    const submission = `{ host: ${host}, port: ${port}, tls: starttls, user: brackwater-theatre, password: file:keys/heronpost/brackwater.example.secret }`;
    writeFileSync(
      file,
      before.replace("services:\n", `services:\n  pigeonry:\n    title: Pigeonry\n    submission: ${submission}\n`),
    );
    const unknown = await run([...address, "--json"]);
    expect([unknown.exit, unknown.json.state, unknown.json.next]).toEqual([
      1,
      "unknown",
      `zandrel ${address.join(" ")} --confirmed`,
    ]);
    expect(await run([...address, "--confirmed", "--on", "2099-01-01"])).toMatchObject({
      exit: 2,
      err: expect.stringContaining("is in the future"),
    });
    expect(await run([...address, "--confirmed", "--note", "green tick", "--on", "2026-03-01"])).toMatchObject({ exit: 0 });
    expect((await run([...address, "--json"])).json).toMatchObject({
      state: "confirmed",
      because: "you recorded it for 2026-03-01: green tick",
    });
    const sent = await run([
      "message",
      "send",
      "--service",
      "pigeonry",
      "--from",
      NEWS,
      "--to",
      PROBE,
      "--copy",
      box(PROBE),
      "--json",
    ]);
    expect(sent.json).toMatchObject({ via: "smtp", disposition: null, received: { dmarc: { result: "pass" } }, ready: true });
    expect(sent.exit).toBe(0);
    const unseen = await run([
      "message",
      "send",
      "--service",
      "pigeonry",
      "--from",
      NEWS,
      "--to",
      PROBE,
      "--for",
      "1s",
      "--json",
    ]);
    expect([unseen.exit, unseen.json.because]).toEqual([3, expect.stringContaining("nobody can say what became of it")]);
  });

  test("a secret that a page showed is kept from standard input", async () => {
    const kept = await run(
      ["sender", "credential", "pigeonry", "--keep", "--user", "theatre", "--domain", "brackwater.example"],
      "shown-once-by-a-page\n",
    );
    expect(kept).toMatchObject({ exit: 0, err: "" });
    expect(kept.out).not.toContain("shown-once");
    expect(readFileSync(join(folder, "keys/pigeonry/brackwater.example.secret"), "utf8")).toBe("shown-once-by-a-page\n");
    const [first] = (await run(["sender", "credential", "pigeonry", "--json"])).json.credentials;
    await run(["sender", "credential", "pigeonry", "--end", first.id]);
    const next = ["sender", "credential", "pigeonry", "--keep", "--user", "theatre", "--domain", "brackwater.example"];
    await run([...next, "--secret-file", "keys/pigeonry/next.secret"], "the-next-one\n");
    const left = (await run(["sender", "credential", "pigeonry", "--json"])).json.credentials;
    expect(left.map((one: { kept: string }) => one.kept)).toEqual(["file:keys/pigeonry/next.secret"]);
    const empty = await run(["sender", "credential", "pigeonry", "--keep", "--user", "theatre", "--all-domains"], "");
    expect(empty).toMatchObject({ exit: 2, err: expect.stringContaining("holds no secret") });
    expect(existsSync(join(folder, "keys/pigeonry/every-domain.secret"))).toBe(false);
  });
});

test("a service that keeps the contract, to the last request", async () => {
  const checked = await run(["sender", "link", "swiftquill", "--deep", "--json"]);
  expect(checked.json.checks.filter((one: { verdict: string }) => one.verdict !== "met")).toEqual([]);
  expect(checked.exit).toBe(0);
  expect(checked.json.checks.length).toBeGreaterThan(14);
});
