import { readdirSync, readFileSync } from "node:fs";
import { describe, expect, test } from "@jest/globals";
import { name } from "../../name/index.ts";
import { type DataOf, decodeUtf8, printData, type ResourceRecord, txtValue } from "../../record/index.ts";
import { type Understood, understand } from "./index.ts";

const domain = name("brackwater.example");
const FOLDER = new URL("../../../../tests/pastes/", import.meta.url);
const TTL = 77;

/** A record as its expectation writes it: `name [ttl] type data`, the name relative to the domain. */
function shown({ name: owner, type, ttl, data }: ResourceRecord): string {
  const host = owner.replace(/\.?brackwater\.example\.$/, "") || "@";
  const text =
    type === "TXT" ? `"${decodeUtf8(txtValue(data as DataOf["TXT"])).replace(/["\\]/g, "\\$&")}"` : printData(type, data);
  return `${host} ${ttl === TTL ? "" : `${ttl} `}${type} ${text}`;
}

/** Everything that was understood, one line each, as the expectation files list it. */
const linesOf = (read: Understood): string[] => [
  ...read.records.map(({ record }) => shown(record)),
  ...read.remove.map((record) => `remove: ${shown(record)}`),
  ...read.spfTerms.map((term) => `term: ${term}`),
  ...read.nameServers.map((server) => `nameserver: ${server}`),
  ...read.forwards.map(
    ({ from, to, permanent }) =>
      `forward: ${from} ${to} ${permanent === true ? "permanent" : permanent === false ? "temporary" : "unsaid"}`,
  ),
  ...read.web.map((proof) =>
    proof.kind === "meta" ? `web: meta ${proof.name} ${proof.content}` : `web: file ${proof.url} ${proof.text}`,
  ),
];

/** Why a paste stops: the codes of its problems, and whether something is asked or left over. */
const stopsOf = (read: Understood): string[] => [
  ...read.problems.map(({ code }) => code),
  ...read.questions.map(({ kind }) => (kind === "options" ? "options" : "question")),
  ...(read.leftover.length > 0 ? ["leftover"] : []),
];

const cases = readdirSync(FOLDER)
  .filter((file) => file.endsWith(".txt"))
  .map((file) => file.replace(/\.txt$/, ""));

describe("pastes as people bring them", () => {
  test.each(cases)("%s", (file) => {
    const read = understand({ text: readFileSync(new URL(`${file}.txt`, FOLDER), "utf8"), domain, ttl: TTL, choices: new Map() });
    const wanted = readFileSync(new URL(`${file}.want`, FOLDER), "utf8")
      .trim()
      .split("\n");
    const stops = wanted.flatMap((line) => /^stops: (.*)$/.exec(line)?.[1] ?? []);
    if (stops.length > 0) {
      const found = stopsOf(read);
      if (stops[0] === "any") expect(found).not.toEqual([]);
      else expect(found).toEqual(expect.arrayContaining(stops));
      return;
    }
    const repairs = wanted.flatMap((line) => /^repair: (.*)$/.exec(line)?.[1] ?? []);
    const lines = wanted.filter((line) => !/^(?:repair|purposes): /.test(line));
    expect({ stops: stopsOf(read), lines: linesOf(read).sort(), leftover: read.leftover }).toEqual({
      stops: [],
      lines: lines.sort(),
      leftover: [],
    });
    expect(read.repairs.map(({ kind }) => kind)).toEqual(expect.arrayContaining(repairs));
  });
});
