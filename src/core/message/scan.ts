import { type Clause, clause } from "../clause/index.ts";
import { err, ok, type Result } from "../result.ts";
import { type MessageHeader, parseHeader } from "./fields.ts";

/** A message as octets, as often as one wants to read it; nothing is held in memory. */
export interface MessageSource {
  /** From the first octet to the last; a chunk is only good until the next one is asked for. */
  chunks(): AsyncIterable<Buffer> | Iterable<Buffer>;
}

/** Anyone who wants to see the octets of the body, as they stand in the file. */
export interface BodySink {
  write(chunk: Buffer): void;
  end(): void;
}

/** Why a message cannot be read. */
export interface MessageError {
  readonly code: "header-too-large" | "empty";
  readonly message: Clause;
}

/** More than this no header has, in octets. A hundred lines make about 10 KiB. */
export const MAX_HEADER_OCTETS = 4 << 20;

/** Finds the end of the header: the index behind the first empty line, and where the header's last line ends. */
function headerEnd(octets: Buffer, from: number): { readonly end: number; readonly body: number } | undefined {
  if (octets[0] === 10) return { end: 0, body: 1 };
  if (octets[0] === 13 && octets[1] === 10) return { end: 0, body: 2 };
  for (let at = octets.indexOf(10, from); at !== -1; at = octets.indexOf(10, at + 1)) {
    if (octets[at + 1] === 10) return { end: at + 1, body: at + 2 };
    if (octets[at + 1] === 13 && octets[at + 2] === 10) return { end: at + 1, body: at + 3 };
  }
  return undefined;
}

/**
 * Reads a message once, from the first octet to the last. The header is read whole, up to
 * {@link MAX_HEADER_OCTETS}; then `sinksFor` says who wants to see the body, which passes by in chunks. A
 * message without an empty line has no body.
 */
export async function scanMessage(
  source: MessageSource,
  sinksFor: (header: MessageHeader) => readonly BodySink[],
): Promise<Result<MessageHeader, MessageError>> {
  let gathered: Buffer[] = [];
  let length = 0;
  let header: MessageHeader | undefined;
  let sinks: readonly BodySink[] = [];
  for await (const chunk of source.chunks()) {
    if (header !== undefined) {
      for (const sink of sinks) sink.write(chunk);
      continue;
    }
    gathered.push(chunk);
    length += chunk.length;
    // Only the new part is searched, with the few octets before it that an empty line may have begun in.
    const octets = gathered.length === 1 ? chunk : Buffer.concat(gathered, length);
    const found = headerEnd(octets, Math.max(0, length - chunk.length - 3));
    if ((found?.end ?? length) > MAX_HEADER_OCTETS) return tooLarge;
    if (found === undefined) {
      gathered = [octets === chunk ? Buffer.from(chunk) : octets];
      continue;
    }
    header = parseHeader(octets.toString("latin1", 0, found.end));
    sinks = sinksFor(header);
    gathered = [];
    if (found.body < octets.length) for (const sink of sinks) sink.write(octets.subarray(found.body));
  }
  if (length === 0) return err({ code: "empty", message: clause("message-empty") });
  if (header === undefined) {
    header = parseHeader(Buffer.concat(gathered, length).toString("latin1"));
    sinks = sinksFor(header);
  }
  for (const sink of sinks) sink.end();
  return ok(header);
}

const tooLarge = err<MessageError>({
  code: "header-too-large",
  message: clause("message-header-too-large", { octets: MAX_HEADER_OCTETS }),
});
