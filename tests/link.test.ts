import { createServer, type Server, type ServerResponse } from "node:http";
import { afterAll, describe, expect, test } from "@jest/globals";
import { folderWith, zandrel } from "./zandrel.ts";

/** Services that do not keep the contract, and how they are found out. */
const servers: Server[] = [];
afterAll(() => {
  for (const server of servers) {
    server.closeAllConnections();
    server.close();
  }
});

type Answer = { status?: number; body?: unknown; text?: string; headers?: Record<string, string> } | "silence" | "flood";

/** Answers by “METHOD path”; what is not listed is 404. */
async function service(answers: Record<string, Answer>, needsKey = true): Promise<string> {
  const server = createServer((request, response: ServerResponse) => {
    const line = `${request.method} ${request.url}`;
    const answer = answers[line] ?? answers[line.replace(/[^/]+$/, "*")] ?? { status: 404, body: { error: "no such thing" } };
    const open = line === "GET /v1";
    if (needsKey && !open && request.headers.authorization !== "Bearer k") {
      response.writeHead(401, { "content-type": "application/json" });
      return void response.end('{"error":"a key is needed"}');
    }
    if (answer === "silence") return;
    if (answer === "flood") {
      response.writeHead(200, { "content-type": "application/json" });
      const more = (): void => {
        while (response.write(" ".repeat(65_536)));
        response.once("drain", more);
      };
      return more();
    }
    response.writeHead(answer.status ?? 200, { "content-type": "application/json", ...answer.headers });
    response.end(answer.text ?? (answer.body === undefined ? "" : JSON.stringify(answer.body)));
  });
  servers.push(server);
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  return `http://127.0.0.1:${(server.address() as { port: number }).port}/v1`;
}

const describes = (...offers: string[]): Answer => ({
  body: { contract: "zandrel-service-link", version: 1, service: "Pigeonry", offers },
});
const credential = { id: "c1", scope: "mail", domain: null, user: "u", madeAt: "2026-03-02T09:00:00Z" };
const check = async (link: string, more: readonly string[] = []) =>
  zandrel(folderWith(), ["sender", "link", link, "--link-key", "env:K", "--timeout", "1", "--json", ...more], {
    env: { K: "k" },
  });
const notHolding = (json: { checks: { id: string; verdict: string }[] }) =>
  json.checks.filter((one) => one.verdict !== "met").map((one) => `${one.id} ${one.verdict}`);

describe("zandrel sender link", () => {
  test.each<[string, Record<string, Answer>, boolean, string[], number]>([
    ["keeps it", { "GET /v1": describes("domains", "messages") }, true, [], 0],
    ["asks for no key", { "GET /v1": describes("messages") }, false, ["showMessage-without-key broken"], 1],
    [
      "describes something else",
      { "GET /v1": { body: { contract: "other", version: 1, service: "x" } } },
      true,
      ["describe broken"],
      1,
    ],
    [
      "is of a version to come",
      { "GET /v1": { body: { contract: "zandrel-service-link", version: 2, service: "x" } } },
      true,
      ["describe broken"],
      1,
    ],
    ["answers with a page", { "GET /v1": { text: "<html>" } }, true, ["describe broken"], 1],
    [
      "sends elsewhere",
      { "GET /v1": { status: 302, headers: { location: "http://127.0.0.1:9/" } } },
      true,
      ["describe unknown"],
      3,
    ],
    ["never stops talking", { "GET /v1": "flood" }, true, ["describe broken"], 1],
    ["says nothing", { "GET /v1": "silence" }, true, ["describe unknown"], 3],
    [
      "accepts a domain nobody has",
      { "GET /v1": describes("checks"), "POST /v1/checks": { body: { verdict: "accepted", reason: "fine", checkedAt: "now" } } },
      true,
      ["check broken"],
      1,
    ],
    [
      "says a port that is none",
      {
        "GET /v1": describes("submission"),
        "GET /v1/submission": { body: { host: "submit.pigeonry.example", port: 70_000, tls: "starttls" } },
      },
      true,
      ["showSubmission broken"],
      1,
    ],
    [
      "offers SMTP in the clear",
      {
        "GET /v1": describes("submission"),
        "GET /v1/submission": { body: { host: "submit.pigeonry.example", port: 25, tls: "none" } },
      },
      true,
      ["showSubmission broken"],
      1,
    ],
  ])("a service that %s", async (_, answers, needsKey, expected, exit) => {
    const checked = await check(await service(answers, needsKey));
    expect([notHolding(checked.json), checked.exit, checked.err]).toEqual([expected, exit, ""]);
  });

  test("with --deep: secrets that are listed, scopes and ends that mean nothing", async () => {
    const secret = "never-to-be-shown-again";
    const link = await service(
      {
        "GET /v1": describes("credentials"),
        "GET /v1/credentials": { body: { credentials: [{ ...credential, user: secret }] } },
        "POST /v1/credentials": { status: 201, body: { ...credential, secret } },
        "DELETE /v1/credentials/c1": { status: 204 },
      },
      false,
    );
    const checked = await check(link, ["--deep"]);
    expect(notHolding(checked.json)).toEqual([
      "listCredentials-without-key broken",
      "scope broken",
      "listCredentials-secret broken",
      "revoked broken",
    ]);
    expect(checked.out).not.toContain(secret);
  });

  test("text from a service cannot reach the terminal as control characters", async () => {
    const link = await service({
      "GET /v1": {
        body: { contract: "zandrel-service-link", version: 1, service: "\x1b]0;title\x07Pigeonry", offers: ["messages"] },
      },
      "GET /v1/messages/*": { status: 422, body: { error: "\x1b[2Jgone" } },
    });
    const shown = await zandrel(folderWith(), ["sender", "link", link, "--link-key", "env:K"], { env: { K: "k" } });
    expect(shown.exit).toBe(1);
    expect(`${shown.out}${shown.err}`).not.toMatch(/\x1b\]|\x1b\[2J|\x07/);
  });

  test.each<[readonly string[], RegExp]>([
    [[], /needs SERVICE\|URL/],
    [["http://127.0.0.1:9/v1", "--link-key", "secret"], /--link-key does not say where the key is kept/],
    [["http://127.0.0.1:9/v1", "--link-key", "env:NOTHING"], /environment variable NOTHING/],
    [["pigeonry"], /there is no workspace/],
  ])("%j", async (argv, expected) => {
    expect(await zandrel(folderWith(), ["sender", "link", ...argv])).toMatchObject({
      exit: 2,
      out: "",
      err: expect.stringMatching(expected),
    });
  });
});
