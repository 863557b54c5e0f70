// The page of everything that can end a run early: its code, the exit codes that come with it, what is said and what to do.
import { readdirSync, readFileSync } from "node:fs";
import { parseSync } from "@swc/core";

const root = new URL("../", import.meta.url);
const read = (/** @type {string} */ path) => readFileSync(new URL(path, root), "utf8");

const NAMED = {
  DomainName: "brackwater.example.",
  Clause: { clause: "verbatim", text: "BECAUSE" },
  Place: "FILE:LINE:COLUMN",
  Unknown: { given: "GIVEN", known: ["KNOWN"] },
  AfterOthers: {},
  IntakeProblem: { row: 1, code: "no-value", type: "TXT", host: "HOST" },
  IntakeQuestion: { id: "ID", kind: "type", about: "HOST", choices: [{ key: "KEY", means: "MEANING" }] },
  Leftover: { text: "TEXT", line: 1 },
  ResourceRecord: { name: "brackwater.example.", type: "TXT", ttl: 3600, data: { strings: ["TEXT"] } },
  RecordSet: { name: "brackwater.example.", type: "TXT", ttl: 3600, data: [{ strings: ["TEXT"] }] },
};

/** A value of a type, by its name where it is a text.  @param {any} type  @param {string} name */
function sampleOf(type, name) {
  switch (type.type) {
    case "TsKeywordType":
      return { string: name.toUpperCase(), number: 2, boolean: false }[type.kind];
    case "TsTypeLiteral":
      return Object.fromEntries(
        type.members.map((/** @type {any} */ one) => [one.key.value, sampleOf(one.typeAnnotation.typeAnnotation, one.key.value)]),
      );
    case "TsUnionType":
      return sampleOf(
        type.types.find((/** @type {any} */ one) => one.kind !== "undefined"),
        name,
      );
    case "TsIntersectionType":
      return Object.assign({}, ...type.types.map((/** @type {any} */ one) => sampleOf(one, name)));
    case "TsLiteralType":
      return type.literal.value;
    case "TsArrayType":
      return [sampleOf(type.elemType, name)];
    case "TsTypeOperator":
      return sampleOf(type.typeAnnotation, name);
    case "TsParenthesizedType":
      return sampleOf(type.typeAnnotation, name);
    case "TsTypeReference":
      return NAMED[/** @type {keyof typeof NAMED} */ (type.typeName.value)];
    default:
      throw new Error(`no value is known for a type of the kind ${type.type}`);
  }
}

/** The codes with a value of what their sentences need. */
function codes() {
  const { body } = parseSync(read("src/core/failure.ts"), { syntax: "typescript" });
  const declared = body.map((/** @type {any} */ one) => one.declaration ?? one);
  const table = declared.find((/** @type {any} */ one) => one.type === "TsInterfaceDeclaration" && one.id.value === "Failures");
  return table.body.body.map((/** @type {any} */ one) => [
    one.key.value,
    sampleOf(one.typeAnnotation.typeAnnotation, one.key.value) ?? {},
  ]);
}

const EXIT = { usage: 2, problem: 1, undetermined: 3 };

/** The exit codes that come with each code, as the sources throw it. */
function exits() {
  /** @type {Map<string, Set<number>>} */
  const found = new Map();
  for (const path of readdirSync(new URL("src/", root), { recursive: true, encoding: "utf8" })) {
    if (!path.endsWith(".ts") || path.endsWith(".test.ts")) continue;
    const text = read(`src/${path}`);
    for (const { index, 1: code = "" } of text.matchAll(/new Failure\(\s*"([^"]+)"/g)) {
      let depth = 0;
      let end = index + "new Failure".length;
      do {
        if ("([{".includes(/** @type {string} */ (text[end]))) depth += 1;
        if (")]}".includes(/** @type {string} */ (text[end]))) depth -= 1;
        end += 1;
      } while (depth > 0);
      const behind = /\}\s*,([^{}]*)\)$/.exec(text.slice(index, end))?.[1] ?? "";
      const kinds = Object.entries(EXIT).filter(([kind]) => behind.includes(`"${kind}"`));
      const known = found.get(code) ?? new Set();
      for (const exit of kinds.length === 0 ? [EXIT.usage] : kinds.map(([, number]) => number)) known.add(exit);
      found.set(code, known);
    }
  }
  return found;
}

/** @param {(failure: object) => { message: string, remedy: string }} explain */
export function errorsPage(explain) {
  const ends = exits();
  const rows = codes().map((/** @type {[string, object]} */ [code, params]) => {
    const { message, remedy } = explain({ code, params });
    const cell = (/** @type {string} */ text) => text.replaceAll("|", "\\|").replaceAll("\n", " ");
    return `| \`${code}\` | ${[...(ends.get(code) ?? [])].sort().join(", ")} | ${cell(message)} | ${cell(remedy)} |`;
  });
  return `# What ends a command early

With \`--json\` it is \`{error: {code, message, remedy, at}}\` on standard output; the codes are stable. Words in capitals stand for what
the command saw. Exit codes: 1 a problem was found, 2 the call or a file is wrong, 3 it could not be determined.

| code | exit | what is said | what to do |
| --- | --- | --- | --- |
${rows.join("\n")}
`;
}
