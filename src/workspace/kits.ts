import { createHash } from "node:crypto";
import { existsSync, rmSync } from "node:fs";
import { basename, extname, join, resolve } from "node:path";
import * as z from "zod";
import { Failure } from "../core/failure.ts";
import { checkKit, type Kit, kitSchema } from "../core/kit/index.ts";
import { checkTemplate, kitOfTemplate, type Template, templateSchema, type Unsaid } from "../core/template/index.ts";
import { filesIn, readText, replaceFile } from "./files.ts";
import { settingsSchema } from "./schema.ts";
import { readOwn, SETTINGS_FILE } from "./workspace.ts";
import { readYaml, withEntry, withValue } from "./yaml-file.ts";

/** A kit as a file holds it: written as one, or as a template of the open set-up format, with what a kit cannot say of that. */
export interface KitFile {
  readonly kit: Kit;
  readonly template?: Template;
  readonly unsaid: readonly Unsaid[];
}

/** Reads a kit or a template; a mistake is shown with file, line and column. JSON is YAML, too. */
export function parseKit(path: string, text: string): KitFile {
  const { value } = readYaml(path, text, z.unknown());
  if (typeof value === "object" && value !== null && "providerId" in value) {
    const file = readYaml(path, text, templateSchema);
    const [mistake] = checkTemplate(file.value);
    if (mistake?.code === "field-malformed")
      throw new Failure("template-field-form", {
        at: file.place(["records", mistake.record, mistake.field]),
        type: mistake.type,
        field: mistake.field,
      });
    if (mistake !== undefined)
      throw new Failure("template-field", {
        at: file.place(["records", mistake.record]),
        type: mistake.type,
        field: mistake.field,
        isReserved: mistake.code === "variable-reserved",
      });
    return { ...kitOfTemplate(file.value), template: file.value };
  }
  const file = readYaml(path, text, kitSchema);
  const [mistake] = checkKit(file.value);
  if (mistake?.code === "unknown-blank")
    throw new Failure("kit-blank", { path: file.path, ask: mistake.ask, blank: mistake.blank });
  if (mistake?.code === "unknown-ask")
    throw new Failure("kit-after", { path: file.path, ask: mistake.ask, after: mistake.after });
  return { kit: file.value, unsaid: [] };
}

/** Where a kit may be kept in the workspace's kits folder: written as a kit, or as a template. */
const FORMS = [".yaml", ".json"] as const;

/** Reads a kit: by its name in the workspace's kits folder, or by its path. */
export function readKit(folder: string, from: string, nameOrPath: string): KitFile {
  const isName = basename(nameOrPath) === nameOrPath;
  const own = isName ? FORMS.map((form) => join(folder, "kits", `${nameOrPath}${form}`)).find(existsSync) : undefined;
  const path = own ?? resolve(from, nameOrPath);
  if (!existsSync(path)) throw new Failure("unknown-kit", { given: nameOrPath, known: kitNames(folder) });
  return parseKit(path, own === undefined ? readText(path) : readOwn(folder, path));
}

/** The names of the kits in the workspace's kits folder, as `--kit` takes them. */
export const kitNames = (folder: string): string[] => [
  ...new Set(FORMS.flatMap((form) => filesIn(join(folder, "kits"), form).map((file) => file.slice(0, -form.length)))),
];

/** The kits of the workspace that can be read; a mistake in one is told where it is used. */
export function kitsOf(folder: string): KitFile[] {
  return kitNames(folder).flatMap((name) => {
    try {
      return [readKit(folder, folder, name)];
    } catch (error) {
      if (error instanceof Failure) return [];
      throw error;
    }
  });
}

/** The hash by which a kit from elsewhere is known again. */
export const kitHash = (text: string): string => createHash("sha256").update(text).digest("hex");

/** What is kept of a kit from an address: its last agreed contents; undefined where it was never used. */
export function keptKit(folder: string, name: string): string | undefined {
  const path = FORMS.map((form) => join(folder, "kits", `${name}${form}`)).find(existsSync);
  return path === undefined ? undefined : readOwn(folder, path);
}

/** The name under which a kit from an address is kept: the last part of its path. */
export const nameOfKitAt = (url: string): string => {
  const path = new URL(url).pathname;
  const name = basename(path, extname(path))
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .slice(0, 63)
    .replace(/^-+|-+$/g, "");
  return name === "" ? "kit" : name;
};

/** Keeps a kit from an address in the kits folder, and its hash in zandrel.yaml. Run inside {@link lockWorkspace}. */
export function pinKit(folder: string, name: string, url: string, text: string): void {
  const path = join(folder, SETTINGS_FILE);
  const before = readText(path);
  const { kits } = readYaml(path, before, settingsSchema).value;
  const entry = { url, sha256: kitHash(text) };
  const after = Object.hasOwn(kits, name)
    ? withValue(before, ["kits", name], entry)
    : withEntry(before, "kits", { [name]: entry });
  readYaml(path, after, settingsSchema);
  const form = text.trimStart().startsWith("{") ? ".json" : ".yaml";
  replaceFile(join(folder, "kits", `${name}${form}`), text, { isOurs: true });
  // What was a kit may come as a template now, and the reverse; only one of them counts.
  for (const other of FORMS) if (other !== form) rmSync(join(folder, "kits", `${name}${other}`), { force: true });
  if (after !== before) replaceFile(path, after, { isOurs: true });
}
