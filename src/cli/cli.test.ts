import { describe, expect, test } from "@jest/globals";
import type { Failure } from "../core/failure.ts";
import { choice, flag, list, number, span, text, time } from "./options.ts";
import { run } from "./run.ts";

/** Runs a command line, with what it writes kept. */
async function typed(...argv: string[]) {
  const [out, err]: [string[], string[]] = [[], []];
  const exit = await run(argv, {
    cwd: "/",
    env: {},
    input: (async function* () {})(),
    output: { write: (written) => void out.push(written), handOver: async () => undefined },
    errors: { write: (written) => void err.push(written) },
  });
  return { exit, out: out.join(""), err: err.join("") };
}

const read = (option: { read(given: unknown, name: string): unknown }, given: unknown): unknown => {
  try {
    return option.read(given, "x");
  } catch (error) {
    return (error as Failure).code;
  }
};

describe("options become values of their type, once", () => {
  test.each<[string, { read(given: unknown, name: string): unknown }, unknown, unknown]>([
    ["a flag that is not given", flag("x"), undefined, false],
    ["a flag that is on by itself", flag("x", { default: true }), undefined, true],
    ["a flag", flag("x"), true, true],
    ["a flag that is turned off", flag("x", { default: true }), false, false],
    ["a number", number("x"), "7", 7],
    ["no number", number("x"), "7a", "option-number"],
    ["an empty number", number("x"), "", "option-empty"],
    ["a blank number", number("x"), " ", "option-number"],
    ["a number below the least", number("x", { min: 2 }), "1", "option-number"],
    ["the least number", number("x", { min: 2 }), "2", 2],
    ["the greatest number", number("x", { max: 9 }), "9", 9],
    ["a number above the greatest", number("x", { max: 9 }), "10", "option-number"],
    ["a part of a whole", number("x"), "1.5", "option-number"],
    ["a part", number("x", { whole: false }), "1.5", 1.5],
    ["a number that is usual", number("x", { default: 3 }), undefined, 3],
    ["a moment", time("x"), "2026-03-02T09:00Z", Date.parse("2026-03-02T09:00Z")],
    ["no moment", time("x"), "soon", "option-time"],
    ["a span in milliseconds", span("x"), "90s", 90_000],
    ["spans together", span("x"), "1h30m", 5_400_000],
    ["no span", span("x"), "long", "option-span"],
    ["one of a few", choice(["a", "b"], "x"), "b", "b"],
    ["none of a few", choice(["a", "b"], "x"), "c", "option-choice"],
    ["a text", text("x"), "a", "a"],
    ["an empty text", text("x"), "", "option-empty"],
    ["a list", list("x"), ["a", "b"], ["a", "b"]],
    ["a list that is not given", list("x"), undefined, []],
  ])("%s", (_, option, given, expected) => expect(read(option, given)).toEqual(expected));
});

describe("the command line", () => {
  test("the last of a flag that is given twice counts", async () => {
    expect(await typed("audit", "--list=false", "--list")).toMatchObject({ exit: 0, err: "" });
    expect(await typed("audit", "--list", "--list=false")).toMatchObject({ exit: 2, out: "" });
  });
  test("what is behind -- is no option", async () => {
    const { exit, out, err } = await typed("words", "--", "--json");
    expect([exit, out]).toEqual([2, ""]);
    expect(err).toMatch(/--json/);
    expect(JSON.parse((await typed("words", "--json", "--", "nonsense")).out).error.code).toBe("unknown-term");
  });
  test.each([
    [["sp"], []],
    [
      ["spf", ""],
      ["explain", "test", "combine", "flatten"],
    ],
    [["draft", "--la"], ["--launch"]],
    [["draft", ""], []],
    [["draf"], ["draft"]],
    // A whole word is still completed as the word it is.
    [["draft"], ["draft"]],
  ])("%j is completed", async (words, expected) => {
    const { out } = await typed("--completions", ...words);
    expect(out.split("\n")).toEqual(expect.arrayContaining(expected));
    if (words[1] === "") expect(out).not.toMatch(/^undefined$/m);
  });
  test("options are offered behind a command, and not in front of one", async () => {
    expect((await typed("--completions", "draft", "--")).out).toMatch(/^--replace$/m);
    expect((await typed("--completions", "--")).out).not.toMatch(/^--replace$/m);
  });
  test("nothing that was not given is done", async () => {
    expect((await typed()).exit).toBe(2);
    expect((await typed("--help")).exit).toBe(0);
    expect(await typed("frobnicate")).toMatchObject({ exit: 2, out: "" });
    expect((await typed("spf")).err).toMatch(/explain/);
  });
});
