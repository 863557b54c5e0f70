import { closeSync, mkdtempSync, openSync, readdirSync, readSync, rmSync, statSync } from "node:fs";
import { tmpdir } from "node:os";
import { basename, join } from "node:path";
import { Failure } from "../core/failure.ts";
import type { MessageSource } from "../core/message/index.ts";
import { writeAll } from "../write-all.ts";
import { beginningOf, openRegular } from "./files.ts";

/** A message on the disk. */
export interface StoredMessage {
  /** What people call it: its file, or its number in a mailbox. */
  readonly title: string;
  readonly source: MessageSource;
}

/** Octets that are read at a time. */
const CHUNK = 64 << 10;

const unreadable = (path: string, error: unknown): Failure => {
  if (error instanceof Failure) return error;
  return new Failure("file-unreadable", { path, why: (error as NodeJS.ErrnoException).code ?? "" });
};

/** A file, or a part of one, as often as it is wanted; read into one buffer again and again. */
export function fileSource(
  path: string,
  { start = 0, end = Number.POSITIVE_INFINITY }: { readonly start?: number; readonly end?: number } = {},
): MessageSource {
  return {
    async *chunks() {
      const { file } = openRegular(path);
      try {
        const buffer = Buffer.allocUnsafe(CHUNK);
        for (let at = start; at < end; ) {
          const count = readSync(file, buffer, 0, Math.min(CHUNK, end - at), at);
          if (count === 0) return;
          yield buffer.subarray(0, count);
          at += count;
        }
      } finally {
        closeSync(file);
      }
    },
  };
}

/** Messages up to this size, in octets, are handed on as they were read with their mailbox; larger ones are read once more. */
const SMALL = 1 << 20;

const isBlankBefore = (octets: Buffer, lineFeed: number): boolean =>
  octets[lineFeed - 1] === 10 || (octets[lineFeed - 1] === 13 && octets[lineFeed - 2] === 10);

/** Takes the mark off lines that a mailbox quotes because they begin with “From ”. */
async function* unquoted(chunks: AsyncIterable<Buffer> | Iterable<Buffer>): AsyncGenerator<Buffer> {
  let carry: Buffer = Buffer.alloc(0);
  for await (const chunk of chunks) {
    const octets = carry.length === 0 ? chunk : Buffer.concat([carry, chunk]);
    // The last line may go on in the next chunk; only its beginning matters.
    const last = octets.lastIndexOf(10);
    const end = last !== -1 && last > octets.length - 64 ? last : octets.length;
    carry = Buffer.from(octets.subarray(end));
    let from = 0;
    for (let at = octets.indexOf("\n>"); at !== -1 && at < end; at = octets.indexOf("\n>", at + 1)) {
      let mark = at + 1;
      while (octets[mark] === 62) mark += 1;
      if (octets.toString("latin1", mark, mark + 5) !== "From ") continue;
      yield octets.subarray(from, at + 1);
      from = at + 2;
    }
    if (from < end) yield octets.subarray(from, end);
  }
  if (carry.length > 0) yield carry;
}

/** The messages of an mbox file (RFC 4155), one after the other; a line “From ” behind an empty line begins the next. */
async function* mboxMessages(path: string, shown: string): AsyncGenerator<StoredMessage> {
  let octets: Buffer = Buffer.alloc(0);
  /** Where `octets` begins in the file, and where the current message does. */
  let base = 0;
  let start = 0;
  let number = 0;
  const message = (end: number): StoredMessage => {
    number += 1;
    const inMemory = start >= base ? octets.subarray(start - base, end - base) : undefined;
    const source: MessageSource = inMemory === undefined ? fileSource(path, { start, end }) : { chunks: () => [inMemory] };
    // Most messages hold no quoted line, and need no second look.
    const quotes = inMemory === undefined || inMemory.includes("\n>");
    return { title: `${basename(shown)} #${number}`, source: quotes ? { chunks: () => unquoted(source.chunks()) } : source };
  };
  let inEnvelope = true;
  for await (const chunk of fileSource(path).chunks()) {
    octets = Buffer.concat([octets, chunk]);
    let at = Math.max(0, octets.length - chunk.length - 8);
    for (;;) {
      if (inEnvelope) {
        const line = octets.indexOf(10, Math.max(0, start - base));
        if (line === -1) break;
        start = base + line + 1;
        at = line;
        inEnvelope = false;
      }
      const found = octets.indexOf("\nFrom ", at);
      if (found === -1) break;
      at = found + 1;
      if (base + found + 1 < start || !(isBlankBefore(octets, found) || base + found + 1 === start)) continue;
      const end = base + found - (octets[found - 1] === 13 ? 1 : 0);
      const storedMessage = message(Math.max(start, end));
      start = base + found + 1;
      inEnvelope = true;
      yield storedMessage;
    }
    // Of a large message only the last octets stay, where the next one may begin.
    const keepFrom = octets.length - (start - base) > SMALL ? octets.length - 8 : Math.min(octets.length, start - base);
    if (keepFrom > 0) {
      octets = octets.subarray(keepFrom);
      base += keepFrom;
    }
  }
  if (!inEnvelope) yield message(base + octets.length);
}

/** Whether a file is an mbox: it begins with the line that separates its messages. */
const isMbox = (path: string): boolean => beginningOf(path, 5).toString("latin1") === "From ";

const filesOf = (folder: string): string[] =>
  readdirSync(folder, { withFileTypes: true })
    .filter((entry) => entry.isFile() && !entry.name.startsWith("."))
    .map((entry) => join(folder, entry.name))
    .sort();

/** What a path holds: one message, or a mailbox with any number. */
export type Stored =
  | { readonly kind: "message"; readonly message: StoredMessage }
  | { readonly kind: "mailbox"; readonly messages: AsyncIterable<StoredMessage> };

/** Opens a message, an mbox, a Maildir, or a folder of messages; `shown` is what people know it by. */
export function openMessages(path: string, shown = path): Stored {
  try {
    if (statSync(path).isDirectory()) {
      const maildir = ["new", "cur"]
        .map((part) => join(path, part))
        .filter((part) => statSync(part, { throwIfNoEntry: false })?.isDirectory());
      const files = (maildir.length > 0 ? maildir : [path]).flatMap(filesOf);
      const messages = files.map((file) => ({ title: basename(file), source: fileSource(file) }));
      return {
        kind: "mailbox",
        messages: (async function* () {
          yield* messages;
        })(),
      };
    }
    if (isMbox(path)) return { kind: "mailbox", messages: mboxMessages(path, shown) };
  } catch (error) {
    throw unreadable(path, error);
  }
  return { kind: "message", message: { title: shown, source: fileSource(path) } };
}

/** Puts a stream into a file that only this user can read, so that it can be read more than once. Close it when done. */
export async function spool(stream: AsyncIterable<Buffer>): Promise<{ readonly path: string; close(): void }> {
  const folder = mkdtempSync(join(tmpdir(), "zandrel-"));
  const close = (): void => rmSync(folder, { recursive: true, force: true });
  try {
    const path = join(folder, "message");
    const file = openSync(path, "wx", 0o600);
    try {
      for await (const chunk of stream) writeAll(file, chunk);
    } finally {
      closeSync(file);
    }
    return { path, close };
  } catch (error) {
    close();
    throw new Failure("cannot-write", { path: tmpdir(), why: (error as NodeJS.ErrnoException).code ?? "" });
  }
}
