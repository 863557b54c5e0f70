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
    const outcome = await useCase(here, "relocate", "capture", "brackwater.example", "--file", "c.zone", ...NOBODY).catch(
      ({ kind, code }) => ({ ended: kind as string, code }),
    );
    expect(outcome.ended).toBe("undetermined");
  });
  test("an export of the old host is compared with what was asked, and what it lacks is named", async () => {
    const here = demoHere();
    const outcome = await useCase(
      here,
      ...["relocate", "capture", "brackwater.example", "--export", "authenticated.zone", "--file", "c.zone", ...NOBODY],
    ).catch(({ kind, code }) => ({ ended: kind as string, code }));
    expect(["fine", "problem", "undetermined"]).toContain(outcome.ended);
  });
});
