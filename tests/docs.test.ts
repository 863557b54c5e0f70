import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { expect, test } from "@jest/globals";
import { execa } from "execa";
import { parse } from "yaml";
import * as z from "zod";
import { noticeShape } from "../src/app/fleet/guard.ts";
import { optionName } from "../src/cli/options.ts";
import { COMMANDS } from "../src/cli/registry.ts";
import { EVENT_KINDS, eventBatch, OFFERS, OPERATIONS, SCOPES } from "../src/core/sending/index.ts";
import { fileSchemas, openWorkspace, readKit } from "../src/workspace/index.ts";
import { folderWith } from "./zandrel.ts";

const root = new URL("..", import.meta.url).pathname;

test("what the documents take from the program is what the program says now", async () => {
  const { stdout } = await execa(
    process.execPath,
    [
      "--input-type=module",
      "-e",
      'const { generated } = await import("./docs/make.mjs"); console.log(JSON.stringify(await generated()))',
    ],
    { cwd: root, maxBuffer: 64 << 20 },
  );
  const files = JSON.parse(stdout) as [string, string][];
  expect(files.length).toBeGreaterThan(40);
  const stale = files.filter(([path, text]) => !existsSync(root + path) || readFileSync(root + path, "utf8") !== text);
  expect(stale.map(([path]) => path)).toEqual([]);
  // The schema of a command that is gone describes nothing.
  const schemas = readdirSync(`${root}docs/schemas`, { recursive: true, encoding: "utf8" }).filter((file) =>
    file.endsWith(".json"),
  );
  const written = new Set(files.map(([path]) => path));
  expect(schemas.filter((file) => !written.has(`docs/schemas/${file}`))).toEqual([]);
});

test("the examples at the head of every part of the core call what is there", () => {
  const files = readdirSync(`${root}src/core`, { recursive: true, encoding: "utf8" }).filter((file) => file.endsWith(".ts"));
  const texts = new Map(files.map((file) => [file, readFileSync(`${root}src/core/${file}`, "utf8")]));
  const defined = new Set(
    [...texts.values()].flatMap((text) =>
      [...text.matchAll(/export (?:async )?(?:const|function\*?|class) (\w+)/g)].map(([, name]) => name as string),
    ),
  );
  const examples = [...texts].flatMap(([file, text]) =>
    file.endsWith("index.ts")
      ? [...text.matchAll(/```ts\n([\s\S]*?)```/g)].map(([, code]) => [file, code as string] as const)
      : [],
  );
  expect(examples.length).toBeGreaterThan(10);
  const unknown = examples.flatMap(([file, code]) =>
    [...code.replace(/\/\/.*/g, "").matchAll(/(?<![.\w])(?:new )?([A-Za-z]\w+)\(/g)]
      .filter(([, name]) => !defined.has(name as string) && !((name as string) in globalThis))
      .map(([, name]) => `${file}: ${name}`),
  );
  expect(unknown).toEqual([]);
});

/** The fenced blocks of a document, with their languages and the line at which they begin. */
const blocks = (file: string) => {
  const text = readFileSync(`${root}docs/${file}`, "utf8");
  return [...text.matchAll(/^```(\w*)\n([\s\S]*?)^```/gm)].map(({ index, 1: language = "", 2: code = "" }) => ({
    at: `docs/${file}:${text.slice(0, index).split("\n").length}`,
    language,
    code,
  }));
};
const DOCUMENTS = readdirSync(`${root}docs`).filter((file) => file.endsWith(".md"));

test("every option that a document names is one of the command it is named with, or of some command", async () => {
  const options = new Map<string, ReadonlySet<string>>();
  for (const { name, load } of COMMANDS) {
    const { default: command } = await load();
    options.set(
      name,
      new Set([...Object.keys(command.options).map((key) => `--${optionName(key)}`), "--json", "--workspace", "--help"]),
    );
  }
  const all = new Set([...options.values()].flatMap((own) => [...own]));
  const names = [...options.keys()].sort((a, b) => b.length - a.length);
  const unknown = DOCUMENTS.flatMap((file) => {
    const text = readFileSync(`${root}docs/${file}`, "utf8");
    const code = [
      ...[...text.matchAll(/`([^`\n]+)`/g)].map(([, one]) => one as string),
      ...blocks(file)
        .filter(({ language }) => language === "sh" || language === "")
        .flatMap((block) => block.code.split("\n")),
    ].filter((line) => /^(?:zandrel )?|^--/.test(line) && !/^npm|^node|^GET|^POST/.test(line));
    return code.flatMap((line) => {
      const command = names.find((name) => line.startsWith(`zandrel ${name}`));
      const known = command === undefined ? all : (options.get(command) as ReadonlySet<string>);
      return [...line.replace(/#.*/, "").matchAll(/(?<![\w-])--[a-z][a-z-]*/g)].flatMap(([option]) =>
        known.has(option.replace(/^--no-/, "--")) || known.has(option) ? [] : [`${file}: ${line}: ${option}`],
      );
    });
  });
  expect(unknown).toEqual([]);
});

test("every JSON block is what the program's own schemas take", () => {
  const found = DOCUMENTS.flatMap((file) =>
    blocks(file).flatMap(({ at, code }) =>
      // A request line in front of an object says what it belongs to.
      [...code.matchAll(/^(?:(\w+) (\S+)[ ]*)?(\{[\s\S]*?\}|\{.*\})\s*$/gm)].flatMap(([, method, path, text]) => {
        try {
          return [{ at, method, path, value: JSON.parse(text as string) }];
        } catch {
          return [];
        }
      }),
    ),
  );
  expect(found.length).toBeGreaterThan(3);
  const unread = found.flatMap(({ at, value }) => {
    const taken = [
      ...Object.values(OPERATIONS).flatMap(({ body, answer }) => [body, answer]),
      eventBatch,
      // What other programs are sent has moments as texts.
      z.object({
        contract: z.literal("zandrel-notices"),
        version: z.literal(1),
        notices: z.array(noticeShape.extend({ id: z.int(), at: z.iso.datetime(), sentence: z.string() }).strict()),
      }),
    ].some((schema) => schema?.safeParse(value).success === true);
    return taken ? [] : [`${at}: ${JSON.stringify(value).slice(0, 80)}`];
  });
  expect(unread).toEqual([]);
});

test("every YAML block is what the files of a workspace may hold, and whole files are read as such", async () => {
  const known = Object.values(await fileSchemas()).map((schema) => (schema as { properties: object }).properties);
  const yaml = DOCUMENTS.flatMap(blocks).filter(({ language }) => language === "yaml");
  const settings = yaml.find(({ code }) => code.startsWith("version: 1"))?.code as string;
  for (const { at, code } of yaml) {
    const value = parse(code, { uniqueKeys: false }) as object;
    const places = known.filter((keys) => Object.keys(value).every((key) => Object.hasOwn(keys, key) || key === "publish"));
    expect([at, places.length > 0]).toEqual([at, true]);
    const whole =
      "kit" in value ? "kits/one.yaml" : "domain" in value ? "domains/one.yaml" : "version" in value ? "zandrel.yaml" : undefined;
    if (whole === undefined) continue;
    const folder = folderWith();
    for (const [path, text] of [
      ["zandrel.yaml", settings],
      [whole, code],
    ] as const) {
      mkdirSync(dirname(join(folder, path)), { recursive: true });
      writeFileSync(join(folder, path), text);
    }
    expect([
      at,
      whole.startsWith("kits") ? (await readKit(folder, folder, "one")).kit.service : openWorkspace(folder, folder).folder,
    ]).toBeTruthy();
  }
});

test("the words of the contract that a document lists are those of the contract", () => {
  const text = readFileSync(`${root}docs/service-link.md`, "utf8");
  const kinds = /^- Kinds: (.*?)\. /m.exec(text)?.[1] as string;
  expect([...kinds.matchAll(/`(\w+)`/g)].map(([, kind]) => kind)).toEqual([...EVENT_KINDS]);
  expect([...text.matchAll(/^\| `(\w+)` +\| `(?:GET|POST)/gm)].map(([, offer]) => offer)).toEqual([...OFFERS]);
  for (const [, scope] of text.matchAll(/scope `(\w+)`/g)) expect(SCOPES).toContain(scope);
});
