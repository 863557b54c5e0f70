import { readFileSync } from "node:fs";
import { join } from "node:path";
import { expect, test } from "@jest/globals";
import { bannedIn } from "./plain-words.ts";
import { folderWith, started, zandrel } from "./zandrel.ts";

test("the demo tells its story to the end: a token proven, forged mail refused, the theatre's own mail ready", async () => {
  const here = folderWith();
  const narration = await started(here, ["demo", "--keep-in", "kept"]);
  expect([narration.exit, narration.err]).toEqual([0, ""]);
  const moments = [
    "✓ proven  seekmere-ownership",
    "Mallowmail answers the forger: “250 2.0.0 delivered”",
    "news@brackwater.example is confirmed.",
    "ready to send through Heronpost",
    "p=quarantine: not yet, because your own mail through Inglemail would be stopped.",
    "signing is on",
    "p=quarantine: safe now",
    "p=reject: safe now",
    "Mallowmail answers the forger: “550 5.7.26",
    "ready to send through Heronpost",
  ];
  // Each behind the one before.
  const rest = moments.reduce((text, moment) => {
    const at = text.indexOf(moment);
    expect(at === -1 ? `${moment} is missing` : moment).toBe(moment);
    return text.slice(at + moment.length);
  }, narration.out);
  expect(rest).toContain("Done. The workspace is in kept.");
  const secret = readFileSync(join(here, "kept/keys/heronpost/brackwater.example.secret"), "utf8").trim();
  expect(narration.out).not.toContain(secret);
  expect(readFileSync(join(here, "kept/.zandrel/journal.db"), "latin1")).not.toContain(secret);

  // It speaks plainly, and every next step is a command that is understood.
  expect(bannedIn(narration.out)).toEqual([]);
  const next = new Set([...narration.out.matchAll(/next: (zandrel [^(\n,]*)/gi)].map(([, line]) => (line as string).trim()));
  expect(next.size).toBeGreaterThan(7);
  for (const line of next) {
    const { json } = await zandrel(folderWith(), [...line.split(" ").slice(1), "--json"]);
    expect([line, json.error?.code ?? "fine"]).toEqual([
      line,
      expect.not.stringMatching(/^(?:option-|unknown-option|unknown-command|operands|one-)/),
    ]);
  }
}, 240_000);
