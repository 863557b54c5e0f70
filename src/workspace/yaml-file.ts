import {
  isMap,
  isScalar,
  isSeq,
  LineCounter,
  type Node,
  type ParsedNode,
  parseDocument,
  type Scalar,
  stringify,
  type YAMLMap,
  type YAMLSeq,
} from "yaml";
import type * as z from "zod";
import { clauseOfIssue } from "../core/clause/index.ts";
import { Failure } from "../core/failure.ts";
import { givesAway } from "../secrets.ts";

/** A YAML file as text, with its parsed form for finding places in it. */
export interface YamlFile<T> {
  readonly path: string;
  readonly text: string;
  readonly value: T;
  /** `file:line:column` of the value at a path of keys. */
  place(keys: readonly PropertyKey[]): string;
}

/** No file of a workspace needs more; a larger one is somebody's mistake or attack. */
const MAX_OCTETS = 4 * 1024 * 1024;

/** Keys whose values are nobody's to see, and the rest of a line behind one. */
const SECRET_KEY = /secret|passw|token|credential|\bkey\b/i;
const SECRET_LINE = /^([^:]*(?:secret|passw|token|credential|\bkey\b)[^:]*:\s*).*$/i;

/** What is at an offset, to recognise it by; of a line with a secret only its key. */
function excerpt(text: string, offset: number, keys: readonly PropertyKey[] = []): string {
  if (keys.some((key) => typeof key === "string" && SECRET_KEY.test(key))) return "";
  const end = text.indexOf("\n", offset);
  const line = text.slice(text.lastIndexOf("\n", offset - 1) + 1, end === -1 ? text.length : end);
  const rest = text.slice(offset, Math.min(end === -1 ? text.length : end, offset + 60)).trim();
  // An address may hold a password wherever it stands.
  if (/[:/][^\s/:@]*:[^\s/@]+@/.test(line) || line.split(/["'\s]+/).some((word) => givesAway(word))) return "";
  if (!SECRET_LINE.test(line)) return rest;
  return SECRET_LINE.test(rest) ? rest.replace(SECRET_LINE, "$1…") : "";
}

/** Reads and checks a YAML file; a mistake is shown with file, line, column, the text there and what was expected. */
export function readYaml<S extends z.ZodType>(path: string, text: string, schema: S): YamlFile<z.output<S>> {
  if (text.length > MAX_OCTETS) throw new Failure("file-too-large", { path, octets: 4 * 1024 * 1024 });
  const lines = new LineCounter();
  const document = parseDocument(text, { lineCounter: lines, prettyErrors: false });
  const at = (offset: number) => {
    const { line, col } = lines.linePos(offset);
    return `${path}:${Math.max(1, line)}:${Math.max(1, col)}`;
  };
  const [broken] = document.errors;
  if (broken !== undefined) {
    const found = excerpt(text, broken.pos[0]);
    throw new Failure("not-yaml", { at: at(broken.pos[0]), found, because: broken.message });
  }
  let raw: unknown;
  try {
    // Aliases may not multiply: a small file must not become a giant value.
    raw = document.toJS({ maxAliasCount: 50 });
  } catch (error) {
    throw new Failure("yaml-aliases", { path, because: (error as Error).message });
  }
  const place = (keys: readonly PropertyKey[]) => at(offsetOf(document.contents, keys));
  const checked = schema.safeParse(raw);
  if (!checked.success) {
    const issue = checked.error.issues[0] as z.core.$ZodIssue;
    // An unknown key is shown at the key, everything else at the value.
    const keys = issue.code === "unrecognized_keys" ? [...issue.path, issue.keys[0] as string] : issue.path;
    const found = excerpt(text, offsetOf(document.contents, keys, issue.code === "unrecognized_keys"), issue.path);
    throw new Failure("yaml-value", {
      at: at(offsetOf(document.contents, keys, issue.code === "unrecognized_keys")),
      found,
      because: clauseOfIssue(issue),
    });
  }
  return { path, text, value: checked.data, place };
}

/** Offset of the deepest node along a path of keys; of the key itself where `atKey` is set. */
function offsetOf(root: ParsedNode | null, keys: readonly PropertyKey[], atKey = false): number {
  let node: Node | null = root;
  let offset = root?.range?.[0] ?? 0;
  for (const [i, key] of keys.entries()) {
    if (isMap(node)) {
      const pair: YAMLMap<Node, Node | null>["items"][number] | undefined = (node as YAMLMap<Node, Node | null>).items.find(
        (item) => isScalar(item.key) && item.key.value === key,
      );
      if (pair === undefined) return offset;
      offset = (pair.key as Scalar).range?.[0] ?? offset;
      if (atKey && i === keys.length - 1) return offset;
      node = pair.value;
    } else if (isSeq(node)) {
      node = ((node as YAMLSeq<Node>).items[key as number] as Node | undefined) ?? null;
    } else return offset;
    offset = node?.range?.[0] ?? offset;
  }
  return offset;
}

/** A value as block YAML, indented for its place. */
function blockOf(value: unknown, indent: number): string {
  const text = stringify(value, { lineWidth: 0, blockQuote: "literal", defaultStringType: "PLAIN" });
  return text.replace(/^(?=.)/gm, " ".repeat(indent));
}

/**
 * The text of a YAML file with one entry more at the end of the list or map under a key of its top level:
 * `[item]` for a list, `{key: value}` for a map. Every character that is already there stays: comments,
 * order, layout.
 */
export function withEntry(text: string, key: string, entry: readonly [unknown] | Readonly<Record<string, unknown>>): string {
  const root = parseDocument(text).contents;
  const pair = isMap(root) ? root.items.find((item) => isScalar(item.key) && item.key.value === key) : undefined;
  if (pair === undefined) return `${text}${text === "" || text.endsWith("\n") ? "" : "\n"}${key}:\n${blockOf(entry, 2)}`;
  const under = pair.value as ParsedNode | null;
  if ((isSeq(under) || isMap(under)) && !under.flow && under.items.length > 0) {
    const [start, end] = under.range as [number, number, number];
    const lineStart = text.lastIndexOf("\n", start - 1) + 1;
    const indent = /^ */.exec(text.slice(lineStart))?.[0].length ?? 0;
    const at = text[end - 1] === "\n" ? end : text.indexOf("\n", end) + 1 || text.length;
    return `${text.slice(0, at)}${text[at - 1] === "\n" ? "" : "\n"}${blockOf(entry, indent)}${text.slice(at)}`;
  }
  // `asks: []` or `asks:` with nothing behind it gets its entries in block form.
  const keyEnd = text.indexOf(":", (pair.key as Scalar).range?.[1] ?? 0) + 1;
  const valueEnd = Math.max(keyEnd, under?.range?.[1] ?? keyEnd);
  return `${text.slice(0, keyEnd)}\n${blockOf(entry, 2)}${text.slice(valueEnd).replace(/^[^\S\n]*\n?/, "")}`;
}

/** The value under a path of keys, as block YAML of its own. */
export const valueText = (text: string, path: readonly string[]): string => blockOf(parseDocument(text).getIn(path), 0);

/**
 * The text of a YAML file with another value under a path of keys; the map that the last key belongs to has to be there.
 * Every character around the value stays: comments, order, layout.
 */
export function withValue(text: string, path: readonly string[], value: unknown): string {
  const document = parseDocument(text);
  const parent = (path.length === 1 ? document.contents : document.getIn(path.slice(0, -1))) as
    | YAMLMap<Node, Node | null>
    | undefined;
  const key = path.at(-1) as string;
  if (path.length > 1 && (!isMap(parent) || parent.flow === true || parent.items.length === 0))
    // A map on one line is written again, on lines of its own.
    return withValue(text, path.slice(0, -1), { ...(isMap(parent) ? parent.toJSON() : {}), [key]: value });
  if (!isMap(parent)) throw new Error("a map is expected at the top of the file");
  const first = (parent.items[0] as { key: Scalar }).key.range?.[0] ?? 0;
  const indent = first - (text.lastIndexOf("\n", first - 1) + 1);
  const pair = parent.items.find((item) => isScalar(item.key) && item.key.value === key);
  const block = blockOf({ [key]: value }, indent);
  const afterLine = (at: number) => (text[at - 1] === "\n" ? at : text.indexOf("\n", at) + 1 || text.length);
  if (pair === undefined) {
    const at = afterLine((parent as unknown as Node).range?.[1] ?? text.length);
    return `${text.slice(0, at)}${text[at - 1] === "\n" ? "" : "\n"}${block}${text.slice(at)}`;
  }
  const from = (pair.key as Scalar).range?.[0] ?? 0;
  const end = pair.value?.range?.[1] ?? (pair.key as Scalar).range?.[1] ?? 0;
  const to = afterLine(end);
  // What follows on the line of the key or of a short value is a comment, and stays.
  const keyLine = text.slice(from, text.indexOf("\n", from));
  const rest = text.slice(end, to).trim() || (from + keyLine.length < end ? (/\s(#.*)$/.exec(keyLine)?.[1] ?? "") : "");
  const [line = "", ...more] = block.slice(indent).split("\n");
  return `${text.slice(0, from)}${[`${line}${rest === "" ? "" : ` ${rest}`}`, ...more].join("\n")}${text.slice(to)}`;
}

/** The text of a YAML file with the value of a key of its top level changed, or the key added behind the first of some others that is there. */
export function withScalar(text: string, key: string, value: string, behind: readonly string[]): string {
  const root = parseDocument(text).contents;
  const find = (wanted: string) =>
    isMap(root) ? root.items.find((item) => isScalar(item.key) && item.key.value === wanted) : undefined;
  const range = (find(key)?.value as ParsedNode | undefined)?.range;
  if (range !== undefined && range !== null) return `${text.slice(0, range[0])}${value}${text.slice(range[1])}`;
  const before = behind.map(find).find((pair) => pair !== undefined);
  const end = (before?.value as ParsedNode | undefined)?.range?.[1] ?? 0;
  const at = text.indexOf("\n", end) + 1 || text.length;
  return `${text.slice(0, at)}${key}: ${value}\n${text.slice(at)}`;
}

/**
 * The text of a YAML file without one entry of the list under a key of its top level. Comments in front of the
 * entry stay; every other character does too.
 */
export function withoutEntry(text: string, key: string, index: number): string {
  const root = parseDocument(text).contents;
  const pair = isMap(root) ? root.items.find((item) => isScalar(item.key) && item.key.value === key) : undefined;
  const list = pair?.value;
  if (pair === undefined || !isSeq(list)) return text;
  const item = list.items[index] as Node | undefined;
  if (item === undefined) return text;
  const lineStart = (at: number) => text.lastIndexOf("\n", at - 1) + 1;
  if (list.flow || list.items.length === 1) {
    const [start, end] = list.range as [number, number, number];
    const left = list.flow
      ? (list.items as Node[]).filter((candidate) => candidate !== item).map((one) => text.slice(one.range?.[0], one.range?.[1]))
      : [];
    const keyEnd = text.indexOf(":", (pair.key as Scalar).range?.[1] ?? 0) + 1;
    // Comments between the key and the only entry stay behind the empty list.
    const between = text.slice(keyEnd, lineStart(start)).trim();
    return `${text.slice(0, keyEnd)} [${left.join(", ")}]${between === "" ? "" : `  ${between}`}\n${text.slice(text[end - 1] === "\n" ? end : text.indexOf("\n", end) + 1 || text.length)}`;
  }
  const from = lineStart((item.range as [number, number, number])[0]);
  const end = (item.range as [number, number, number])[1];
  const to = text[end - 1] === "\n" ? end : text.indexOf("\n", end) + 1 || text.length;
  return text.slice(0, from) + text.slice(to);
}
