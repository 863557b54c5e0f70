import { readFileSync } from "node:fs";
import { join } from "node:path";
import { expect, test } from "@jest/globals";
import { folderWith, zandrel } from "./zandrel.ts";

const settings = new URL("../demo/brackwater/zandrel.yaml", import.meta.url).pathname;
const WORLD = ["--zone-file", "stage.zone"];
const ZONE = `$ORIGIN xn--bhne-0ra.example.
$TTL 3600
@ SOA ns1.nettlehost.example. h.nettlehost.example. 1 3600 600 86400 300
@ NS ns1.nettlehost.example.
@ MX 10 mx.inglemail.example.
@ TXT "seekmere-owner=old"
@ TXT "v=spf1 include:spf.inglemail.example -all"
`;
const PASTE = "Verify that you own bühne.example\nType TXT\nHost @\nValue seekmere-owner=ec1f9a0f62\n";

/** A command, or an option, with a name behind it that is written for reading: a shell stops at its bracket. */
const NOT_TO_TYPE = [/zandrel (?:[a-z-]+ ){1,3}(?:--[a-z-]+ \S+ )*\S+ \(\S*xn--/, /--[a-z-]+ \S+ \(\S*xn--/];

test("with a domain that has umlauts, every command that is named can be typed as it is printed", async () => {
  const here = folderWith({ "stage.zone": ZONE });
  const said: string[] = [];
  const run = async (argv: string[], input = "") => {
    const { out, err } = await zandrel(here, argv, { input });
    const text = `${out} ${err}`.replace(/\s+/g, " ");
    for (const pattern of NOT_TO_TYPE) expect([argv, text]).toEqual([argv, expect.not.stringMatching(pattern)]);
    said.push(text);
    return text;
  };
  await run(["draft", "bühne.example", ...WORLD]);
  await run(["dmarc", "compose", "bühne.example", "--reports-to", "dmarc@bühne.example", "--write", ...WORLD]);
  await run(["init", "bühne.example", "--dns-host", "nettlehost", "--settings", settings, "--resolver", "127.0.0.9:5301"]);
  expect(await run(["intake", "--service", "seekmere"], PASTE)).toContain("Next: zandrel draft xn--bhne-0ra.example");
  for (const command of ["status", "draft", "prove"]) await run([command, ...WORLD]);
  expect(await run(["audit", "bühne.example", ...WORLD])).toContain(
    "zandrel dmarc compose xn--bhne-0ra.example --reports-to dmarc@xn--bhne-0ra.example",
  );
  for (const argv of [
    ["dmarc", "explain", "bühne.example"],
    ["spf", "explain", "bühne.example"],
    ["spf", "combine", "bühne.example"],
    ["dmarc", "compose", "bühne.example", "--reports-to", "dmarc@bühne.example", "--write"],
    ["draft"],
    ["dkim", "check", "bühne.example"],
  ])
    await run([...argv, ...WORLD]);
  await run(["dkim", "new", "bühne.example", "--selector", "k1"]);
  await run(["status", ...WORLD]);
  await run(["history"]);
  // Each step that was named is one, whatever it comes to.
  const steps = [
    ...new Set(said.flatMap((text) => text.match(/(?<=[Nn]ext: )zandrel [a-z ]+? xn--\S+?example(?: --selector k1)?/g) ?? [])),
  ];
  expect(steps.length).toBeGreaterThan(2);
  // Publishing needs a host that answers; its name is written like the others.
  for (const step of steps.filter((one) => !one.startsWith("zandrel publish"))) {
    const argv = step.split(" ").slice(1);
    const { err } = await zandrel(here, argv[0] === "dkim" ? argv : [...argv, ...WORLD]);
    expect([step, err]).toEqual([step, expect.not.stringMatching(/--help|is not a domain/)]);
  }
  // Nobody sends to a letter that mail does not have.
  const file = readFileSync(join(here, "domains", "xn--bhne-0ra.example.yaml"), "utf8");
  expect(file).toContain("rua=mailto:dmarc@xn--bhne-0ra.example");
  expect(file).not.toMatch(/rua=\S*ü/);
});
