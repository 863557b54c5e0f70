import { describe, expect, test } from "@jest/globals";
import { demoHere, MONDAY, useCase, WORLD } from "../../../tests/use-case.ts";

describe("reports of receivers", () => {
  test("imported once, however often they come; read as sources and as advice", async () => {
    const here = demoHere();
    const imported = await useCase(here, "dmarc", "import", "reports");
    expect(imported).toMatchObject({ ended: "fine", result: { taken: 28, known: 0, setAside: [] } });
    expect((await useCase(here, "dmarc", "import", "reports")).result).toMatchObject({ taken: 0, known: 28 });
    const sources = await useCase(here, "dmarc", "sources", "brackwater.example", ...WORLD);
    const messages = sources.result.sources.reduce((sum: number, one: { messages: number }) => sum + one.messages, 0);
    expect(messages).toBe(imported.result.messages);
    expect(sources.result.sources.some(({ ours }: { ours: boolean }) => ours)).toBe(true);
    const advice = await useCase(here, "dmarc", "advise", "brackwater.example", ...WORLD);
    expect(advice.result.steps.map(({ policy }: { policy: string }) => policy)).toContain("reject");
  });
  test("each import is told in the story, with the receivers it was from", async () => {
    const here = demoHere();
    await useCase(here, "dmarc", "import", "reports");
    const { result } = await useCase({ ...here, now: MONDAY + 1000 }, "history");
    const told = result.events.filter(({ kind }: { kind: string }) => kind === "reports-taken");
    expect(told).toMatchObject([{ detail: { reports: 28, receivers: ["Mallowmail"], others: 0 } }]);
  });
  test("what is not a report is set aside with its reason, and a folder without any says so", async () => {
    const here = demoHere({ "bad.xml": "<feedback><report_metadata>" });
    const { ended, result } = await useCase(here, "dmarc", "import", "bad.xml");
    expect([ended, result.setAside.length, result.taken]).toEqual(["problem", 1, 0]);
    await expect(useCase(demoHere(), "dmarc", "sources", "brackwater.example", ...WORLD)).rejects.toMatchObject({
      code: "no-reports",
    });
  });
});
