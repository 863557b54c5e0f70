import { describe, expect, test } from "@jest/globals";
import { demoHere, useCase, WORLD } from "../../../tests/use-case.ts";

const DOMAIN = "brackwater.example";
const use = async (...argv: string[]) => useCase(demoHere(), ...argv, ...WORLD);

describe("SPF", () => {
  test("evaluated, combined, flattened", async () => {
    expect(await use("spf", "test", DOMAIN, "--ip", "198.51.100.70")).toMatchObject({
      ended: "fine",
      result: { result: "pass", mechanism: "include:spf.heronpost.example" },
    });
    expect(await use("spf", "test", DOMAIN, "--ip", "203.0.113.9")).toMatchObject({
      ended: "problem",
      result: { result: "fail" },
    });
    expect((await use("spf", "combine", DOMAIN, "ip4:192.0.2.1", "include:spf.heronpost.example")).result).toMatchObject({
      added: ["ip4:192.0.2.1"],
      lookups: { before: 4, after: 4 },
    });
    const flat = await use("spf", "flatten", DOMAIN, "--include", "spf.heronpost.example");
    expect(flat.result).toMatchObject({ lookups: { before: 4, after: 2, limit: 10 }, saved: null });
  });
  test("what is flattened is saved once, and again only where it differs", async () => {
    const here = demoHere();
    const flatten = () => useCase(here, "spf", "flatten", DOMAIN, "--include", "spf.heronpost.example", "--write", ...WORLD);
    expect((await flatten()).result.saved).toBe("new");
    expect((await flatten()).result.saved).toBe("same");
  });
});

describe("DKIM", () => {
  test("a key in the DNS is judged, one that is missing is said, one of one's own is compared with its file", async () => {
    expect((await use("dkim", "check", DOMAIN, "hpa")).result.keys).toMatchObject([{ state: "usable", bits: 2048 }]);
    expect(await use("dkim", "check", DOMAIN, "nowhere")).toMatchObject({
      ended: "problem",
      result: { keys: [{ state: "absent" }] },
    });
    const here = demoHere();
    await useCase(here, "dkim", "new", DOMAIN, "--selector", "z202602", "--key-type", "ed25519");
    const { result } = await useCase(here, "dkim", "check", DOMAIN, "z202602", ...WORLD);
    expect(result.keys).toMatchObject([{ state: "broken", remarks: [{ kind: "other-key", breaks: true }] }]);
  });
  test("a message is signed with a file beside it, and that verifies", async () => {
    const here = demoHere();
    await useCase(here, "dkim", "new", DOMAIN, "--selector", "own", "--key-type", "ed25519");
    const key = "keys/brackwater.example/own.pem";
    const signed = await useCase(here, "dkim", "sign", "newsletter.eml", "--domain", DOMAIN, "--selector", "own", "--key", key);
    expect(signed.written).toMatch(/^DKIM-Signature: [\s\S]*s=own/);
  });
});

describe("DMARC", () => {
  test("a strict policy without reports needs a word, and is an ask afterwards", async () => {
    const compose = ["dmarc", "compose", DOMAIN, "--policy", "reject", "--reports-to", `dmarc@${DOMAIN}`];
    expect(await use(...compose)).toMatchObject({
      ended: "problem",
      result: { foreign: true, obstacles: [{ kind: "strict-too-soon" }] },
    });
    const here = demoHere();
    const saved = await useCase(here, ...compose, "--force", "--write", ...WORLD);
    expect(saved.result.ask).toBe("own-mail-dmarc");
    // A record that nobody published yet is still somebody else's.
    expect((await useCase(here, ...compose, "--force", ...WORLD)).result.foreign).toBe(true);
  });
  test("a policy is explained with what it does to each kind of mail", async () => {
    const { result } = await use("dmarc", "explain", DOMAIN);
    expect(result.policy ?? result.record).toBeTruthy();
  });
});
