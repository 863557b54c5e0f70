import { readFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, test } from "@jest/globals";
import { demoHere, useCase, WORLD } from "../../../tests/use-case.ts";

const judge = async (file: string, ...more: string[]) => useCase(demoHere(), "message", "judge", file, ...more, ...WORLD);

describe("messages as a receiver judges them", () => {
  test.each([
    ["newsletter.eml", "fine", "pass"],
    ["over-a-list.eml", "problem", "fail"],
    ["forged.eml", "problem", "fail"],
  ])("%s ends %s: %s", async (file, ended, dmarc) =>
    expect(await judge(file)).toMatchObject({ ended, result: { dmarc: { result: dmarc } } }),
  );
  test("an envelope that is given counts, with or without its angle brackets", async () => {
    const envelope = (from: string) => ["--ip", "198.51.100.70", "--helo", "out.heronpost.example", "--mail-from", from];
    for (const from of ["news@brackwater.example", "<news@brackwater.example>"])
      expect((await judge("newsletter.eml", ...envelope(from))).result).toMatchObject({
        envelope: { mailFrom: "news@brackwater.example" },
        spf: { result: "pass", domain: "brackwater.example." },
      });
    expect((await judge("newsletter.eml", ...envelope("<>"))).result.spf).toMatchObject({
      identity: "helo",
      domain: "out.heronpost.example.",
    });
  });
  test("standard input is read like a file, and a mailbox message by message", async () => {
    const here = demoHere();
    const input = readFileSync(join(here.folder, "newsletter.eml"), "latin1");
    expect((await useCase({ ...here, input }, "message", "judge", "-", ...WORLD)).result.dmarc.result).toBe("pass");
    const { written } = await useCase(here, "message", "judge", "inbox.mbox", ...WORLD);
    expect(written.trim().split("\n").length).toBeGreaterThan(1);
    await expect(useCase(here, "dkim", "verify", "nowhere.eml", ...WORLD)).rejects.toMatchObject({ code: "file-unreadable" });
  });
  test("a test message needs what it depends on", async () =>
    expect(
      useCase(
        demoHere(),
        "message",
        "send",
        "--service",
        "heronpost",
        "--from",
        "news@brackwater.example",
        "--to",
        "a@mallowmail.example",
      ),
    ).rejects.toMatchObject({ code: "no-smtp-settings" }));
});
