/// <reference lib="dom" />
import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Browser, Page } from "playwright-core";
import { name } from "../src/core/name/index.ts";
import { startLab } from "../src/lab/index.ts";
import { describeBrowser, launchBrowser } from "./browser.ts";
import { folderWith, freePort, zandrel } from "./zandrel.ts";

/** Dossiers through the built program on the lab, and looked at in a real browser. */
let lab: Awaited<ReturnType<typeof startLab>>;
let folder: string;
const run = (...argv: string[]) => zandrel(folder, argv, { env: lab.env });
const apex = name("brackwater.example");
const HOUR = 3_600_000;

beforeAll(async () => {
  lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), port: 0 });
  folder = folderWith({ "lab.yaml": lab.settings });
  await run("init", "brackwater.example", "--dns-host", "nettlehost", "--settings", "lab.yaml");
  await run("init", "puppetfest.example", "--role", "redirect", "--dns-host", "nettlehost");
  const note = 'shown <script>alert("x")</script>';
  await run(
    "intake",
    "--service",
    "seekmere",
    "--domain",
    "brackwater.example",
    "--type",
    "TXT",
    "--host",
    "_s",
    "--value",
    note,
  );
  await run("publish", "brackwater.example");
  lab.clock.leap(2 * HOUR);
  await run("status");
  cpSync(new URL("../demo/reports", import.meta.url).pathname, join(folder, "reports"), { recursive: true });
  await run("dmarc", "import", "reports");
});
afterAll(() => lab.close());

test("a page for each domain and an index; the next one says what changed", async () => {
  const made = await run("dossier");
  expect(made).toMatchObject({ exit: 0, err: "" });
  expect(made.out).toContain("written  dossier/index.html and 2 files beside it");
  expect(readdirSync(join(folder, "dossier")).sort()).toEqual([
    "brackwater.example.html",
    "index.html",
    "puppetfest.example.html",
  ]);
  const first = readFileSync(join(folder, "dossier/brackwater.example.html"), "utf8");
  expect(first).toContain("This is the first dossier of the domain");
  expect(first).not.toMatch(/<script|<link|src="http|url\(http/);
  lab.nettlehost.put(apex, { name: name("_dmarc", apex), type: "TXT", ttl: 600, data: [{ strings: ["v=DMARC1; p=reject"] }] });
  lab.nettlehost.remove(apex, name("_s", apex), "TXT");
  lab.clock.leap(2 * HOUR);
  const json = (await run("dossier", "brackwater.example", "--json")).json;
  expect(json.domains[0].since).toMatchObject({
    fixed: expect.arrayContaining(["dmarc-missing"]),
    states: [{ ask: "seekmere-ownership", was: "settled", is: "lapsed" }],
  });
  expect(json.domains[0].policy).toMatchObject({ policy: "reject" });
  const later = await run("dossier", "brackwater.example");
  expect(later.out).toMatch(/The one ask of services is not where it should be yet/);
});

test("as Markdown; as an object; and a file of somebody else's is kept", async () => {
  expect((await run("dossier", "brackwater.example", "--format", "markdown", "--folder", "notes")).exit).toBe(0);
  const text = readFileSync(join(folder, "notes/brackwater.example.md"), "utf8");
  expect(text).not.toMatch(/\bZandrel (?:draft|publish|prove|dmarc|spf)\b/);
  expect(text).toMatch(/^# brackwater\.example\n[\s\S]*## What to fix\n[\s\S]*## Who may send\n[\s\S]*\| Source \| Messages \|/);
  mkdirSync(join(folder, "mine"));
  writeFileSync(join(folder, "mine/index.html"), "<p>my own page</p>");
  const refused = await run("dossier", "--folder", "mine");
  expect([refused.exit, refused.err]).toEqual([2, expect.stringMatching(/mine\/index\.html already exists.*--folder.*--force/)]);
  expect(existsSync(join(folder, "mine/brackwater.example.html"))).toBe(false);
  expect((await run("dossier", "--folder", "mine", "--force")).exit).toBe(0);
});

test("what could not be asked is said to be open: no policy is called missing, nothing is called mended", async () => {
  const before = readFileSync(join(folder, "zandrel.yaml"), "utf8");
  const silent = `127.0.0.1:${await freePort()}`;
  writeFileSync(join(folder, "zandrel.yaml"), before.replace(/resolver: \S+/g, `resolver: ${silent}`));
  const argv = ["dossier", "brackwater.example", "--timeout", "0.5", "--format", "markdown", "--folder", "silent"];
  expect((await run(...argv)).exit).toBe(0);
  writeFileSync(join(folder, "zandrel.yaml"), before);
  const text = readFileSync(join(folder, "silent/brackwater.example.md"), "utf8");
  expect(text).toContain("Which DMARC policy is in force could not be asked");
  expect(text).toContain("Which keys are published could not be asked.");
  expect(text).not.toMatch(/There is no DMARC policy|No DKIM key is known|Mended:|No reports of receivers/);
  expect(text).toMatch(/Could not be asked, so that something may be missing here/);
});

test("what is asked for with a message is said before anything is sent", async () => {
  const refused = await run("dossier", "--mail-to", "director@brackwater.example");
  expect([refused.exit, refused.err]).toEqual([2, expect.stringMatching(/--from is missing/)]);
});

describeBrowser("in a browser", () => {
  let browser: Browser;
  beforeAll(async () => {
    await run("dossier");
    browser = await launchBrowser();
  });
  afterAll(() => browser?.close());

  async function open(file: string, width: number, scheme: "light" | "dark"): Promise<Page> {
    const page = await browser.newPage({ viewport: { width, height: 800 }, colorScheme: scheme, javaScriptEnabled: true });
    await page.goto(pathToFileURL(join(folder, "dossier", file)).href);
    return page;
  }

  /** Contrast of every text with what is behind it (WCAG 2, 1.4.3), as [text, ratio] where it is too little. */
  const faint = (page: Page) =>
    page.evaluate(() => {
      const luminance = ([r = 0, g = 0, b = 0]: number[]) =>
        [r, g, b]
          .map((c) => c / 255)
          .map((c) => (c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4))
          .reduce((sum, c, i) => sum + c * ([0.2126, 0.7152, 0.0722][i] as number), 0);
      const rgb = (text: string) => (text.match(/[\d.]+/g) ?? []).map(Number);
      const behind = (at: Element | null): number[] => {
        for (let e = at; e !== null; e = e.parentElement) {
          const colour = rgb(getComputedStyle(e).backgroundColor);
          if (colour.length === 3 || (colour[3] ?? 1) > 0) return colour;
        }
        return [255, 255, 255];
      };
      return [...document.querySelectorAll("main *")]
        .filter((e) => [...e.childNodes].some((n) => n.nodeType === 3 && n.textContent?.trim() !== ""))
        .flatMap((e) => {
          const inSvg = e.closest("svg") !== null;
          const colour = inSvg ? (e.getAttribute("fill") ?? "#000") : getComputedStyle(e).color;
          const text = colour.startsWith("#")
            ? [1, 3, 5].map((i) =>
                Number.parseInt(colour.length === 4 ? (colour[(i + 1) / 2] as string).repeat(2) : colour.slice(i, i + 2), 16),
              )
            : rgb(colour);
          const [a, b] = [luminance(text), luminance(behind(inSvg ? e.closest("figure") : e))].sort((x, y) => y - x) as [
            number,
            number,
          ];
          const ratio = (a + 0.05) / (b + 0.05);
          return ratio < 4.5 ? [[e.textContent?.slice(0, 30), Math.round(ratio * 10) / 10]] : [];
        });
    });

  describe.each(["index.html", "brackwater.example.html", "puppetfest.example.html"])("%s", (file) => {
    test.each(["light", "dark"] as const)("has enough contrast, %s", async (scheme) => {
      const page = await open(file, 1280, scheme);
      expect(await faint(page)).toEqual([]);
      await page.close();
    });

    test("fits a telephone, and says what each figure shows", async () => {
      const page = await open(file, 360, "light");
      expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(360);
      const figures = await page.evaluate(() =>
        [...document.querySelectorAll("figure")].map((one) => [one.getAttribute("role"), one.getAttribute("aria-label") !== ""]),
      );
      expect(figures.every(([role, labelled]) => role === "img" && labelled)).toBe(true);
      await page.close();
    });

    test("headings go down by one level at a time, tables have heads, ids are there once", async () => {
      const page = await open(file, 1280, "light");
      const levels = await page.evaluate(() => [...document.querySelectorAll("h1,h2,h3")].map((one) => Number(one.tagName[1])));
      expect(levels.filter((level) => level === 1)).toHaveLength(1);
      expect(levels.every((level, i) => i === 0 || level <= (levels[i - 1] as number) + 1)).toBe(true);
      const [lang, headless, twice] = await page.evaluate(() => {
        const ids = [...document.querySelectorAll("[id]")].map(({ id }) => id);
        return [
          document.documentElement.lang,
          [...document.querySelectorAll("table")].filter((one) => one.querySelector("thead th[scope=col]") === null).length,
          ids.filter((id, i) => ids.indexOf(id) !== i),
        ] as const;
      });
      expect([lang, headless, twice]).toEqual(["en", 0, []]);
      await page.close();
    });

    test("asks nobody for anything, and runs nothing", async () => {
      const page = await browser.newPage();
      const asked: string[] = [];
      page.on("request", (request) => asked.push(request.url()));
      page.on("dialog", (dialog) => asked.push(dialog.message()));
      const url = pathToFileURL(join(folder, "dossier", file)).href;
      await page.goto(url);
      expect(asked).toEqual([url]);
      await page.close();
    });
  });

  test("by keyboard: the links of the index, and the words, in the order in which they stand", async () => {
    const page = await open("index.html", 1280, "light");
    await page.keyboard.press("Tab");
    expect(await page.evaluate(() => document.activeElement?.textContent)).toBe("brackwater.example");
    await page.keyboard.press("Enter");
    await page.waitForURL(/brackwater\.example\.html$/);
    await page.keyboard.press("Tab");
    const term = await page.evaluate(() => document.activeElement?.tagName);
    expect(term).toBe("SUMMARY");
    await page.keyboard.press("Enter");
    expect(await page.evaluate(() => document.activeElement?.parentElement?.hasAttribute("open"))).toBe(true);
    await page.close();
  });

  test("on paper nothing is cut off", async () => {
    const page = await open("brackwater.example.html", 1280, "dark");
    const pdf = await page.pdf({ format: "A4" });
    expect(pdf.length).toBeGreaterThan(10_000);
    await page.emulateMedia({ media: "print", colorScheme: "light" });
    await page.setViewportSize({ width: 794, height: 1123 });
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(794);
    await page.close();
  });

  test("is small", () => {
    expect(statSync(join(folder, "dossier/brackwater.example.html")).size).toBeLessThan(200_000);
  });
});
