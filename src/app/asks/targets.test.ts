import { describe, expect, test } from "@jest/globals";
import { name } from "../../core/name/index.ts";
import type { Domain, Workspace } from "../../workspace/index.ts";
import { oneAsk, targetsOf } from "./targets.ts";

const domain = (text: string, ...ids: string[]): Domain =>
  ({ name: name(text), asks: ids.map((id) => ({ id })), path: `domains/${text}.yaml` }) as unknown as Domain;
const workspace = {
  domains: [
    domain("brackwater.example", "seekmere-ownership", "pagewick-site"),
    domain("puppetfest.example", "seekmere-ownership"),
  ],
} as unknown as Workspace;
const shown = (operands: string[]) =>
  [...targetsOf(workspace, operands)].map(([{ name: of }, ids]) => `${of} ${[...ids].join(",")}`);

describe("what is named", () => {
  test.each<[string[], string[]]>([
    [["pagewick-site"], ["brackwater.example. pagewick-site"]],
    [["puppetfest.example", "seekmere-ownership"], ["puppetfest.example. seekmere-ownership"]],
    [["puppetfest.example/seekmere-ownership"], ["puppetfest.example. seekmere-ownership"]],
    [["brackwater.example"], ["brackwater.example. seekmere-ownership,pagewick-site"]],
    [
      ["puppetfest.example", "pagewick-site"],
      ["puppetfest.example. seekmere-ownership", "brackwater.example. pagewick-site"],
    ],
    [[], ["brackwater.example. seekmere-ownership,pagewick-site", "puppetfest.example. seekmere-ownership"]],
  ])("%j", (operands, targets) => expect(shown(operands)).toEqual(targets));
  test.each([
    [["seekmere-ownership"], "ask-in-several"],
    [["nothing-like-it"], "unknown-target"],
  ])("%j is asked back", (operands, code) =>
    expect(() => targetsOf(workspace, operands)).toThrow(expect.objectContaining({ code })),
  );
});

describe("one ask", () => {
  const asking = (answer: string | undefined) => ({ interactive: answer !== undefined, choose: async () => answer });
  test("named", async () =>
    expect(await oneAsk(workspace, ["pagewick-site"], asking(undefined))).toMatchObject({ id: "pagewick-site" }));
  test("picked from the list on a terminal", async () =>
    expect(await oneAsk(workspace, [], asking("puppetfest.example/seekmere-ownership"))).toMatchObject({
      id: "seekmere-ownership",
      domain: { name: "puppetfest.example." },
    }));
  test("elsewhere the list is in the sentence", async () =>
    expect(oneAsk(workspace, ["brackwater.example"], asking(undefined))).rejects.toMatchObject({
      code: "ask-needed",
      params: { known: ["brackwater.example/seekmere-ownership", "brackwater.example/pagewick-site"] },
    }));
});
