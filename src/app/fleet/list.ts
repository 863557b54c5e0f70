import { createHash } from "node:crypto";
import { createReadStream, mkdtempSync, rmSync, statSync, writeFileSync } from "node:fs";
import { open } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join, resolve } from "node:path";
import { pipeline, Readable } from "node:stream";
import { parse } from "csv-parse";
import { decoderOf, type Encoding, encodingOf } from "../../core/encoding.ts";
import { Failure } from "../../core/failure.ts";
import { columnsOf, delimiterOf, readListed, type SkippedLine, type SweepEntry } from "../../core/sweep/index.ts";
import type { AppContext } from "../context.ts";

/** Octets of one line of a list, at most; what is longer is not a list of domains. */
const MAX_LINE = 1 << 16;

/** Octets of a list on standard input, at most: it may have no end. */
const MAX_LIST = 1 << 30;

/** A list of domains as it lies on the disk. */
export interface List {
  readonly path: string;
  /** What people call it: its file, or `stdin`. */
  readonly title: string;
  /** The SHA-256 of what it holds, by which it is known again. */
  readonly fingerprint: string;
  close(): void;
}

/** Opens a list: a file, or standard input, which is kept on the disk while it is read. */
export async function openList(given: string, { cwd, input }: Pick<AppContext, "cwd" | "input">): Promise<List> {
  const spool = given === "-" ? mkdtempSync(join(tmpdir(), "zandrel-list-")) : undefined;
  const close = () => spool !== undefined && rmSync(spool, { recursive: true, force: true });
  try {
    const path = spool === undefined ? resolve(cwd, given) : join(spool, "list");
    if (spool !== undefined) {
      writeFileSync(path, "", { mode: 0o600 });
      const file = await open(path, "a");
      let octets = 0;
      try {
        for await (const chunk of input()) {
          octets += chunk.length;
          if (octets > MAX_LIST) throw new Failure("input-too-large", { octets: MAX_LIST });
          await file.appendFile(chunk);
        }
      } finally {
        await file.close();
      }
    } else if (!statSync(path).isFile()) throw new Failure("file-unreadable", { path: given, why: "special" });
    const hash = createHash("sha256");
    for await (const chunk of createReadStream(path)) hash.update(chunk as Buffer);
    return { path, title: given === "-" ? "stdin" : given, fingerprint: hash.digest("hex"), close };
  } catch (error) {
    close();
    if (error instanceof Failure) throw error;
    throw new Failure("file-unreadable", { path: given, why: (error as NodeJS.ErrnoException).code ?? "" });
  }
}

/** The first line that says something, and how the text is encoded. */
async function beginning(path: string): Promise<{ line: string; encoding: Encoding }> {
  const file = await open(path);
  try {
    const { buffer, bytesRead } = await file.read(Buffer.alloc(MAX_LINE), 0, MAX_LINE, 0);
    const start = buffer.subarray(0, bytesRead);
    const encoding = encodingOf(start);
    const lines = decoderOf(encoding)(start).split(/\r\n|\r|\n/);
    return { line: lines.find((candidate) => candidate.trim() !== "" && !candidate.startsWith("#")) ?? "", encoding };
  } finally {
    await file.close();
  }
}

/** A file piece by piece, as text. */
async function* decoded(path: string, encoding: Encoding): AsyncGenerator<string> {
  const decode = decoderOf(encoding);
  for await (const chunk of createReadStream(path)) yield decode(chunk as Buffer);
  yield decode();
}

/** A list that is being read: the names of its own columns, and its lines. */
export interface ListReading {
  readonly columns: readonly string[];
  /** The title of the column with the domains, where it has one. */
  readonly column: string | undefined;
  readonly lines: AsyncIterable<SweepEntry | SkippedLine>;
}

/** Reads a list of domains: one a line, or a table with a column of them, whose other columns are kept. */
export async function readList({ path, title }: List, column: string | undefined): Promise<ListReading> {
  const { line, encoding } = await beginning(path);
  const delimiter = delimiterOf(line);
  const rows = parse({
    bom: true,
    // Without a delimiter each line is one cell: this character stands in no text.
    delimiter: delimiter ?? "\ufffe",
    quote: delimiter === undefined ? false : '"',
    relax_quotes: true,
    relax_column_count: true,
    skip_empty_lines: true,
    info: true,
    max_record_size: MAX_LINE,
  });
  // What goes wrong while reading ends the rows.
  pipeline(Readable.from(decoded(path, encoding)), rows, () => undefined);
  const iterator = rows[Symbol.asyncIterator]() as AsyncIterator<{ record: string[]; info: { lines: number } }>;
  const next = async () => {
    try {
      return await iterator.next();
    } catch (error) {
      const { lines, message } = error as { lines?: number; message: string };
      throw new Failure("list-line", { path: title, line: lines ?? 1, because: message });
    }
  };
  let first = await next();
  while (first.done !== true && (first.value.record[0] ?? "").startsWith("#")) first = await next();
  const second = first.done === true ? first : await next();
  const [top, below] = [first, second].map((row) => (row.done === true ? [] : row.value.record)) as [string[], string[]];
  const columns = first.done === true ? { domain: 0, names: [], hasHead: false } : columnsOf(top, below, column);
  if (columns === undefined) throw new Failure("list-column", { path: title, wanted: column, known: top });
  const { domain, names, hasHead } = columns;
  async function* records() {
    if (first.done !== true && !hasHead) yield first.value;
    for (let row = second; row.done !== true; row = await next()) yield row.value;
  }
  async function* lines(): AsyncGenerator<SweepEntry | SkippedLine> {
    for await (const { record, info } of records()) {
      // A row is found where it begins, however many lines its cells have.
      const line = info.lines - record.reduce((sum, cell) => sum + (cell.match(/\r\n|\r|\n/g)?.length ?? 0), 0);
      const given = record[domain] ?? "";
      const own = names.flatMap((_, i) => (i === domain ? [] : [record[i] ?? ""]));
      // Cells without a column belong to the last one, so that nothing of a row is lost.
      const further = record.slice(names.length).filter((cell) => cell !== "");
      if (further.length > 0 && own.length > 0) own.push([own.pop(), ...further].join(delimiter));
      const read = readListed(given);
      if (read.kind === "domain") yield { domain: read.domain, given, line, own };
      else if (read.kind === "unreadable") yield { line, text: given.slice(0, 200), why: read.why, detail: read.detail, own };
      // A row about somebody, with nothing where the domain should be; remarks and empty rows are nothing to tell.
      else if (given.trim() === "" && own.some((cell) => cell.trim() !== ""))
        yield { line, text: "", why: "blank", detail: "", own };
    }
  }
  return { columns: names.filter((_, i) => i !== domain), column: hasHead ? names[domain] : undefined, lines: lines() };
}
