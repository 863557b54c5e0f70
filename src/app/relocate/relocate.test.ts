import { describe, expect, test } from "@jest/globals";
import { demoHere, useCase } from "../../../tests/use-case.ts";

const NOBODY = ["--resolver", "127.0.0.1:9", "--timeout", "0.2"];

describe("a move to another DNS host", () => {
  test("needs a host that is known", () =>
    expect(
      useCase(demoHere(), "relocate", "compare", "brackwater.example", "--new-host", "zonemarrow", ...NOBODY),
    ).rejects.toMatchObject({ code: "new-host" }));
  test("a zone that nobody answers for is not captured as an empty one", async () => {
    const here = demoHere();
    await expect(useCase(here, "relocate", "capture", "brackwater.example", "--file", "c.zone", ...NOBODY)).rejects.toMatchObject(
      { code: "domain-unseen" },
    );
  });
});
