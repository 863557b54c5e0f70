import { createServer, type Server, type Socket } from "node:net";
import { createSecureContext, TLSSocket } from "node:tls";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { type KeyPair, makeAuthority } from "../lab/certificates.ts";
import { composeMessage, type Submission, submitMessage, trySubmission } from "./mail.ts";

/** Servers that follow a script, so that they can stop, lie and drip where no real server would. */
let good: KeyPair;
let wrong: KeyPair;
let authority: string;
const servers: Server[] = [];
const sockets = new Set<Socket>();

beforeAll(async () => {
  const made = await makeAuthority();
  authority = made.pem;
  [good, wrong] = await Promise.all([made.leaf("submit.swiftquill.example"), made.leaf("parked.nettlehost.example")]);
});
afterAll(() => {
  for (const socket of sockets) socket.destroy();
  for (const server of servers) server.close();
});

/** A reply to a command; undefined is silence, `drip` sends an octet now and then. */
type Script = Partial<
  Record<"greeting" | "EHLO" | "STARTTLS" | "AUTH" | "MAIL" | "RCPT" | "DATA" | "message", string | undefined | "drip">
>;

const USUAL: Required<Script> = {
  greeting: "220 submit.swiftquill.example ESMTP",
  EHLO: "250-submit.swiftquill.example\r\n250-STARTTLS\r\n250 AUTH PLAIN",
  STARTTLS: "220 go ahead",
  AUTH: "235 2.7.0 welcome",
  MAIL: "250 2.1.0 ok",
  RCPT: "250 2.1.5 ok",
  DATA: "354 go ahead",
  message: "250 2.0.0 queued as SQ-77",
};

/** Starts a server; gives back its port, and what it was told. */
async function scripted(script: Script, pair = good): Promise<{ port: number; heard: string[] }> {
  const answers = { ...USUAL, ...script };
  const heard: string[] = [];
  const serve = (socket: Socket | TLSSocket, greet: boolean): void => {
    let inData = false;
    let waiting = "";
    const say = (reply: string | undefined): void => {
      if (reply === "drip") {
        const timer = setInterval(() => (socket.destroyed ? clearInterval(timer) : socket.write("2")), 40);
        socket.on("close", () => clearInterval(timer));
      } else if (reply !== undefined) socket.write(`${reply}\r\n`);
    };
    if (greet) say(answers.greeting);
    socket.on("error", () => {});
    const listen = (chunk: Buffer): void => {
      waiting += chunk.toString("latin1");
      for (let end = waiting.indexOf("\r\n"); end !== -1; end = waiting.indexOf("\r\n")) {
        const line = waiting.slice(0, end);
        waiting = waiting.slice(end + 2);
        heard.push(line);
        if (inData) {
          if (line !== ".") continue;
          inData = false;
          say(answers.message);
          continue;
        }
        const verb = line.split(" ")[0] as keyof Script | "QUIT";
        if (verb === "QUIT") return void socket.end("221 bye\r\n");
        if (verb === "DATA" && answers.DATA?.startsWith("354")) inData = true;
        say(answers[verb as keyof Script]);
        if (verb === "STARTTLS" && answers.STARTTLS?.startsWith("220")) {
          socket.off("data", listen);
          const secure = new TLSSocket(socket, { isServer: true, secureContext: createSecureContext(pair) });
          return serve(secure, false);
        }
      }
    };
    socket.on("data", listen);
  };
  const server = createServer((socket) => {
    sockets.add(socket);
    serve(socket, true);
  });
  servers.push(server);
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  return { port: (server.address() as { port: number }).port, heard };
}

const SECRET = "s3cret-of-nobody";
const to = (port: number, more: Partial<Submission> = {}): Submission => ({
  host: "submit.swiftquill.example",
  address: "127.0.0.1",
  port,
  tls: "starttls",
  login: { user: "brackwater-theatre", password: SECRET },
  helo: "zandrel.invalid",
  timeout: 20_000,
  certificates: authority,
  ...more,
});
const MESSAGE = Buffer.from("From: box@brackwater.example\r\nSubject: Tonight\r\n\r\n.All seats are taken.\r\n");
const send = (port: number, more: Partial<Submission> = {}) =>
  submitMessage(to(port, more), { from: "box@brackwater.example", to: "probe@mallowmail.example" }, MESSAGE);

describe("submitting a message (RFC 6409)", () => {
  test("over STARTTLS, logged in, octet by octet", async () => {
    const { port, heard } = await scripted({});
    expect(await send(port)).toEqual({ kind: "accepted", reply: "250 2.0.0 queued as SQ-77" });
    expect(heard.filter((line) => /^(MAIL|RCPT)/.test(line))).toEqual([
      "MAIL FROM:<box@brackwater.example>",
      "RCPT TO:<probe@mallowmail.example>",
    ]);
    const at = heard.indexOf("DATA");
    expect(heard.slice(at + 1, at + 6)).toEqual([
      "From: box@brackwater.example",
      "Subject: Tonight",
      "",
      "..All seats are taken.",
      ".",
    ]);
    expect(heard.slice(0, heard.indexOf("STARTTLS")).join()).not.toContain("AUTH ");
  });

  test.each<[string, Script]>([
    ["as it is", { AUTH: `535 no login with ${SECRET}` }],
    ["as SMTP sends it", { AUTH: `535 bad: ${Buffer.from(`\0brackwater-theatre\0${SECRET}`).toString("base64")}` }],
    ["when it refuses the sender", { MAIL: `550 nobody with ${Buffer.from(SECRET).toString("base64")} may` }],
    ["when it takes the message", { message: `250 thank you, ${SECRET}` }],
  ])("a server that repeats the password %s does not get it printed", async (_, script) => {
    const { port } = await scripted(script);
    const said = JSON.stringify(await send(port));
    expect(said).toContain("…");
    expect(said).not.toContain(SECRET);
    expect(said).not.toMatch(/[A-Za-z0-9+/]{20,}={0,2}/);
  });

  test.each<[string, string, string]>([
    ["a long subject without a space", "x".repeat(3000), "x"],
    ["long words of other scripts", "ü".repeat(1500), "x"],
    ["a text of one line", "Tonight", "z".repeat(5000)],
  ])("%s makes no line longer than mail may have (RFC 5322 section 2.1.1)", async (_, subject, text) => {
    const message = await composeMessage({
      ...{ from: "Brackwater <box@brackwater.example>", to: "probe@mallowmail.example", subject, text, html: `<p>${text}</p>` },
      ...{ date: new Date(0), messageId: "a@brackwater.example", unsubscribe: "https://brackwater.example/leave" },
    });
    const lines = message.toString("latin1").split("\r\n");
    expect(Math.max(...lines.map((line) => line.length))).toBeLessThanOrEqual(998);
    expect(message.every((octet) => octet < 0x80)).toBe(true);
    expect(message.toString("latin1")).not.toMatch(/(^|[^\r])\n/);
  });

  test.each<[string, Script, string]>([
    ["before its greeting", { greeting: undefined }, "connect"],
    ["while it greets", { EHLO: undefined }, "greet"],
    ["at STARTTLS", { STARTTLS: undefined }, "encrypt"],
    ["at the login", { AUTH: undefined }, "login"],
    ["at the sender", { MAIL: undefined }, "sender"],
    ["at the recipient", { RCPT: undefined }, "recipient"],
    ["before the message", { DATA: undefined }, "message"],
    ["behind the message", { message: undefined }, "message"],
    ["by dripping its greeting", { greeting: "drip" }, "connect"],
    ["by dripping behind the message", { message: "drip" }, "message"],
  ])("a server that stalls %s is given up, and the step is named", async (_, script, step) => {
    // A busy machine may not get as far as the step in a short time; then it gets more, and the step is the same.
    let outcome = await send((await scripted(script)).port, { timeout: 400 });
    for (const timeout of [2000, 10_000])
      if (outcome.kind === "failed" && outcome.step !== step) outcome = await send((await scripted(script)).port, { timeout });
    expect(outcome).toMatchObject({ kind: "failed", step });
    expect(JSON.stringify(outcome)).not.toContain(SECRET);
  });

  test.each<[string, Script, { step: string; reply: string; forGood: boolean }]>([
    ["the login", { AUTH: "535 5.7.8 no" }, { step: "login", reply: "535 5.7.8 no", forGood: true }],
    ["the sender", { MAIL: "550 5.1.8 no" }, { step: "sender", reply: "550 5.1.8 no", forGood: true }],
    ["the recipient, for now", { RCPT: "452 4.2.2 full" }, { step: "recipient", reply: "452 4.2.2 full", forGood: false }],
    ["the message", { message: "550 5.7.26 no" }, { step: "message", reply: "550 5.7.26 no", forGood: true }],
  ])("a server that refuses %s is quoted", async (_, script, expected) => {
    const { port } = await scripted(script);
    expect(await send(port)).toEqual({ kind: "refused", ...expected });
  });

  test("a certificate for another name is named, and no password is sent", async () => {
    const { port, heard } = await scripted({}, wrong);
    expect(await send(port)).toEqual({
      kind: "failed",
      step: "encrypt",
      because: { clause: "peer-certificate-other", host: "submit.swiftquill.example", names: "parked.nettlehost.example" },
    });
    expect(heard.join()).not.toContain("AUTH ");
  });

  test("a certificate nobody vouches for", async () => {
    const { port } = await scripted({});
    const { certificates: _, ...untrusting } = to(port);
    expect(await trySubmission(untrusting)).toMatchObject({
      kind: "failed",
      because: { clause: "peer-certificate-not-trusted" },
    });
  });

  test("a server without encryption gets no password", async () => {
    const { port, heard } = await scripted({
      EHLO: "250-submit.swiftquill.example\r\n250 AUTH PLAIN",
      STARTTLS: "502 5.5.1 what",
    });
    expect(await send(port)).toMatchObject({ kind: expect.stringMatching(/failed|refused/) });
    expect(heard.join()).not.toContain("AUTH ");
  });

  test("nobody listens", async () => {
    expect(await send(1)).toMatchObject({ kind: "failed", step: "connect", because: { clause: "peer-nobody-listens" } });
  });

  test("checking connects and logs in, and submits nothing", async () => {
    const { port, heard } = await scripted({});
    expect(await trySubmission(to(port))).toMatchObject({ kind: "accepted" });
    expect(heard.some((line) => line.startsWith("MAIL"))).toBe(false);
  });
});

test("a message has everything a proper one has, and no line is too long", async () => {
  const octets = await composeMessage({
    from: "Brackwater Puppet Theatre <box@brackwater.example>",
    to: "probe@mallowmail.example",
    subject: "Grüße aus dem Theater",
    text: `${"word ".repeat(400)}\nDas Theater öffnet.`,
    html: `<p>${"word ".repeat(400)}</p>`,
    date: new Date("2026-03-02T09:00:00Z"),
    messageId: "m1@brackwater.example",
    unsubscribe: "https://brackwater.example/unsubscribe?message=m1%40brackwater.example",
  });
  const text = octets.toString("latin1");
  const head = (text.split("\r\n\r\n")[0] as string).replace(/\r\n[ \t]+/g, " ");
  expect(text.split("\r\n").every((line) => line.length <= 998 && !/[^\x00-\x7f\t]/.test(line))).toBe(true);
  expect(text.replaceAll("\r\n", "")).not.toMatch(/[\r\n]/);
  for (const line of [
    /^From: Brackwater Puppet Theatre <box@brackwater\.example>$/m,
    /^Date: Mon, 02 Mar 2026 09:00:00 \+0000$/m,
    /^Message-ID: <m1@brackwater\.example>$/m,
    /^MIME-Version: 1\.0$/m,
    /^Content-Type: multipart\/alternative;/m,
    /^List-Unsubscribe: <https:\/\/brackwater\.example\/unsubscribe\?message=m1%40brackwater\.example>$/m,
    /^List-Unsubscribe-Post: List-Unsubscribe=One-Click$/m,
  ])
    expect(head).toMatch(line);
  expect(text).toMatch(/Content-Type: text\/plain; charset=utf-8/);
  expect(text).toMatch(/Content-Type: text\/html; charset=utf-8/);
});
