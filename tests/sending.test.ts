import { cpSync, existsSync, readdirSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { startLab } from "../src/lab/index.ts";
import { folderWith, freePort, zandrel } from "./zandrel.ts";

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
  lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), speed: 1000, port: await freePort() });
  folder = folderWith({ "lab.yaml": lab.settings });
  cpSync(new URL("../demo/brackwater/kits", import.meta.url).pathname, join(folder, "kits"), { recursive: true });
  await run(["init", "brackwater.example", "--host", "nettlehost", "--settings", "lab.yaml"]);
  await run(["init", "brackwater-tickets.example", "--role", "sending", "--host", "nettlehost"]);
});
afterAll(() => lab.close());

const NEWS = "news@brackwater.example";
const PROBE = "probe@mallowmail.example";
const send = (more: readonly string[] = []) =>
  run(["message", "send", "--service", "heronpost", "--from", NEWS, "--to", PROBE, "--received", box(PROBE), "--json", ...more]);

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
    const again = await run([...address, "--again"]);
    expect([again.json.state, again.json.mailed]).toEqual(["pending", true]);
    expect(mailIn("box@brackwater.example")).toHaveLength(2);
  });

  test("a credential goes straight into a file for its owner, and is shown nowhere", async () => {
    const made = await run(["sender", "credential", "heronpost", "--new", "sending", "--domain", "brackwater.example"]);
    expect(made).toMatchObject({ exit: 0, err: "" });
    const path = join(folder, "keys/heronpost/brackwater.example.secret");
    expect(statSync(path).mode & 0o777).toBe(0o600);
    const secret = readFileSync(path, "utf8").trim();
    expect(secret.length).toBeGreaterThan(16);
    const listed = await run(["sender", "credential", "heronpost", "--json"]);
    expect(listed.json.credentials).toMatchObject([
      { scope: "sending", domain: "brackwater.example.", kept: "file:keys/heronpost/brackwater.example.secret" },
    ]);
    for (const text of [made.out, made.err, listed.out, readFileSync(join(folder, ".zandrel/journal.db"), "latin1")])
      expect(text).not.toContain(secret);
    const twice = await run(["sender", "credential", "heronpost", "--new", "sending", "--domain", "brackwater.example"]);
    expect(twice).toMatchObject({ exit: 2, err: expect.stringContaining("is there already, and a secret is never overwritten") });
    expect((await run(["sender", "credential", "heronpost", "--json"])).json.credentials).toHaveLength(1);
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
      disposition: { state: "delivered", final: true, status: "2.0.0" },
      received: { dmarc: { result: "pass" }, dkim: [{ result: "pass", domain: "brackwater.example." }], spf: { result: "pass" } },
      ready: true,
    });
    expect(sent.exit).toBe(0);
    expect(sent.json.tracking).toMatch(/^HP-/);
    expect(sent.json.received.bulk.filter((one: { holds: boolean }) => !one.holds)).toEqual([]);
    const followed = await run(["message", "send", "--follow", sent.json.tracking, "--received", box(PROBE), "--json"]);
    expect([followed.exit, followed.json.messageId, followed.json.ready]).toEqual([0, sent.json.messageId, true]);
    expect(mailIn(PROBE)).toHaveLength(1);
  });

  test("over the link, with the sending credential", async () => {
    const sent = await send(["--via", "link"]);
    expect([sent.exit, sent.json.via, sent.json.ready]).toEqual([0, "link", true]);
  });

  test.each<[string, string, object]>([
    ["nobody@mallowmail.example", "bounced", { status: "5.1.1", meaning: expect.stringContaining("no such mailbox") }],
    ["grumbler@mallowmail.example", "complained", {}],
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
      "--received",
      box(to),
      "--json",
    ]);
    const end =
      sent.json.disposition.state === "delivered"
        ? await run(["message", "send", "--follow", sent.json.tracking, "--json"])
        : sent;
    expect(end.json.disposition).toMatchObject({ state, final: true, ...more });
    expect([end.exit, end.json.ready]).toEqual([1, false]);
  });

  test("a full mailbox is deferred, which is not the end", async () => {
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
      "20m",
      "--json",
    ]);
    expect([sent.exit, sent.json.ready]).toEqual([3, null]);
    expect(sent.json.disposition).toMatchObject({ state: "deferred", final: false, status: "4.2.2" });
  });
});

test("a service that keeps the contract, to the last request", async () => {
  const checked = await run(["sender", "link", "swiftquill", "--deep", "--json"]);
  expect(checked.json.checks.filter((one: { verdict: string }) => one.verdict !== "holds")).toEqual([]);
  expect(checked.exit).toBe(0);
  expect(checked.json.checks.length).toBeGreaterThan(14);
});
