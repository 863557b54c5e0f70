import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { name } from "../core/name/index.ts";
import { openReportStore } from "./tally.ts";

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "zandrel-tally-"));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const head = {
  receiver: "Mallowmail.example",
  email: "reports@mallowmail.example",
  id: "7",
  domain: name("brackwater.example"),
  begin: Date.parse("2026-03-02T00:00:00Z"),
  end: Date.parse("2026-03-02T23:59:59Z"),
  policy: "none",
} as const;

test.each<[string, Partial<typeof head> | { receiver: string } | { id: string }, "known" | "taken"]>([
  ["the same report again", {}, "known"],
  ["the same report, its receiver's name in other letters", { receiver: "MALLOWMAIL.example" }, "known"],
  ["another report of the same receiver", { id: "8" }, "taken"],
  ["the same number of another receiver", { receiver: "pigeonry.example" }, "taken"],
])("%s is %s", async (title, more, outcome) => {
  const store = openReportStore(join(folder, `${title.replaceAll(" ", "-")}.db`));
  try {
    expect(await store.take(async () => ({ head, rows: 0, messages: 0 }))).toBe("taken");
    expect(await store.take(async () => ({ head: { ...head, ...more }, rows: 0, messages: 0 }))).toBe(outcome);
  } finally {
    store.close();
  }
});
