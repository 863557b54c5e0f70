import { type ChildProcess, spawn } from "node:child_process";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import type { Browser, Page } from "playwright-core";
import { name } from "../src/core/name/index.ts";
import { toSets } from "../src/core/record/index.ts";
import { readRecords } from "../src/core/zone/index.ts";
import { startLab } from "../src/lab/index.ts";
import { describeBrowser, launchBrowser } from "./browser.ts";
import { folderWith, PROGRAM, zandrel } from "./zandrel.ts";

/** The sheet as a page, in a real browser, while somebody enters the records at the DNS host. */
const apex = name("brackwater.example");
describeBrowser("the sheet as a page", () => {
  let lab: Awaited<ReturnType<typeof startLab>>;
  let folder: string;
  let browser: Browser;
  let page: Page;
  let child: ChildProcess;
  let url: string;
  let printed = "";
  let ended: Promise<number | null>;

  const enter = (lines: string) => {
    for (const set of toSets(readRecords(lines, { origin: apex, ttl: 3600 }).records)) lab.nettlehost.put(apex, set);
  };

  beforeAll(async () => {
    lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), port: 0 });
    const byHand = lab.settings.replace(
      /(nettlehost:\n {4}title: Nettlehost\n)[\s\S]*?(?=\n {2}\w+:\n {4}title|\n\w)/,
      "$1    publish: { way: by-hand }",
    );
    folder = folderWith({ "lab.yaml": byHand });
    const run = (argv: readonly string[], input = "") => zandrel(folder, argv, { env: lab.env, input });
    await run(["init", "brackwater.example", "--dns-host", "nettlehost", "--settings", "lab.yaml"]);
    await run(["intake", "-"], lab.seekmere.instructions("brackwater.example"));
    const shop = await run(["intake", "-", "--service", "pagewick"], "Type\tHost\tValue\nA\tshop\t203.0.113.10\n");
    expect(shop).toMatchObject({ exit: 0 });
    child = spawn(process.execPath, [PROGRAM, "publish", "brackwater.example", "--page"], {
      cwd: folder,
      env: { ...process.env, ...lab.env, NO_COLOR: "1" },
    });
    child.stdout?.on("data", (chunk: Buffer) => (printed += chunk.toString()));
    child.stderr?.on("data", (chunk: Buffer) => (printed += chunk.toString()));
    ended = new Promise((resolve) => child.on("close", resolve));
    await new Promise<void>((resolve, reject) => {
      const look = () => /http:\S+/.test(printed) && resolve();
      child.stdout?.on("data", look);
      void ended.then(() => reject(new Error(printed)));
    });
    url = /http:\S+/.exec(printed)?.[0] ?? "";
    browser = await launchBrowser();
    page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    await page.context().grantPermissions(["clipboard-read", "clipboard-write"]);
    await page.goto(url);
  });
  afterAll(async () => {
    child?.kill("SIGKILL");
    await browser?.close();
    await lab?.close();
  });

  test("one card a step, with a name for everything that can be pressed", async () => {
    expect(await page.locator("li.step").count()).toBe(2);
    expect(await page.title()).toContain("brackwater.example at Nettlehost");
    const names = await page
      .locator("button")
      .evaluateAll((buttons) => buttons.map((button) => button.getAttribute("aria-label")));
    expect(names).toEqual(expect.arrayContaining(["Copy host of step 1", "Copy value of step 1", "Copy ttl of step 2"]));
    expect(await page.locator("main h1").count()).toBe(1);
    expect(await page.locator('[aria-live="polite"]').count()).toBe(1);
  });
  test("a field is copied with a key, without a mouse", async () => {
    const value = await page.locator('dt:has-text("Value") + dd code').first().textContent();
    await page.locator('button[aria-label="Copy value of step 1"]').focus();
    await page.keyboard.press("Enter");
    await page.locator('button:has-text("Copied")').waitFor();
    expect(
      await page.evaluate(() =>
        (globalThis as unknown as { navigator: { clipboard: { readText(): Promise<string> } } }).navigator.clipboard.readText(),
      ),
    ).toBe(value);
  });
  test("only who knows its address gets in, and no other site", async () => {
    const { origin, host } = new URL(url);
    expect((await fetch(`${origin}/`)).status).toBe(404);
    expect((await fetch(`${origin}/${"x".repeat(32)}/`)).status).toBe(404);
    expect((await fetch(url, { headers: { "sec-fetch-site": "cross-site" } })).status).toBe(403);
    const csp = (await fetch(url)).headers.get("content-security-policy");
    expect(csp).toContain("default-src 'none'");
    expect(host).toMatch(/^127\.0\.0\.1:/);
  });
  test("it fits a small window at four times the size, and paper", async () => {
    await page.setViewportSize({ width: 320, height: 640 });
    expect(await page.evaluate("document.documentElement.scrollWidth <= 321")).toBe(true);
    const rows =
      "new Set([...document.querySelectorAll('li.step dl')][0].querySelectorAll('dt,code,button').values().map((one) => Math.round(one.getBoundingClientRect().top / 12))).size";
    const narrow = await page.evaluate(rows);
    await page.setViewportSize({ width: 1280, height: 800 });
    // In a large window a field, its value and its button share a line.
    expect(await page.evaluate(rows)).toBeLessThan(Number(narrow) / 2);
    await page.emulateMedia({ media: "print" });
    expect(await page.locator("button").first().isVisible()).toBe(false);
    expect(await page.locator("li.step code").first().isVisible()).toBe(true);
    await page.emulateMedia({ media: "screen" });
  });
  test("without script it is the sheet alone", async () => {
    const plain = await browser.newContext({ javaScriptEnabled: false });
    const still = await plain.newPage();
    await still.goto(url);
    expect(await still.locator("li.step").count()).toBe(2);
    await plain.close();
  });
  test("a step is ticked off when the name servers show it, and a slip is shown with what to do", async () => {
    enter("shop A 203.0.113.10\nshop AAAA 2001:db8::9");
    lab.clock.leap(60_000);
    await page.locator("li.step.done").waitFor({ timeout: 30_000 });
    const slip = page.locator("#slip-list li", { hasText: "shop.brackwater.example also has an AAAA record" });
    await slip.waitFor({ timeout: 30_000 });
    expect(await slip.textContent()).toContain("delete the AAAA record with the host “shop”");
    // The second name server gets changes late.
    lab.nettlehost.remove(apex, name("shop.brackwater.example"), "AAAA");
    lab.clock.leap(60_000);
    await page.locator("#slips").waitFor({ state: "hidden", timeout: 30_000 });
  });
  test("what was deleted by mistake is missed", async () => {
    const mail = lab.nettlehost.set(apex, apex, "MX");
    expect(mail).toBeDefined();
    lab.nettlehost.remove(apex, apex, "MX");
    await page.locator("#slip-list li", { hasText: "MX record of brackwater.example was deleted" }).waitFor({ timeout: 30_000 });
    if (mail !== undefined) lab.nettlehost.put(apex, mail);
  });
  test("when everything is entered it counts down, says what is left, and ends by itself", async () => {
    const there = lab.nettlehost.set(apex, apex, "TXT");
    const value = (await page.locator("li.step:not(.done) dt:has-text('Value') + dd code").first().textContent()) ?? "";
    lab.nettlehost.put(apex, {
      name: apex,
      type: "TXT",
      ttl: there?.ttl ?? 3600,
      data: [...(there?.data ?? []), { strings: [value] }],
    });
    lab.clock.leap(60_000);
    await page.locator("#verify").waitFor({ state: "visible", timeout: 30_000 });
    expect(await page.locator("#headline").textContent()).toContain("Everything is entered");
    expect(await page.locator("#verify li").count()).toBeGreaterThan(0);
    expect(await ended).toBe(0);
    expect(printed).toContain("Next: zandrel watch brackwater.example --until proven");
  });
});
