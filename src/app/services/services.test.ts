import { describe, expect, test } from "@jest/globals";
import { demoHere, useCase, WORLD } from "../../../tests/use-case.ts";

describe("services without a link", () => {
  test("credentials are kept by hand, listed, and ended", async () => {
    const here = { ...demoHere(), input: "a-made-up-secret" };
    expect((await useCase(here, "sender", "credential", "heronpost")).result).toMatchObject({ done: "listed", credentials: [] });
    const kept = await useCase(
      here,
      ...["sender", "credential", "heronpost", "--keep", "--user", "theatre", "--domain", "brackwater.example"],
    );
    expect(kept.result.credentials).toMatchObject([{ user: "theatre" }]);
    expect(JSON.stringify(kept)).not.toContain("a-made-up-secret");
    const [{ id }] = (await useCase(here, "sender", "credential", "heronpost")).result.credentials;
    expect((await useCase(here, "sender", "credential", "heronpost", "--end", id)).result.done).toBe("revoked");
  });
  test.each([
    [["sender", "settings", "heronpost"], "no-smtp-settings"],
    [["sender", "link", "heronpost"], "no-link"],
    [["sender", "settings", "heronpots"], "unknown-service"],
    [["sender", "credential", "heronpost", "--end", "c-1"], "unknown-credential"],
  ])("%j says what is missing", (argv, code) => expect(useCase(demoHere(), ...argv)).rejects.toMatchObject({ code }));
  test("its domain is looked at by what was asked for", async () => {
    const { ended } = await useCase(demoHere(), "sender", "domain", "heronpost", "brackwater.example", ...WORLD).catch(
      ({ code }) => ({ ended: code as string }),
    );
    expect(ended).toMatch(/^(problem|undetermined|not-offered|no-link|service-|unknown-option)/);
  });
});
