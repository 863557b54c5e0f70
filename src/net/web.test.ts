import { createServer, type ServerResponse } from "node:http";
import { afterEach, expect, test } from "@jest/globals";
import { judgeProof } from "../core/site/index.ts";
import { fetchPage, followPage } from "./web.ts";

const closing: (() => unknown)[] = [];
afterEach(async () => {
  for (const close of closing.splice(0)) await close();
});

const TAG = '<meta name="seekmere" content="t1">';
const proof = { kind: "meta", url: "http://brackwater.example/", name: "seekmere", content: "t1" } as const;

/** What a page proves that a server answers in its own way. */
async function judged(answer: (response: ServerResponse) => void, of: Parameters<typeof judgeProof>[0] = proof) {
  const web = createServer((_, response) => answer(response));
  await new Promise<void>((resolve) => web.listen(0, "127.0.0.1", resolve));
  closing.push(
    () => web.closeAllConnections(),
    () => web.close(),
  );
  const { port } = web.address() as { port: number };
  const options = { addresses: async () => ({ found: ["127.0.0.1"] }), ports: { http: port, https: port }, timeout: 2000 };
  return judgeProof(of, await fetchPage(of.url, options));
}
const PADDING = "<p>x</p>".repeat(100_000);

test.each<[string, (response: ServerResponse) => void, boolean | undefined]>([
  ["is whole, with the tag", (response) => void response.end(`<head>${TAG}`), true],
  ["is whole, without it", (response) => void response.end("<head>"), false],
  ["breaks off in front of the tag", (response) => void response.write("<head>", () => response.destroy()), undefined],
  ["stalls in front of the tag", (response) => void response.write("<head>"), undefined],
  [
    "is shorter than it says",
    (response) => {
      response.writeHead(200, { "content-length": 1000 });
      response.write("<head>", () => response.destroy());
    },
    undefined,
  ],
  ["is longer than is read, with the tag at its beginning", (response) => void response.end(`<head>${TAG}${PADDING}`), true],
  ["is longer than is read, and has the tag at its end", (response) => void response.end(`<head>${PADDING}${TAG}`), undefined],
  [
    "has no end",
    (response) => {
      const more = (): void => void (response.destroyed || response.write(PADDING, more));
      more();
    },
    undefined,
  ],
  ["says nothing at all", () => undefined, undefined],
])("a page that %s", async (_, answer, found) => {
  expect((await judged(answer)).found).toBe(found);
});

test.each<[string, string, boolean | undefined]>([
  ["holds the text", "t1\n", true],
  ["holds another text", "t2", false],
  ["is longer than is read", `t2${PADDING}`, undefined],
])("a file that %s", async (_, body, found) => {
  const file = { kind: "file", url: "http://brackwater.example/seekmere.txt", text: "t1" } as const;
  expect((await judged((response) => void response.end(body), file)).found).toBe(found);
});

test.each([
  [8, 200],
  [9, 302],
])("of a chain of %d redirects eight are followed", async (length, last) => {
  const web = createServer(({ url }, response) => {
    const at = Number(url?.slice(1));
    response.writeHead(at < length ? 302 : 200, at < length ? { location: `/${at + 1}` } : {}).end();
  });
  await new Promise<void>((resolve) => web.listen(0, "127.0.0.1", resolve));
  closing.push(() => web.close());
  const { port } = web.address() as { port: number };
  const options = { addresses: async () => ({ found: ["127.0.0.1"] }), ports: { http: port, https: port }, timeout: 2000 };
  const chain = await followPage("http://brackwater.example/0", options);
  expect(chain.map((one) => ("page" in one ? one.page.status : 0))).toEqual([...Array(8).fill(302), last]);
});
