import { createHash } from "node:crypto";
import { connect } from "node:net";
import { afterEach, describe, expect, test } from "@jest/globals";
import { type Delivery, type EventReceiver, receiveEvents, signPost } from "./event-feed.ts";

const FEED = { service: "swiftquill", id: "sq-feed-1", secret: "a-secret-of-nobody-at-all" };
const NOW = 1_772_442_000;
let receiver: EventReceiver | undefined;
afterEach(() => receiver?.close());

const batch = (id = "e1") =>
  Buffer.from(
    JSON.stringify({
      version: 1,
      events: [
        {
          id,
          kind: "arrived",
          at: "2026-03-02T09:00:00Z",
          messageId: "m@brackwater.example",
          domain: "brackwater.example",
          to: "probe@mallowmail.example",
        },
      ],
    }),
  );

async function listening(keep?: (deliveries: readonly Delivery[]) => ("kept" | "replayed")[], longest?: number) {
  const seen = new Set<string>();
  const kept: Delivery[] = [];
  receiver = await receiveEvents({
    address: "127.0.0.1",
    port: 0,
    url: (own) => own,
    feeds: () => [FEED],
    now: () => NOW,
    ...(longest === undefined ? {} : { longest }),
    keep:
      keep ??
      ((deliveries) =>
        deliveries.map((one) => {
          if (seen.has(one.nonce)) return "replayed";
          seen.add(one.nonce);
          kept.push(one);
          return "kept";
        })),
  });
  const { url } = receiver;
  const post = (headers: Record<string, string>, body: Buffer) =>
    fetch(url, { method: "POST", headers, body: new Uint8Array(body) }).then((answer) => answer.status);
  return { url, kept, post };
}

type Change = (signed: Record<string, string>, url: string) => Record<string, string> | Promise<Record<string, string>>;

describe("signed events (RFC 9421, RFC 9530)", () => {
  test("are taken, and the very same request only once", async () => {
    const { url, kept, post } = await listening();
    const headers = await signPost(FEED, url, batch(), NOW);
    expect([await post(headers, batch()), await post(headers, batch())]).toEqual([204, 409]);
    expect(kept).toMatchObject([{ service: "swiftquill", signedAt: NOW, events: [{ id: "e1" }] }]);
    expect(await post(await signPost(FEED, url, batch(), NOW), batch())).toBe(204);
  });

  test.each<[string, number, number]>([
    ["just young enough", -300, 204],
    ["too old", -301, 401],
    ["a little ahead", 300, 204],
    ["too far ahead", 301, 401],
  ])("a time stamp %s", async (_, off, status) => {
    const { url, post } = await listening();
    expect(await post(await signPost(FEED, url, batch(), NOW + off), batch())).toBe(status);
  });

  test.each<[string, Change]>([
    [
      "no signature",
      ({ "content-type": type = "", "content-digest": digest = "" }) => ({ "content-type": type, "content-digest": digest }),
    ],
    ["another digest than was signed", (signed) => ({ ...signed, "content-digest": digestOf(batch("e2")) })],
    [
      "a signature with one octet changed",
      (signed) => ({
        ...signed,
        Signature: String(signed.Signature ?? signed.signature).replace(/:(.)/, (_, one) => `:${one === "A" ? "B" : "A"}`),
      }),
    ],
    ["a key nobody has", (_, url) => signPost({ ...FEED, id: "sq-feed-2" }, url, batch(), NOW)],
    ["another secret", (_, url) => signPost({ ...FEED, secret: "another-secret-of-nobody" }, url, batch(), NOW)],
    ["another address", (_, url) => signPost(FEED, `${url}/elsewhere`, batch(), NOW)],
    ["a signature that covers less", (signed) => mapInput(signed, (input) => input.replace(' "content-digest"', ""))],
    ["a nonce taken out", (signed) => mapInput(signed, (input) => input.replace(/;nonce="[^"]*"/, ""))],
    ["a nonce that others may guess", (_, url) => signPost(FEED, url, batch(), NOW, "x".repeat(15))],
    ["a nonce too long to keep", (_, url) => signPost(FEED, url, batch(), NOW, "x".repeat(201))],
    ["two signatures", (signed) => mapInput(signed, (input) => `${input}, b=("@method");created=${NOW}`)],
  ])("with %s are not believed", async (_, change) => {
    const { url, kept, post } = await listening();
    const signed = await change(await signPost(FEED, url, batch(), NOW), url);
    expect(await post(signed, batch())).toBe(401);
    expect(kept).toEqual([]);
  });

  test("another body under a signature that holds is not believed", async () => {
    const { url, kept, post } = await listening();
    expect(await post(await signPost(FEED, url, batch("e1"), NOW), batch("e2"))).toBe(401);
    expect(kept).toEqual([]);
  });

  test("that are signed but not of the form are told so", async () => {
    const { url, post } = await listening();
    for (const text of ["{}", "[1", '{"version":1,"events":[]}']) {
      const body = Buffer.from(text);
      expect(await post(await signPost(FEED, url, body, NOW), body)).toBe(422);
    }
  });

  test("that cannot be kept are to be sent again", async () => {
    const { url, post } = await listening(() => {
      throw new Error("the disk is full");
    });
    expect(await post(await signPost(FEED, url, batch(), NOW), batch())).toBe(503);
  });

  test("that wait at the same time are kept together", async () => {
    const sizes: number[] = [];
    const { url, post } = await listening((deliveries) => {
      sizes.push(deliveries.length);
      return deliveries.map(() => "kept");
    });
    const all = await Promise.all(
      Array.from({ length: 60 }, async (_, i) => post(await signPost(FEED, url, batch(`e${i}`), NOW), batch(`e${i}`))),
    );
    expect(all.every((status) => status === 204)).toBe(true);
    expect(sizes.reduce((sum, one) => sum + one, 0)).toBe(60);
    expect(Math.max(...sizes)).toBeGreaterThan(1);
  });

  test.each([
    ["nothing at all", ""],
    ["half a head", "POST /events HTTP/1.1\r\nHost: x\r\n"],
    ["half a body", "POST /events HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Length: 100\r\n\r\n{"],
  ])("a client that sends %s and then waits is not waited for", async (_, begun) => {
    const { url, post } = await listening(undefined, 400);
    const slow = connect(Number(new URL(url).port), "127.0.0.1");
    slow.on("error", () => undefined);
    slow.write(begun);
    await new Promise((closed) => slow.resume().once("close", closed));
    // The others are served all the same.
    expect(await post(await signPost(FEED, url, batch(), NOW), batch())).toBe(204);
  });

  test("more octets than any batch has are refused unread", async () => {
    const { post } = await listening();
    expect(await post({ "content-type": "application/json" }, Buffer.alloc(3 << 20, 32))).toBe(413);
  });
});

const digestOf = (body: Buffer): string => `sha-256=:${createHash("sha256").update(body).digest("base64")}:`;

function mapInput(signed: Record<string, string>, change: (input: string) => string): Record<string, string> {
  return Object.fromEntries(
    Object.entries(signed).map(([name, value]) => [name, name.toLowerCase() === "signature-input" ? change(value) : value]),
  );
}
