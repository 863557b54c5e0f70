import { expect, test } from "@jest/globals";
import { demoHere, useCase, WORLD } from "../../../tests/use-case.ts";

test("files have no site in them, which is said", () =>
  expect(useCase(demoHere(), "site", "brackwater.example", ...WORLD)).rejects.toMatchObject({ code: "no-web-in-files" }));

test("where nobody can be asked nothing is said to be wrong", async () => {
  const { ended, result } = await useCase(
    demoHere(),
    ...["site", "brackwater.example", "--resolver", "127.0.0.1:9", "--timeout", "0.2"],
  );
  expect(ended).toBe("undetermined");
  expect(JSON.stringify(result)).not.toMatch(/has no address/);
});
