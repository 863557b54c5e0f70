import { expect, test } from "@jest/globals";
import { nearest } from "./nearest.ts";

const WORDS = ["status", "draft", "publish", "spf test", "Nettlehost", "a"];

test.each<[string, string | undefined]>([
  ["statu", "status"],
  ["stauts", "status"],
  ["STATUS", "status"],
  ["nettlehots", "Nettlehost"],
  ["NETTLEHOTS", "Nettlehost"],
  ["tfard", "draft"],
  ["pub", undefined],
  ["something else", undefined],
  ["", undefined],
  ["b", undefined],
  ["x".repeat(100_000), undefined],
])("%.20s is meant as %s", (word, meant) => expect(nearest(word, WORDS)).toBe(meant));

test("nothing is near where there is nothing", () => expect(nearest("status", [])).toBeUndefined());
