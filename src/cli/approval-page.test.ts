import { describe, expect, test } from "@jest/globals";
import { name } from "../core/name/index.ts";
import { pageText } from "./approval-page.ts";

describe("a page that a person is sent to", () => {
  const page = {
    title: "Nettle\x1b[31mhost",
    host: "setup.nettlehost.example",
    link: "https://setup.nettlehost.example/apply?a=1",
    open: true,
    copy: false,
    publishes: [{ name: name("www.brackwater.example"), type: "A" }],
    removes: [{ name: name("www.brackwater.example"), type: "CNAME" }],
    minutes: 5,
  };
  test("is opened where there is a screen, and named with the host it is really at", async () => {
    const { text, opens } = await pageText(page, { DISPLAY: ":0" }, "linux");
    expect(opens).toBe(true);
    expect(text).toContain("which is at setup.nettlehost.example. It is opened in your browser.");
    expect(text).not.toContain("\x1b");
    expect(text).toMatch(
      /publishes A of www\.brackwater\.example, and by its own rules removes .*: CNAME of www\.brackwater\.example\./,
    );
    expect((await pageText({ ...page, open: false }, { DISPLAY: ":0" }, "linux")).opens).toBe(false);
    expect((await pageText(page, {}, "darwin")).opens).toBe(true);
  });
  test.each([
    ["over SSH", { DISPLAY: ":0", SSH_CONNECTION: "192.0.2.1 1 192.0.2.2 22" }],
    ["without a display", {}],
  ])("is printed and drawn as a code %s", async (_, env) => {
    const { text, opens } = await pageText(page, env, "linux");
    expect(opens).toBe(false);
    expect(text).toContain(page.link);
    expect(text).toMatch(/[▀▄█]{10}/);
  });
  test("says how long it is waited for, or that nobody waits", async () => {
    expect((await pageText(page, {}, "linux")).text).toContain("5 minutes");
    expect((await pageText({ ...page, minutes: 0 }, {}, "linux")).text).toContain("Nobody waits here for it.");
  });
});
