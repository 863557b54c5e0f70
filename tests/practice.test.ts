import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { name } from "../src/core/name/index.ts";
import { startLab } from "../src/lab/index.ts";
import { folderWith, freePort, zandrel } from "./zandrel.ts";

/** The lab as a practice ground: domains of the reader's choice, pages to copy from, a form with the usual habits. */
let lab: Awaited<ReturnType<typeof startLab>>;
const domains = [name("quillmark.test"), name("inkwell.example")];

beforeAll(async () => {
  lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), speed: 600, port: await freePort(), domains });
});
afterAll(() => lab.close());

const get = async (path: string) => (await fetch(`${lab.practice}${path}`)).text();
const post = (path: string, fields: Record<string, string>) =>
  fetch(`${lab.practice}${path}`, { method: "POST", body: new URLSearchParams(fields) });

test.each(["quillmark.test", "inkwell.example"])(
  "%s is delegated, parked, and carried through like any other",
  async (domain) => {
    const folder = folderWith({ "lab.yaml": lab.settings });
    const run = (argv: readonly string[], input = "") => zandrel(folder, argv, { env: lab.env, input });
    expect(await run(["init", domain, "--dns-host", "nettlehost", "--settings", "lab.yaml"])).toMatchObject({ exit: 0 });
    expect(await run(["intake", "-"], lab.seekmere.instructions(domain))).toMatchObject({ exit: 0 });
    expect(await run(["publish", domain])).toMatchObject({ exit: 0, err: "" });
    expect(await run(["watch", domain, "--until", "proven"])).toMatchObject({ exit: 0 });
  },
);

test.each(["seekmere", "pagewick", "sealbarrow", "heronpost", "swiftquill", "inglemail"])(
  "what %s shows on its page is understood, source or copied",
  async (service) => {
    const folder = folderWith({ "lab.yaml": lab.settings });
    await zandrel(folder, ["init", "quillmark.test", "--dns-host", "nettlehost", "--settings", "lab.yaml"], { env: lab.env });
    const read = await zandrel(folder, ["intake", "-", "--service", service, "--dry-run", "--json"], {
      env: lab.env,
      input: await get(`/asks/${service}/quillmark.test`),
    });
    expect({ service, exit: read.exit, err: read.err }).toEqual({ service, exit: 0, err: "" });
    expect(read.json.leftover).toEqual([]);
    expect(read.json.asks.length).toBeGreaterThan(0);
  },
);

describe("Nettlehost's form", () => {
  const apex = name("quillmark.test");
  test("puts the domain behind a name that has it already", async () => {
    expect((await post("/nettlehost/quillmark.test/add", { type: "TXT", host: "_x.quillmark.test", value: "k=1" })).status).toBe(
      200,
    );
    expect(lab.nettlehost.set(apex, name("_x.quillmark.test.quillmark.test"), "TXT")).toBeDefined();
  });
  test("refuses an alias beside another record, in its own words", async () => {
    const refused = await post("/nettlehost/quillmark.test/add", { type: "A", host: "www", value: "203.0.113.10" });
    expect(refused.status).toBe(409);
    expect(await refused.text()).toContain("Record conflict");
  });
  test("hides what it put there itself, until somebody asks, and deletes one record at a time", async () => {
    expect(await get("/nettlehost/quillmark.test")).not.toContain("parked.nettlehost");
    expect(await get("/nettlehost/quillmark.test?all=1")).toContain("parked.nettlehost");
    await post("/nettlehost/quillmark.test/add", { type: "TXT", host: "_y", value: "a" });
    await post("/nettlehost/quillmark.test/add", { type: "TXT", host: "_y", value: "b" });
    await post("/nettlehost/quillmark.test/delete", { name: "_y.quillmark.test.", type: "TXT", data: '"a"' });
    expect(lab.nettlehost.set(apex, name("_y.quillmark.test"), "TXT")?.data).toEqual([{ strings: ["b"] }]);
  });
});
