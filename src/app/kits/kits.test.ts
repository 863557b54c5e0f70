import { describe, expect, test } from "@jest/globals";
import { demoHere, useCase } from "../../../tests/use-case.ts";

describe("kits", () => {
  test("a kit is checked and written as a template; what a template cannot say is named", async () => {
    const here = demoHere();
    expect((await useCase(here, "kit", "check", "heronpost")).result).toMatchObject({
      form: "kit",
      inputs: ["account"],
      asks: [{ id: "sending", records: 4 }, { id: "bounce", records: 1 }, { id: "tracking" }],
    });
    const exported = (await useCase(here, "kit", "export", "heronpost")).result;
    expect(exported.template.records.map(({ type }: { type: string }) => type)).toEqual([
      "CNAME",
      "CNAME",
      "SPFM",
      "CNAME",
      "CNAME",
    ]);
    expect(exported.unsaid).toContainEqual({ code: "policy", at: "sending" });
  });
  test("a kit becomes asks, with its inputs; on a terminal those that are missing are asked", async () => {
    const named = await useCase(demoHere(), "intake", "--kit", "heronpost", "--input", "account=brackwater");
    expect(named.result.asks.map(({ id }: { id: string }) => id)).toEqual([
      "heronpost-sending",
      "heronpost-bounce",
      "heronpost-tracking",
    ]);
    const asked = await useCase({ ...demoHere(), answers: ["brackwater", "yes"] }, "intake", "--kit", "heronpost");
    expect(asked.result.asks[0].records).toEqual(named.result.asks[0].records);
    await expect(useCase(demoHere(), "intake", "--kit", "heronpost")).rejects.toMatchObject({ code: "kit-input-missing" });
  });
  test("a service that is not in the workspace yet is called what the kit calls it", async () => {
    const kit =
      'kit: 1\nservice: quillmark\ntitle: Quillmark\nasks:\n  - id: proof\n    purpose: ownership\n    records: |\n      _q TXT "q=1"\n';
    const { result } = await useCase(demoHere({ "kits/quillmark.yaml": kit }), "intake", "--kit", "quillmark");
    expect(result.asks).toMatchObject([{ id: "quillmark-proof", service: "quillmark" }]);
  });
  test("what is wrong with a kit is said with its place", async () => {
    await expect(useCase(demoHere(), "kit", "check", "heronpots")).rejects.toMatchObject({ code: "unknown-kit" });
    await expect(useCase(demoHere({ "kits/bad.yaml": "kit: 1\n" }), "kit", "check", "bad")).rejects.toMatchObject({
      code: expect.stringMatching(/^yaml-|^kit-|^file-/),
    });
  });
});
