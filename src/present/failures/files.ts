import type { Clause } from "../../core/clause/index.ts";
import { inWords } from "../clauses/index.ts";
import { count, listOf } from "../english.ts";
import { shellWord, visible } from "../safe.ts";
import { type Failings, line, meant, type Place, quote, say, size, type Unknown, undetermined, usage } from "./words.ts";

const WHY: Readonly<Record<string, string>> = {
  ENOENT: "is not there",
  missing: "is not there",
  EACCES: "may not be read",
  EISDIR: "is a folder",
  ELOOP: "is a link that leads in a circle",
  special: "is a pipe or a device and no file",
};
const NOT_WRITTEN: Readonly<Record<string, string>> = {
  ENOSPC: "the disk is full",
  EDQUOT: "your share of the disk is used up",
  EFBIG: "it would be larger than a file may be here",
  EACCES: "you may not write there",
  EPERM: "you may not write there, or not in the name of its owner",
  EROFS: "the disk can only be read",
  ENOENT: "it is a link that leads nowhere",
  ENOTDIR: "a part of its path is not a folder",
  EISDIR: "it is a folder",
  ENAMETOOLONG: "its name is too long",
  special: "it is a pipe or a device and no file",
};
const CHECK_PATH = "check the path";

export const FILES = {
  "file-unreadable": usage(({ path, why }: { path: string; why: string }) =>
    say(
      `${visible(path)} ${WHY[why] ?? `cannot be read (${visible(why)})`}`,
      why === "special" ? "save what it holds as a file, or give it on standard input where the command takes -" : CHECK_PATH,
      path,
    ),
  ),
  "file-outside": usage(({ path }: { path: string }) =>
    say(`a link leads from ${visible(path)} out of the workspace`, "put the file itself there", path),
  ),
  "file-too-large": usage(({ path, octets }: { path: string; octets: number }) =>
    say(`${visible(path)} is larger than ${size(octets)}`, "give only the part that matters", path),
  ),
  "output-not-written": usage(({ why }: { why: string }) =>
    say(
      `the result could not be written to the end, because ${NOT_WRITTEN[why] ?? visible(why)}`,
      "do not use the file it went to; make room and run the command again",
    ),
  ),
  "cannot-write": usage(({ path, why }: { path: string; why: string }) =>
    say(
      `${visible(path)} cannot be written, because ${NOT_WRITTEN[why] ?? visible(why)}; what was there is untouched`,
      why === "ENOSPC" || why === "EDQUOT"
        ? "make room, then run the command again"
        : "allow writing there or name another file, then run the command again",
      path,
    ),
  ),
  "file-there": usage(
    ({ path, what }: { path: string; what: "key" | "secret" | "capture" | "template" | "dossier" | "drawing" }) =>
      say(
        `${visible(path)} already exists${what === "key" ? ", and a key is never overwritten" : what === "secret" ? ", and a secret is never overwritten" : ""}`,
        what === "key"
          ? "choose another selector with --selector"
          : what === "secret"
            ? "name another file with --secret-file, or remove this one if it is empty"
            : what === "dossier"
              ? "write into another folder with --folder, or replace it with --force"
              : what === "drawing"
                ? "name another file with --into, or replace it with --force"
                : "name another file with --file, or replace it with --force",
        path,
      ),
  ),
  "not-yaml": usage(({ at, found, because }: { at: Place; found: string; because: string }) =>
    say(
      `${at}: this is not YAML${found === "" ? "" : ` at ${quote(found)}`}: ${visible(because.replace(/\s+/g, " "))}`,
      "correct that line",
      at,
    ),
  ),
  "yaml-aliases": usage(({ path, because }: { path: string; because: string }) =>
    say(`${path}: the aliases in this file multiply too far (${visible(because)})`, "write the values out", `${path}:1:1`),
  ),
  "yaml-value": usage(({ at, found, because }: { at: Place; found: string; because: Clause }) =>
    say(`${at}: ${found === "" ? "this value" : quote(found)} is wrong: ${visible(inWords(because))}`, "correct it", at),
  ),
  "zone-file-line": usage(
    ({
      file,
      line: row,
      column,
      found,
      expected,
    }: {
      file: string;
      line: number;
      column: number;
      found: string;
      expected: Clause;
    }) =>
      say(
        `${visible(file)}:${row}:${column}: ${line(found, inWords(expected))}`,
        "correct that line",
        `${file}:${row}:${column}`,
      ),
  ),
  "list-line": usage(({ path, line: number, because }: { path: string; line: number; because: string }) =>
    say(`line ${number} of ${visible(path)} cannot be read as a line of a list (${visible(because)})`, "correct the line", path),
  ),
  "list-column": usage(({ path, wanted, known: cells }: { path: string; wanted: string | undefined; known: readonly string[] }) =>
    say(
      wanted === undefined
        ? `${visible(path)} does not say which of its ${cells.length} columns holds the domains`
        : `${visible(path)} has no column ${quote(wanted)}`,
      `name the column with --column, by its title or its number; the first line has ${listOf(cells.slice(0, 12).map(visible))}`,
      path,
    ),
  ),
  "list-empty": usage(({ path, skipped, column }: { path: string; skipped: number; column: string | undefined }) =>
    say(
      `there is no domain in ${column === undefined ? "" : `the column ${quote(column)} of `}${path === "" || path === "-" ? "the list" : visible(path)}${skipped === 0 ? "" : `, and ${count(skipped, "line")} in it could not be read as one`}`,
      `give a file with one domain a line, such as brackwater.example${column === undefined ? "" : ", or name the column that holds the domains with --column"}`,
      path,
    ),
  ),
  "unknown-sweep": usage(({ given, known: words }: Unknown) =>
    words.length === 0
      ? say("there is no sweep yet", "make one with zandrel sweep LIST, where LIST is a file with one domain a line")
      : say(
          `there is no sweep called ${quote(given)}${meant(given, words)}`,
          `the sweeps here are ${listOf(words.slice(0, 10))}${words.length > 10 ? ` and ${words.length - 10} older ones` : ""}`,
        ),
  ),
  "sweeps-apart": usage(({ before, after }: { before: string; after: string }) =>
    say(
      `${visible(before)} and ${visible(after)} looked at different areas, so there is nothing to compare`,
      "name two sweeps with the same --checks",
    ),
  ),
  "journal-away": undetermined(({ place, title, because }: { place: string; title: string; because: string }) =>
    say(
      `${title} at ${visible(place)} could not be used: ${visible(because)}`,
      "see that the database runs, that the address and the password are right, and that it has room",
      "zandrel.yaml",
    ),
  ),
  "journal-not-empty": usage(({ place }: { place: string }) =>
    say(
      `${visible(place)} already holds a journal, and two are never mixed`,
      "name an empty database, or set the file aside if it is an old copy",
      place,
    ),
  ),
  "moving-broken": usage(({ path }: { path: string }) =>
    say(
      `${visible(path)} says where a move of the journal was broken off, and cannot be read`,
      "look where zandrel.yaml says that the journal is kept, and remove this file",
      path,
    ),
  ),
  "journal-shared": usage(({ journal }: { journal: string }) =>
    say(
      `the journal is kept at ${visible(journal)}`,
      "move it back with zandrel journal here, and then to the other database",
      "zandrel.yaml",
    ),
  ),
  "journal-form": usage(() =>
    say(
      "that is not the address of a database that may be written into zandrel.yaml",
      "give env:NAME or file:PATH, where the address is kept, or postgres://USER@HOST/DATABASE without a password",
    ),
  ),
  "journal-moved": usage(({ title }: { title: string }) =>
    say(`${title} of this workspace was moved to a shared database while this ran`, "run the command again"),
  ),
  "journal-there": usage(({ journal }: { journal: string }) =>
    say(
      `the journal is kept ${journal === "here" ? "in this workspace" : `at ${visible(journal)}`} already`,
      "there is nothing to do",
      "zandrel.yaml",
    ),
  ),
  "queue-secret": usage(({ option }: { option: string }) =>
    say(
      `--${option} holds a password, which everybody on this machine can see`,
      "keep the address in a variable or a file, and give env:NAME or file:PATH",
      `--${option}`,
    ),
  ),
  "queue-form": usage(({ option }: { option: string }) =>
    say(
      `--${option} is not the address of a database`,
      "give env:NAME or file:PATH, where the address is kept, or postgres://USER@HOST/DATABASE without a password",
      `--${option}`,
    ),
  ),
  "queue-failed": undetermined(({ place, because }: { place: string; because: string }) =>
    say(
      `the database at ${visible(place)} could not be used: ${visible(because)}`,
      "see that it runs, that the address and the password are right, and that it has room",
      "--queue",
    ),
  ),
  "newer-database": usage(({ path, title, version }: { path: string; title: string; version: number }) =>
    say(`${path} was written by a newer Zandrel (${title}, format ${version})`, "update Zandrel", path),
  ),
  "database-broken": usage(({ path, title, because, holds }: { path: string; title: string; because: string; holds: string }) =>
    say(
      `the file of ${title}, ${visible(path)}, is damaged (${visible(because)})`,
      `set it aside with mv ${shellWord(path)} ${shellWord(`${path}.damaged`)} and run the command again: a new one begins, and what is gone is ${holds}`,
      path,
    ),
  ),
  "variable-there": usage(({ path, name }: { path: string; name: string }) =>
    say(
      `${visible(path)} already has a value for ${visible(name)}, and it is kept`,
      "choose another name with --as, or add --force to replace the value",
      path,
    ),
  ),
  "database-busy": usage(({ path, title }: { path: string; title: string }) =>
    say(
      `another zandrel has been writing to ${title} (${visible(path)}) for half a minute`,
      "wait until it is done, then run the command again",
      path,
    ),
  ),
} satisfies Failings;
