import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { name } from "../src/core/name/index.ts";
import { startLab } from "../src/lab/index.ts";
import type { HostMode } from "../src/lab/web-front.ts";
import { folderWith, zandrel } from "./zandrel.ts";

/** The site side on the lab: two-stage asks, a pending certificate, redirects with their usual mistakes, proofs on the web. */
type Lab = Awaited<ReturnType<typeof startLab>>;
let lab: Lab;
let folder: string;
beforeAll(async () => {
  lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), port: 0 });
  folder = folderWith({ "zandrel.yaml": lab.settings });
  mkdirSync(join(folder, "domains"));
  writeFileSync(join(folder, "domains/brackwater.example.yaml"), "domain: brackwater.example\nhost: nettlehost\nasks: []\n");
  writeFileSync(
    join(folder, "domains/puppetfest.example.yaml"),
    "domain: puppetfest.example\nrole: redirect\nhost: nettlehost\nasks: []\n",
  );
});
afterAll(() => lab.close());
const run = (argv: readonly string[], input = "") => zandrel(folder, argv, { env: lab.env, input });
const checks = async (domain: string): Promise<{ id: string; name: string; met: boolean | null; because: string }[]> =>
  (await run(["site", domain, "--json"])).json.domains[0].checks;

describe("the site builder's two stages, to the certificate", () => {
  test("claim, proof, addresses, replacement of the parked records, proof, certificate", async () => {
    const claimed = await run(
      ["intake", "-", "--service", "pagewick", "--domain", "brackwater.example"],
      lab.pagewick.instructions("brackwater.example"),
    );
    expect(claimed).toMatchObject({ exit: 0, err: "" });
    const point = await run(
      ["intake", "-", "--service", "pagewick", "--domain", "brackwater.example", "--purpose", "site", "--id", "pagewick-site"],
      lab.pagewick.instructions("brackwater.example", "site"),
    );
    expect(point).toMatchObject({ exit: 0, err: "" });
    const file = join(folder, "domains/brackwater.example.yaml");
    writeFileSync(
      file,
      readFileSync(file, "utf8").replace("purpose: site\n", "purpose: site\n    after: [pagewick-ownership]\n"),
    );
    const states = async () =>
      (await run(["status", "brackwater.example", "--json"])).json.domains[0].asks.map((ask: { state: string }) => ask.state);
    expect(await states()).toEqual(["noted", "waiting"]);
    expect(await run(["publish", "brackwater.example"])).toMatchObject({ exit: 0, err: "" });
    expect(await run(["watch", "brackwater.example", "--until", "proven", "--for", "6h"])).toMatchObject({
      exit: 0,
      out: expect.stringContaining("it is proven"),
    });
    expect(await states()).toEqual(["proven", "clashing"]);
    expect(await run(["publish", "brackwater.example"])).toMatchObject({
      exit: 1,
      err: expect.stringContaining("2 things are in the way"),
    });
    expect(await run(["publish", "brackwater.example", "--replace", "@", "--replace", "www"])).toMatchObject({
      exit: 0,
      err: "",
    });
    expect(await run(["watch", "brackwater.example", "--for", "6h"])).toMatchObject({ exit: 0 });
    // Too early: the service's own resolver may hold the old answer until everyone sees the new one.
    expect(await run(["prove", "pagewick-site"])).toMatchObject({
      out: expect.stringMatching(/ask not before \d\d:\d\d|is proven|proven/),
    });
    const before = await checks("brackwater.example");
    expect(before.filter((one) => one.id === "certificate").map((one) => one.because)).toEqual([
      expect.stringContaining("still pending"),
      expect.stringContaining("still pending"),
    ]);
    expect(await run(["watch", "brackwater.example", "--until", "proven", "--for", "6h"])).toMatchObject({ exit: 0 });
    // A quarter of an hour of the lab's time.
    lab.clock.leap(960_000);
    const after = await run(["site", "brackwater.example", "--json"]);
    expect(after.json.domains[0].checks.filter((one: { met: boolean }) => !one.met)).toEqual([]);
    expect(after.exit).toBe(0);
  });

  test("a leftover address and a CAA record that keeps the issuer out are found", async () => {
    const apex = name("brackwater.example");
    lab.nettlehost.put(apex, { name: apex, type: "AAAA", ttl: 60, data: [{ address: "2001:db8::80" }] });
    lab.nettlehost.put(apex, {
      name: apex,
      type: "CAA",
      ttl: 60,
      data: [{ flags: 0, tag: "issue", value: "elsewhere.example" }],
    });
    lab.clock.leap(960_000);
    const found = (await checks("brackwater.example")).filter((one) => one.met === false);
    expect(found).toEqual(
      expect.arrayContaining([
        expect.objectContaining({ id: "leftover", because: expect.stringContaining("2001:db8::80") }),
        expect.objectContaining({ id: "caa", because: expect.stringContaining("only elsewhere.example") }),
      ]),
    );
    lab.nettlehost.remove(apex, apex, "AAAA");
    lab.nettlehost.remove(apex, apex, "CAA");
  });
});

/** What the audit calls each mistake of a redirect. */
const FINDING: Partial<Record<HostMode["kind"], string>> = {
  temporary: "site-redirect-temporary",
  "path-lost": "site-redirect-path",
  "to-http": "site-redirect-unencrypted",
  frame: "site-framed",
  refresh: "site-framed",
};

describe("the redirect domain", () => {
  const set = async (mode: HostMode) => {
    for (const host of ["puppetfest.example", "www.puppetfest.example"]) {
      lab.web.hosts.set(host, mode);
      await lab.web.certify(host);
    }
  };
  test.each<[HostMode["kind"], boolean, RegExp]>([
    ["redirect", true, /deep links keep working/],
    ["temporary", false, /temporary \(302\)/],
    ["path-lost", false, /path is lost/],
    ["to-http", false, /without encryption/],
    ["frame", false, /inside a frame/],
    ["refresh", false, /by itself after loading/],
  ])("%s", async (kind, met, because) => {
    await set({ kind, to: "brackwater.example" } as HostMode);
    const redirects = (await checks("puppetfest.example")).filter((one) => one.id === "redirect");
    expect(redirects).toHaveLength(4);
    for (const one of redirects) expect(one).toMatchObject({ met, because: expect.stringMatching(because) });
    const { findings } = (await run(["audit", "puppetfest.example", "--json"])).json.domains[0];
    const ids = findings.map((one: { id: string }) => one.id).filter((id: string) => /^site-(?:redirect|framed|no-)/.test(id));
    expect([...new Set(ids)]).toEqual(FINDING[kind] === undefined ? [] : [FINDING[kind]]);
  });
  test("what is not set up at all shows the parked page", async () => {
    lab.web.hosts.delete("puppetfest.example");
    expect((await checks("puppetfest.example")).find((one) => one.name.startsWith("http://puppetfest"))).toMatchObject({
      met: false,
      because: expect.stringContaining("does not redirect"),
    });
  });
});

describe("proofs on the web", () => {
  test("a meta tag and a file: missing, wrong, there, gone again", async () => {
    const asks = [
      "  - id: meta\n    service: seekmere\n    purpose: ownership\n    web:\n      url: https://brackwater.example/\n      meta: { name: seekmere-site, content: 4f1d }\n",
      "  - id: file\n    service: seekmere\n    purpose: ownership\n    web:\n      url: https://brackwater.example/seekmere.txt\n      file: seekmere-owner=4f1d\n",
    ].join("");
    const here = folderWith({ "zandrel.yaml": lab.settings });
    mkdirSync(join(here, "domains"));
    writeFileSync(join(here, "domains/b.yaml"), `domain: brackwater.example\nhost: nettlehost\nasks:\n${asks}`);
    const states = async () =>
      (await zandrel(here, ["status", "--json"], { env: lab.env })).json.domains[0].asks.map(
        (ask: { state: string }) => ask.state,
      );
    lab.web.hosts.set("brackwater.example", { kind: "site", files: {} });
    expect(await states()).toEqual(["noted", "noted"]);
    lab.web.hosts.set("brackwater.example", {
      kind: "site",
      body: '<head><meta name="seekmere-site" content="4f1d"></head>',
      files: { "/seekmere.txt": "seekmere-owner=4f1d\n" },
    });
    expect(await states()).toEqual(["settled", "settled"]);
    expect(await zandrel(here, ["prove", "meta", "--confirmed"], { env: lab.env })).toMatchObject({ exit: 0 });
    expect(await states()).toEqual(["proven", "settled"]);
    lab.web.hosts.set("brackwater.example", { kind: "site", files: {} });
    expect(await states()).toEqual(["lapsed", "lapsed"]);
    expect((await zandrel(here, ["prove", "file", "--json"], { env: lab.env })).json.asks[0].causes).toMatchObject([
      { kind: "web-proof", because: expect.stringContaining("404") },
    ]);
  });
});

describe("what visitors meet, and what is asked", () => {
  const apex = name("brackwater.example");
  const shop = name("shop", apex);
  const put = (address: string) => lab.nettlehost.put(apex, { name: shop, type: "A", ttl: 3600, data: [{ address }] });
  /** A workspace where Wickerhall asks for an address of the shop, and says no over its link. */
  async function asking(address: string): Promise<{ readonly folder: string; readonly server: Server }> {
    const server = createServer((_, response) => {
      response.writeHead(200, { "content-type": "application/json" });
      response.end(JSON.stringify({ verdict: "not-yet", reason: "we do not see the shop", checkedAt: "2026-03-02T12:00:00Z" }));
    });
    await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
    const link = `http://127.0.0.1:${(server.address() as AddressInfo).port}/v1`;
    const settings = lab.settings.replace(
      /^services:\n/m,
      `services:\n  wickerhall:\n    title: Wickerhall\n    link: ${link}\n`,
    );
    const here = folderWith({ "zandrel.yaml": settings });
    mkdirSync(join(here, "domains"));
    writeFileSync(
      join(here, "domains/b.yaml"),
      `domain: brackwater.example\nhost: nettlehost\nasks:\n  - id: shop\n    service: wickerhall\n    purpose: site\n    records: shop A ${address}\n`,
    );
    return { folder: here, server };
  }

  test("a service that says no is explained by what the web shows, beside its own words", async () => {
    put("127.53.0.22");
    lab.clock.leap(7_200_000);
    const { folder: here, server } = await asking("127.53.0.22");
    const prove = (...more: string[]) => zandrel(here, ["prove", "shop", ...more], { env: lab.env });
    try {
      lab.web.hosts.set("shop.brackwater.example", { kind: "site", body: "<p>No such site here</p>" });
      await lab.web.certify("shop.brackwater.example");
      const { json } = await prove("--json");
      expect(json.asks[0]).toMatchObject({ verdict: "astray", asked: { answer: "not-yet" } });
      expect(json.asks[0].causes).toMatchObject([
        { kind: "not-at-service", at: "shop.brackwater.example", remedy: expect.stringContaining("at Wickerhall") },
      ]);
      const { out, exit } = await prove();
      expect(exit).toBe(1);
      expect(out).toMatch(
        /does not know it[\s\S]*Wickerhall says: we do not see the shop[\s\S]*finish connecting shop.brackwater.example/,
      );
      // Where the web shows nothing wrong, it is only a no.
      lab.web.hosts.set("shop.brackwater.example", { kind: "site" });
      expect((await prove("--json")).json.asks[0]).toMatchObject({ verdict: "found", causes: [] });
    } finally {
      server.close();
    }
  });

  test("an address that a resolver only remembers is not judged", async () => {
    put("127.53.0.22");
    lab.clock.leap(7_200_000);
    const { folder: here, server } = await asking("127.53.0.21");
    const address = async () =>
      (await zandrel(here, ["site", "--json"], { env: lab.env })).json.domains[0].checks.find(
        (one: { id: string; name: string }) => one.id === "address" && one.name === "shop.brackwater.example",
      );
    try {
      expect(await address()).toMatchObject({ met: false, remedy: expect.stringContaining("zandrel draft") });
      put("127.53.0.21");
      expect(await address()).toMatchObject({
        met: null,
        because: expect.stringMatching(
          /own name servers lead .* to 127.53.0.21; the resolver .* still remembers 127.53.0.22, for at most/,
        ),
      });
      lab.clock.leap(7_200_000);
      expect(await address()).toMatchObject({ met: true });
    } finally {
      server.close();
    }
  });
});
