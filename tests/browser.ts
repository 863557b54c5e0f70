import { existsSync } from "node:fs";
import { describe } from "@jest/globals";
import { type Browser, chromium } from "playwright-core";

/** A real browser. With ZANDREL_REQUIRE_SERVERS=1 one that is missing is a failure. */
const executablePath = ["/usr/bin/chromium", "/usr/bin/chromium-browser"].find(existsSync);
if (executablePath === undefined && process.env.ZANDREL_REQUIRE_SERVERS === "1")
  throw new Error("Chromium is required and not installed");
export const describeBrowser = executablePath === undefined ? describe.skip : describe;

const FLAGS = [
  "--headless",
  "--no-sandbox",
  "--disable-gpu",
  "--disable-quic",
  "--no-first-run",
  "--disable-background-networking",
  "--disable-component-update",
  "--disable-sync",
];

export const launchBrowser = (): Promise<Browser> => chromium.launch({ executablePath: executablePath as string, args: FLAGS });
