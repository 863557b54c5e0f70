import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { folderWith, zandrel } from "./zandrel.ts";

/** Kits and templates through the built program: from a folder, from a file, and from an address. */
const TEMPLATE = {
  providerId: "pagewick.example",
  providerName: "Pagewick",
  serviceId: "site",
  serviceName: "A site",
  version: 1,
  records: [
    { type: "TXT", groupId: "claim", host: "_pagewick", data: "pagewick-claim:%claim%", ttl: 3600 },
    { type: "A", groupId: "site", host: "@", pointsTo: "203.0.113.10", ttl: 3600 },
  ],
};
const KIT = `kit: 1\nservice: heronpost\ntitle: Heronpost\ninputs:\n  account: { explain: your account }\nasks:\n  - id: sending\n    purpose: sending\n    spf: include:spf.heronpost.example\n    records: |\n      hpa._domainkey CNAME {account}.ka.heronpost.example.\n`;

function workspace(): string {
  const folder = folderWith({
    "zandrel.yaml": "version: 1\norganisation: Brackwater\nhosts: {}\nservices: {}\n",
    "site.json": `${JSON.stringify(TEMPLATE, null, 2)}\n`,
  });
  mkdirSync(join(folder, "domains"));
  mkdirSync(join(folder, "kits"));
  writeFileSync(join(folder, "domains/own.yaml"), "domain: brackwater.example\nasks: []\n");
  writeFileSync(join(folder, "kits/heronpost.yaml"), KIT);
  return folder;
}
const own = (folder: string) => readFileSync(join(folder, "domains/own.yaml"), "utf8");

describe("templates", () => {
  test("a file is used as a kit, and the asks know their template", async () => {
    const folder = workspace();
    const saved = await zandrel(folder, ["intake", "--kit", "site.json", "--input", "claim=77aa"]);
    expect(saved).toMatchObject({ exit: 0, err: "" });
    expect(own(folder)).toMatch(/provider: pagewick\.example\n\s+service: site\n\s+group: claim\n\s+variables:\n\s+claim: 77aa/);
    expect((await zandrel(folder, ["intake", "--kit", "site.json"])).err).toMatch(/the kit Pagewick needs claim/);
  });
  test("kit check reads both forms, and shows mistakes with line and column", async () => {
    const folder = workspace();
    expect((await zandrel(folder, ["kit", "check", "site.json", "--json"])).json).toMatchObject({
      form: "template",
      asks: [
        { id: "claim", records: 1 },
        { id: "site", records: 1 },
      ],
      inputs: ["claim"],
      unsaid: [],
    });
    expect((await zandrel(folder, ["kit", "check", "heronpost"])).out).toMatch(
      /heronpost is a kit\n\s+sending\s+sending, 2 records/,
    );
    writeFileSync(
      join(folder, "bad.json"),
      `${JSON.stringify({ ...TEMPLATE, records: [{ type: "MX", host: "@", pointsTo: "a" }] }, null, 2)}\n`,
    );
    expect((await zandrel(folder, ["kit", "check", "bad.json"])).err).toMatch(/the MX record at bad\.json:8:5 has no priority/);
    writeFileSync(
      join(folder, "worse.json"),
      `${JSON.stringify({ ...TEMPLATE, records: [{ type: "CAA", host: "@" }] }, null, 2)}\n`,
    );
    expect((await zandrel(folder, ["kit", "check", "worse.json"])).err).toMatch(
      /worse\.json:9:15: .*expected one of A, AAAA, CNAME/,
    );
    expect((await zandrel(folder, ["kit", "check", "herons"])).err).toMatch(/there is no kit “herons”/);
  });
  test("kit export writes a template, lists what it cannot say, and both ways round it is the same", async () => {
    const folder = workspace();
    const shown = await zandrel(folder, ["kit", "export", "heronpost", "--json"]);
    expect(shown.json.template.records).toEqual([
      { type: "CNAME", groupId: "sending", host: "hpa._domainkey", pointsTo: "%account%.ka.heronpost.example" },
      { type: "SPFM", groupId: "sending", spfRules: "include:spf.heronpost.example" },
    ]);
    expect(await zandrel(folder, ["kit", "export", "heronpost", "--file", "out.json"])).toMatchObject({ exit: 0, err: "" });
    expect(await zandrel(folder, ["kit", "export", "heronpost", "--file", "out.json"])).toMatchObject({ exit: 2 });
    const again = await zandrel(folder, ["kit", "check", "out.json", "--json"]);
    expect(again.json).toMatchObject({ form: "template", inputs: ["account"], unsaid: [] });
    const round = await zandrel(folder, ["kit", "export", "site.json", "--json"]);
    expect(round.json).toMatchObject({ template: TEMPLATE, unsaid: [] });
  });
});

describe("a kit from an address", () => {
  let server: Server;
  let served: string | undefined = KIT;
  let url: string;
  beforeAll(async () => {
    server = createServer((_, response) => {
      response.statusCode = served === undefined ? 500 : 200;
      response.end(served ?? "");
    });
    await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
    url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/kits/post.yaml`;
  });
  afterAll(() => void server.close());
  const take = (folder: string, ...more: string[]) =>
    zandrel(folder, ["intake", "--kit", url, "--input", "account=brackwater", ...more]);

  test("is kept and known again; a change is shown and only used when it is agreed to", async () => {
    served = KIT;
    const folder = workspace();
    expect(await take(folder)).toMatchObject({ exit: 0, err: "" });
    expect(readFileSync(join(folder, "zandrel.yaml"), "utf8")).toMatch(
      /kits:\n\s+post:\n\s+url: http:.*\n\s+sha256: [0-9a-f]{64}/,
    );
    expect(readFileSync(join(folder, "kits/post.yaml"), "utf8")).toBe(KIT);
    served = KIT.replace("ka.heronpost.example.", "k1.evil.example.");
    const changed = await take(folder, "--dry-run");
    expect(changed.exit).toBe(1);
    expect(changed.err).toMatch(/changed since it was agreed to .*“\+ +hpa\._domainkey CNAME \{account\}\.k1\.evil\.example\./);
    expect(readFileSync(join(folder, "kits/post.yaml"), "utf8")).toBe(KIT);
    // By its name it is the same kit, and the same question.
    expect((await zandrel(folder, ["intake", "--kit", "post", "--input", "account=brackwater"])).exit).toBe(1);
    expect((await take(folder, "--accept-kit")).exit).toBe(0);
    expect(readFileSync(join(folder, "kits/post.yaml"), "utf8")).toBe(served);
  });
  test("that cannot be fetched is taken as it was agreed to, and not otherwise", async () => {
    served = KIT;
    const folder = workspace();
    await take(folder);
    served = undefined;
    const kept = await take(folder, "--dry-run");
    expect(kept).toMatchObject({
      exit: 0,
      err: expect.stringMatching(/could not be fetched again \(it answered with HTTP status 500\)/),
    });
    writeFileSync(join(folder, "kits/post.yaml"), `${KIT}# changed\n`);
    expect(await take(folder, "--dry-run")).toMatchObject({
      exit: 3,
      err: expect.stringMatching(/was not fetched: it answered with HTTP status 500/),
    });
  });
  test("is only taken from https, or from this machine, and never in the place of another", async () => {
    const folder = workspace();
    const plain = await zandrel(folder, ["intake", "--kit", "http://kits.example/post.yaml"]);
    expect(plain.err).toMatch(/its address is not an https one/);
    served = KIT;
    writeFileSync(join(folder, "kits/post.yaml"), `${KIT}# ours\n`);
    expect((await take(folder)).err).toMatch(/the kits folder has a kit “post” that is not from/);
    // A run that was killed in between had kept it, without its hash.
    writeFileSync(join(folder, "kits/post.yaml"), KIT);
    expect(await take(folder)).toMatchObject({ exit: 0 });
    expect(readFileSync(join(folder, "zandrel.yaml"), "utf8")).toMatch(/sha256: [0-9a-f]{64}/);
  });
});
