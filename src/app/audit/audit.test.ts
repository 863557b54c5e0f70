import { expect, test } from "@jest/globals";
import { demoHere, useCase, WORLD } from "../../../tests/use-case.ts";

const ids = async (...argv: string[]) => {
  const { ended, result } = await useCase(demoHere(), "audit", "brackwater.example", ...argv);
  return { ended, ids: result.domains[0].findings.map(({ id }: { id: string }) => id), domain: result.domains[0] };
};

test("a domain of the workspace is judged with its asks, another one without", async () => {
  const own = await ids(...WORLD);
  expect(own.ended).toBe("problem");
  expect(own.ids).toContain("ask-clashing");
  expect(own.domain.right.map(({ area }: { area: string }) => area)).toEqual(expect.arrayContaining(["spf", "dkim", "dmarc"]));
  // Asks whose records are nowhere are said once, and those that clash are not called missing as well.
  expect(own.ids.filter((id: string) => id === "ask-clashing")).toHaveLength(1);
  const other = await useCase(demoHere(), "audit", "heronpost.example", ...WORLD);
  expect(other.result.domains[0].findings.filter(({ id }: { id: string }) => /^ask-/.test(id))).toEqual([]);
});

test("a name that files do not hold could not be asked about, which is not “is not there”", async () => {
  const { ended, result } = await useCase(demoHere(), "audit", "elsewhere.test", ...WORLD);
  expect(ended).toBe("undetermined");
  expect(result.domains[0].unresolved.length).toBeGreaterThan(0);
});
