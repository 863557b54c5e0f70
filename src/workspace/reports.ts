import { readdirSync, realpathSync, type Stats, statSync } from "node:fs";
import { basename, join } from "node:path";
import { crc32, createGunzip } from "node:zlib";
import type { Email } from "postal-mime";
import { type Clause, clause, verbatim } from "../core/clause/index.ts";
import { Failure } from "../core/failure.ts";
import type { ReportParts } from "../core/failure-report/index.ts";
import { BrokenPacking } from "./broken-packing.ts";
import { beginningOf } from "./files.ts";
import { fileSource, openMessages, type StoredMessage } from "./messages.ts";

/** One report as it is found: its XML to be read, the parts of one about a single message, or why there is none. */
export type FoundReport =
  | { readonly title: string; readonly failure: ReportParts }
  | {
      readonly title: string;
      readonly xml: AsyncIterable<Buffer>;
      /** The domain of the mail's From, where it came by mail. */
      readonly mailedBy?: string;
    }
  | { readonly title: string; readonly because: Clause };

/** A mail with reports is read whole; larger ones hold no report that a receiver would send. */
const LARGEST_MAIL = 64 << 20;
const MAX_ENTRIES = 100;

type Kind = "gzip" | "zip" | "xml" | "mail" | "other";

/** What octets begin like. */
function kindOf(start: Buffer): Kind {
  if (start[0] === 0x1f && start[1] === 0x8b) return "gzip";
  if (start[0] === 0x50 && start[1] === 0x4b) return "zip";
  // UTF-16, by its mark or by the shape of its first character.
  if (/^(\xff\xfe<\0|\xfe\xff\0<|<\0|\0<)/.test(start.toString("latin1"))) return "xml";
  const text = start
    .toString("latin1")
    .replace(/^\xef\xbb\xbf/, "")
    .trimStart();
  if (text.startsWith("<")) return "xml";
  return /^(From |[\x21-\x39\x3b-\x7e]+:)/.test(text) ? "mail" : "other";
}

async function* gunzipped(chunks: AsyncIterable<Buffer> | Iterable<Buffer>): AsyncGenerator<Buffer> {
  const gunzip = createGunzip();
  const feeding = (async () => {
    try {
      // The chunks are read into one buffer again and again, and the stream keeps what it is given.
      for await (const chunk of chunks)
        if (!gunzip.write(Buffer.from(chunk)))
          await new Promise((resolve) => gunzip.once("drain", resolve).once("close", resolve));
      gunzip.end();
    } catch (error) {
      gunzip.destroy(error as Error);
    }
  })();
  try {
    for await (const chunk of gunzip) yield chunk as Buffer;
    await feeding;
  } finally {
    gunzip.destroy();
  }
}

/** Chunks whose checksum has to be the one the archive names, as each is unpacked; the package checks their number only. */
async function* checked(chunks: AsyncIterable<Buffer>, sum: number): AsyncGenerator<Buffer> {
  let own = 0;
  for await (const chunk of chunks) {
    own = crc32(chunk, own);
    yield chunk;
  }
  if (own !== sum) throw new BrokenPacking(clause("packed-checksum"));
}

/** What a stream holds, by how it begins: a mail with reports, or a report itself, whose reader meets what goes wrong with unpacking it. */
async function* unwrapped(title: string, chunks: AsyncIterable<Buffer>): AsyncGenerator<FoundReport> {
  const iterator = chunks[Symbol.asyncIterator]();
  let start: Buffer = Buffer.alloc(0);
  let trouble: { readonly error: unknown } | undefined;
  try {
    const first = await iterator.next();
    if (first.done !== true) start = Buffer.from(first.value);
  } catch (error) {
    trouble = { error };
  }
  const all = (async function* () {
    if (trouble !== undefined) throw trouble.error;
    try {
      yield start;
      for (let next = await iterator.next(); next.done !== true; next = await iterator.next()) yield next.value;
    } finally {
      await iterator.return?.();
    }
  })();
  if (kindOf(start.subarray(0, 64)) === "mail") yield* mailed({ title, source: { chunks: () => all } });
  else yield { title, xml: all };
}

/** The reports in a ZIP archive; an archive inside an archive is not a report. */
async function* zipped(
  title: string,
  source: { readonly path: string } | { readonly octets: Buffer },
): AsyncGenerator<FoundReport> {
  const { default: yauzl } = await import("yauzl");
  const zip = await new Promise<import("yauzl").ZipFile | Clause>((resolve) => {
    const opened = (error: Error | null, file?: import("yauzl").ZipFile): void =>
      resolve(file ?? clause("packed-zip-unreadable", { why: error?.message }));
    const options = { lazyEntries: true, autoClose: false } as const;
    if ("path" in source) yauzl.open(source.path, options, opened);
    else yauzl.fromBuffer(source.octets, options, opened);
  });
  if ("clause" in zip) {
    yield { title, because: zip };
    return;
  }
  let files = 0;
  try {
    for (let entries = 0; ; entries++) {
      const entry = await new Promise<import("yauzl").Entry | string | undefined>((resolve) => {
        const done = (result: import("yauzl").Entry | string | undefined): void => {
          zip.removeAllListeners();
          resolve(result);
        };
        zip
          .once("entry", done)
          .once("end", () => done(undefined))
          .once("error", (error: Error) => done(error.message));
        zip.readEntry();
      });
      if (entry === undefined) {
        if (files === 0) yield { title, because: clause("packed-zip-empty") };
        return;
      }
      if (typeof entry === "string") {
        yield { title, because: clause("packed-zip-unreadable", { why: entry }) };
        return;
      }
      if (entries >= MAX_ENTRIES) {
        yield { title, because: clause("packed-zip-too-many", { most: MAX_ENTRIES }) };
        return;
      }
      if (entry.fileName.endsWith("/")) continue;
      files += 1;
      const inside = `${title} (${basename(entry.fileName)})`;
      if (/\.(zip|gz|tgz|7z|rar|tar)$/i.test(entry.fileName)) {
        yield { title: inside, because: clause("packed-archive-inside") };
        continue;
      }
      const stream = await new Promise<NodeJS.ReadableStream | string>((resolve) =>
        zip.openReadStream(entry, (error: Error | null, opened?: NodeJS.ReadableStream) =>
          resolve(opened ?? error?.message ?? "unreadable"),
        ),
      );
      if (typeof stream === "string") yield { title: inside, because: clause("report-not-unpacked", { why: verbatim(stream) }) };
      else yield* unwrapped(inside, checked(stream as unknown as AsyncIterable<Buffer>, entry.crc32));
    }
  } finally {
    zip.close();
  }
}

/** One file or attachment, whatever it is packed in. */
async function* packed(
  title: string,
  start: Buffer,
  source: { readonly path: string } | { readonly octets: Buffer },
): AsyncGenerator<FoundReport> {
  const chunks = (): AsyncIterable<Buffer> | Iterable<Buffer> =>
    "path" in source ? fileSource(source.path).chunks() : [source.octets];
  switch (kindOf(start)) {
    case "gzip":
      yield* unwrapped(title, gunzipped(chunks()));
      return;
    case "zip":
      yield* zipped(title, source);
      return;
    case "xml":
      yield {
        title,
        xml: (async function* () {
          yield* chunks();
        })(),
      };
      return;
    default:
      yield { title, because: clause("packed-unknown") };
  }
}

/** The parts of a report about a single message; undefined where the mail has none after all. */
function failureIn({ attachments, from, date, messageId }: Email): ReportParts | undefined {
  const part = (...types: readonly string[]): string | undefined => {
    const found = attachments.find(({ mimeType }) => types.includes(mimeType.toLowerCase()));
    return found === undefined ? undefined : Buffer.from(found.content as ArrayBuffer).toString("latin1");
  };
  const feedback = part("message/feedback-report");
  const at = date === undefined ? Number.NaN : Date.parse(date);
  return feedback === undefined
    ? undefined
    : {
        feedback,
        original: part("message/rfc822", "text/rfc822-headers", "message/rfc822-headers", "text/rfc822-header"),
        mailedBy: from?.address?.split("@").at(-1),
        mailId: messageId,
        mailedAt: Number.isNaN(at) ? undefined : Math.floor(at / 1000),
      };
}

/** The reports attached to one mail. */
async function* mailed({ title: path, source }: StoredMessage): AsyncGenerator<FoundReport> {
  const title = basename(path);
  const pieces: Buffer[] = [];
  let size = 0;
  for await (const chunk of source.chunks()) {
    size += chunk.length;
    if (size > LARGEST_MAIL) {
      yield { title, because: clause("packed-mail-too-large", { most: LARGEST_MAIL >> 20 }) };
      return;
    }
    pieces.push(Buffer.from(chunk));
  }
  const { default: PostalMime } = await import("postal-mime");
  const whole = Buffer.concat(pieces);
  // A report about a single message is told by what is in it; the message it is about stays a part of it then.
  const isFailure = /^content-type:\s*message\/feedback-report/im.test(whole.toString("latin1"));
  const mail = await PostalMime.parse(whole, { maxNestingDepth: 20, forceRfc822Attachments: isFailure }).catch(() => undefined);
  if (mail === undefined) {
    yield { title, because: clause("packed-mail-unreadable") };
    return;
  }
  const failure = isFailure ? failureIn(mail) : undefined;
  if (failure !== undefined) {
    yield { title, failure };
    return;
  }
  const mailedBy = mail.from?.address?.split("@").at(-1);
  let found = false;
  for (const { filename, content } of mail.attachments) {
    const octets = typeof content === "string" ? Buffer.from(content) : Buffer.from(content as ArrayBuffer);
    if (kindOf(octets.subarray(0, 64)) === "other" || kindOf(octets.subarray(0, 64)) === "mail") continue;
    found = true;
    for await (const foundReport of packed(
      filename === null || filename === undefined ? title : `${title}: ${filename}`,
      octets.subarray(0, 64),
      { octets },
    ))
      yield { ...foundReport, ...(mailedBy === undefined ? {} : { mailedBy }) };
  }
  if (!found) yield { title, because: clause("packed-none-attached") };
}

const isFolder = (path: string): boolean => {
  try {
    return statSync(path).isDirectory();
  } catch {
    return false;
  }
};

const isMaildir = (folder: string): boolean => isFolder(folder) && ["new", "cur"].some((part) => isFolder(join(folder, part)));

/** What is at a path, or in one sentence why nobody can tell. */
function look(path: string): Stats {
  try {
    return statSync(path);
  } catch (error) {
    throw new Failure("file-unreadable", { path, why: (error as NodeJS.ErrnoException).code ?? "" });
  }
}

/** A file, or a Maildir, that may hold reports; `inside` a folder that was named, or named itself. */
export interface ReportFile {
  readonly path: string;
  readonly inside: boolean;
}

/**
 * Every file at a path that may hold reports: XML, gzip or ZIP, a mail, an mbox or a Maildir, or all of these in a folder. What
 * cannot be read inside a folder is named and passed over.
 */
export function* reportFiles(path: string): Generator<ReportFile | Extract<FoundReport, { because: Clause }>> {
  const stat = look(path);
  if (stat.isDirectory() && !isMaildir(path)) yield* inFolder(path, new Set([realpathSync(path)]));
  else yield { path, inside: false };
}

function* inFolder(folder: string, above: ReadonlySet<string>): ReturnType<typeof reportFiles> {
  for (const name of readdirSync(folder).sort()) {
    if (name.startsWith(".")) continue;
    const path = join(folder, name);
    try {
      const stat = statSync(path);
      const real = realpathSync(path);
      // A link to a folder above would form a loop.
      if (above.has(real)) yield { title: name, because: clause("packed-ring") };
      else if (stat.isDirectory() && !isMaildir(path)) yield* inFolder(path, new Set([...above, real]));
      else yield { path, inside: true };
    } catch (error) {
      yield unreadable(name, error);
    }
  }
}

/** Why something inside a folder cannot be read; what is not the file's own problem is thrown on. */
function unreadable(title: string, error: unknown): Extract<FoundReport, { because: Clause }> {
  const code = error instanceof Failure ? (error.params as { why?: string }).why : (error as NodeJS.ErrnoException).code;
  if (code === undefined) throw error;
  return { title, because: clause("packed-unreadable", { code }) };
}

/** The reports in a file, whatever it is packed in. */
export async function* reportsIn({ path, inside }: ReportFile): AsyncGenerator<FoundReport> {
  try {
    yield* inFile(path);
  } catch (error) {
    if (!inside) throw error;
    yield unreadable(basename(path), error);
  }
}

async function* inFile(path: string): AsyncGenerator<FoundReport> {
  if (!isMaildir(path)) {
    const start = beginningOf(path, 64);
    if (kindOf(start) !== "mail") {
      yield* packed(basename(path), start, { path });
      return;
    }
  }
  const stored = openMessages(path);
  if (stored.kind === "message") yield* mailed(stored.message);
  else for await (const message of stored.messages) yield* mailed(message);
}
