// The page of everything that can end a run early: its code, the exit codes that come with it, what is said and what to do.
import { readdirSync, readFileSync } from "node:fs";
import { parseSync } from "@swc/core";

const root = new URL("../", import.meta.url);
const read = (/** @type {string} */ path) => readFileSync(new URL(path, root), "utf8");

const FAILURES = "src/present/failures/";

const NAMED = {
  DomainName: "brackwater.example.",
  Clause: { clause: "verbatim", text: "BECAUSE" },
  Place: "FILE:LINE:COLUMN",
  Unknown: { given: "GIVEN", known: ["KNOWN"] },
  AfterOthers: {},
  IntakeProblem: { row: 1, code: "no-value", type: "TXT", host: "HOST" },
  IntakeQuestion: { id: "ID", kind: "type", about: "HOST", choices: [{ key: "KEY", means: "MEANING" }] },
  Unsaid: { code: "redirect", at: "REDIR301 @" },
  Leftover: { text: "TEXT", line: 1 },
  ResourceRecord: { name: "brackwater.example.", type: "TXT", ttl: 3600, data: { strings: ["TEXT"] } },
  RecordSet: { name: "brackwater.example.", type: "TXT", ttl: 3600, data: [{ strings: ["TEXT"] }] },
};

/**
 * A value of a type, by its name where it is a text; a type of the same file by what stands for it there.
 * @param {any} type  @param {string} name  @param {Record<string, any>} types
 */
function sampleOf(type, name, types) {
  switch (type.type) {
    case "TsKeywordType":
      return { string: name.toUpperCase(), number: 2, boolean: false }[type.kind];
    case "TsTypeLiteral":
      return Object.fromEntries(
        type.members.map((/** @type {any} */ one) => [
          one.key.value,
          sampleOf(one.typeAnnotation.typeAnnotation, one.key.value, types),
        ]),
      );
    case "TsUnionType":
      return sampleOf(
        type.types.find((/** @type {any} */ one) => one.kind !== "undefined"),
        name,
        types,
      );
    case "TsIntersectionType":
      return Object.assign({}, ...type.types.map((/** @type {any} */ one) => sampleOf(one, name, types)));
    case "TsLiteralType":
      return type.literal.value;
    case "TsArrayType":
      return [sampleOf(type.elemType, name, types)];
    case "TsTypeOperator":
      return sampleOf(type.typeAnnotation, name, types);
    case "TsParenthesizedType":
      return sampleOf(type.typeAnnotation, name, types);
    case "TsTypeReference":
      return type.typeName.value in types
        ? sampleOf(types[type.typeName.value], name, types)
        : NAMED[/** @type {keyof typeof NAMED} */ (type.typeName.value)];
    default:
      throw new Error(`no value is known for a type of the kind ${type.type}`);
  }
}

const EXIT = { usage: 2, problem: 1, undetermined: 3 };

/** The codes of a table of failures, each with how it ends and a value of what its sentence needs.  @param {string} path */
function codesIn(path) {
  const declared = parseSync(read(path), { syntax: "typescript" }).body.map(
    (/** @type {any} */ part) => part.declaration ?? part,
  );
  const variables = declared.filter((/** @type {any} */ part) => part.type === "VariableDeclaration");
  const initOf = (/** @type {string} */ name) =>
    variables.flatMap(({ declarations }) => declarations).find((/** @type {any} */ { id }) => id.value === name)?.init;
  const types = Object.fromEntries(
    declared
      .filter((/** @type {any} */ part) => part.type === "TsTypeAliasDeclaration")
      .map((/** @type {any} */ part) => [part.id.value, part.typeAnnotation]),
  );
  const tables = variables.map(({ declarations: [{ init }] }) => init).filter((init) => init.type === "TsSatisfiesExpression");
  return tables.flatMap(({ expression }) =>
    expression.properties.map((/** @type {any} */ { key, value }) => {
      const [{ expression: given }] = value.arguments;
      const [param] = (given.type === "Identifier" ? initOf(given.value) : given).params;
      const type = (param?.pat ?? param)?.typeAnnotation.typeAnnotation;
      return [
        key.value,
        EXIT[/** @type {keyof typeof EXIT} */ (value.callee.value)],
        type === undefined ? {} : sampleOf(type, key.value, types),
      ];
    }),
  );
}

/** @param {(failure: object) => { message: string, remedy: string }} explain */
export function errorsPage(explain) {
  const tables = readdirSync(new URL(FAILURES, root)).filter((file) => !/^(index|words)\.ts$/.test(file));
  const codes = tables.flatMap((file) => codesIn(`${FAILURES}${file}`));
  const rows = codes.map((/** @type {[string, number, object]} */ [code, exit, params]) => {
    const { message, remedy } = explain({ code, params });
    const cell = (/** @type {string} */ text) => text.replaceAll("|", "\\|").replaceAll("\n", " ");
    return `| \`${code}\` | ${exit} | ${cell(message)} | ${cell(remedy)} |`;
  });
  return `# What ends a command early

With \`--json\` it is \`{error: {code, message, remedy, at}}\` on standard output; the codes are stable. Words in capitals stand for what
the command saw. Exit codes: 1 a problem was found, 2 the call or a file is wrong, 3 it could not be determined.

| code | exit | what is said | what to do |
| --- | --- | --- | --- |
${rows.join("\n")}
`;
}
