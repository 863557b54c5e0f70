import { createHash, type Hash, hash } from "node:crypto";
import type { BodySink, HeaderField } from "../message/index.ts";

/** How much change on the way is forgiven (RFC 6376 section 3.4). */
export type Canonicalization = "simple" | "relaxed";

/** One header field in canonical form, without a final CRLF: an octet string (RFC 6376 sections 3.4.1 and 3.4.2). */
export function canonicalField({ name, raw, colon }: HeaderField, how: Canonicalization): string {
  if (how === "simple") return raw;
  let value = raw.slice(colon + 1);
  if (value.includes("\r\n")) value = value.replaceAll("\r\n", "");
  if (value.includes("\t") || value.includes("  ")) value = value.replace(/[ \t]+/g, " ");
  const from = value.startsWith(" ") ? 1 : 0;
  const to = value.length > from && value.endsWith(" ") ? value.length - 1 : value.length;
  return `${name}:${value.slice(from, to)}`;
}

const LF = 10;
const CR = 13;
const SPACE = 32;
const TAB = 9;

const DOUBLE = Buffer.from("  ");

/** Octets that are gathered before they are hashed, and the length from which a span is hashed as it stands. */
const SEGMENT = 16 << 10;
const LONG_SPAN = 4 << 10;
const SMALL = 1 << 10;

/**
 * The SHA-256 hash of a body in canonical form (RFC 6376 sections 3.4.3 and 3.4.4), computed while the body
 * passes by. A bare LF counts as CRLF; a bare CR is an octet like any other. Memory stays at one segment.
 */
export class BodyHash implements BodySink {
  readonly #relaxed: boolean;
  readonly #seek: { readonly digest: string; readonly fromLine: number } | undefined;
  /** Octets of the canonical body that are still to be hashed, where a signature covers only so many. */
  #room: number;
  /** Only there once there is more than one buffer to hash. */
  #hash: Hash | undefined;
  #out: Buffer = Buffer.alloc(0);
  #filled = 0;
  #cr = false;
  #space = false;
  /** Line ends that only count once something follows them. */
  #lineEnds = 0;
  #any = false;
  #length = 0;
  #lines = 0;
  #digest: string | undefined;
  /** The line behind which the body would have had the hash that is sought. */
  foundAtLine: number | undefined;

  /**
   * @param length octets of the canonical body that are hashed; the rest is only counted
   * @param seek a hash to look for at the end of every line from `fromLine` on, for bodies that something was added to
   */
  constructor(
    canonicalization: Canonicalization,
    length = Number.POSITIVE_INFINITY,
    seek?: { readonly digest: string; readonly fromLine: number },
  ) {
    this.#relaxed = canonicalization === "relaxed";
    this.#room = length;
    this.#seek = seek;
  }

  /** Line ends that went by. */
  get lines(): number {
    return this.#lines;
  }

  /** Whether the body has the sought hash if it ends here. */
  #endsHere(digest: string): boolean {
    this.#flush();
    const here = this.#hash?.copy() ?? createHash("sha256");
    if (this.#any || !this.#relaxed) here.update("\r\n");
    return here.digest("base64") === digest;
  }

  /** Length of the whole canonical body so far, in octets, whatever part of it is hashed. */
  get length(): number {
    return this.#length;
  }

  /** The hash in base64; only after `end`. */
  get digest(): string {
    if (this.#digest === undefined) throw new Error("the body has not ended yet");
    return this.#digest;
  }

  #flush(): void {
    if (this.#filled > 0) this.#hashed(this.#out, 0, this.#filled);
    this.#filled = 0;
  }

  /** Hashes canonical octets as far as the signature covers them. */
  #hashed(octets: Buffer, from: number, to: number): void {
    const take = Math.min(to - from, this.#room);
    if (take > 0) (this.#hash ??= createHash("sha256")).update(octets.subarray(from, from + take));
    this.#room -= take;
    this.#length += to - from;
  }

  /** Room for a few octets more. */
  #makeRoom(octets: number): void {
    if (this.#filled + octets <= this.#out.length) return;
    this.#flush();
    // Most bodies are small, and a small buffer costs nothing.
    if (this.#out.length < SEGMENT) this.#out = Buffer.allocUnsafe(octets > SMALL || this.#length > 0 ? SEGMENT : SMALL);
  }

  /** Octets that are canonical as they stand. */
  #span(chunk: Buffer, from: number, to: number): void {
    if (to - from >= LONG_SPAN) {
      this.#flush();
      this.#hashed(chunk, from, to);
    } else if (to > from) {
      this.#makeRoom(to - from);
      this.#filled += chunk.copy(this.#out, this.#filled, from, to);
    }
  }

  #lineEnd(): void {
    this.#makeRoom(2);
    this.#out[this.#filled++] = CR;
    this.#out[this.#filled++] = LF;
  }

  /** What was held back before an octet that counts: line ends, a space, a lone CR. */
  #release(): void {
    for (; this.#lineEnds > 0; this.#lineEnds -= 1) this.#lineEnd();
    this.#makeRoom(4);
    if (this.#space) this.#out[this.#filled++] = SPACE;
    if (this.#cr) this.#out[this.#filled++] = CR;
    this.#space = false;
    this.#cr = false;
    this.#any = true;
  }

  /** One octet with whatever is held back before it. */
  #octet(octet: number): void {
    if (octet === LF) {
      this.#cr = false;
      this.#space = false;
      // What is sought is judged at the end of each line with something in it, before the next one begins.
      const { fromLine, digest } = this.#seek ?? { fromLine: Number.POSITIVE_INFINITY, digest: "" };
      if (this.#lineEnds === 0 && this.#lines >= fromLine && this.#endsHere(digest)) this.foundAtLine ??= this.#lines + 1;
      this.#lines += 1;
      this.#lineEnds += 1;
    } else if (octet === CR) {
      if (this.#cr) this.#release();
      this.#cr = true;
    } else if (this.#isWhiteSpace(octet)) {
      if (this.#cr) this.#release();
      this.#space = true;
    } else {
      this.#release();
      this.#out[this.#filled++] = octet;
    }
  }

  #isWhiteSpace(octet: number | undefined): boolean {
    return this.#relaxed && (octet === SPACE || octet === TAB);
  }

  /**
   * Most octets of a body are canonical as they stand, and searching is far quicker than looking at each. Octets
   * at both ends, where something may be held back, are taken one by one; what is between begins and ends with
   * an octet that counts.
   */
  write(chunk: Buffer): void {
    let start = 0;
    const oneByOne = this.#seek !== undefined;
    while (start < chunk.length && (oneByOne || this.#lineEnds > 0 || this.#cr || this.#space))
      this.#octet(chunk[start++] as number);
    let end = chunk.length;
    while (end > start && (chunk[end - 1] === LF || chunk[end - 1] === CR || this.#isWhiteSpace(chunk[end - 1]))) end -= 1;
    if (end > start) {
      this.#any = true;
      this.#middle(chunk, start, end);
    }
    for (let i = end; i < chunk.length; i++) this.#octet(chunk[i] as number);
  }

  #middle(chunk: Buffer, start: number, end: number): void {
    /** The next place where white space may have to go; searched for again only once it was passed. */
    let double = -1;
    let tab = -1;
    const next = (needle: Buffer | number, found: number, from: number): number => {
      if (!this.#relaxed) return end;
      if (found >= from) return found;
      const at = chunk.indexOf(needle, from);
      return at === -1 ? end : at;
    };
    let from = start;
    for (let line = start; line < end; ) {
      const lf = chunk.indexOf(LF, line);
      const isLast = lf === -1 || lf >= end;
      const lineEnd = isLast ? end : lf;
      const bare = !isLast && (lf === line || chunk[lf - 1] !== CR);
      const contentEnd = isLast || bare ? lineEnd : lf - 1;
      for (let at = line; at < contentEnd; ) {
        double = next(DOUBLE, double, at);
        tab = next(TAB, tab, at);
        const trailing = !isLast && this.#isWhiteSpace(chunk[contentEnd - 1]) ? contentEnd - 1 : end;
        const spot = Math.min(double, tab, trailing);
        if (spot >= contentEnd) break;
        let runStart = spot;
        while (runStart > line && this.#isWhiteSpace(chunk[runStart - 1])) runStart -= 1;
        let runEnd = spot + 1;
        while (runEnd < contentEnd && this.#isWhiteSpace(chunk[runEnd])) runEnd += 1;
        this.#span(chunk, from, runStart);
        if (isLast || runEnd < contentEnd) {
          this.#makeRoom(1);
          this.#out[this.#filled++] = SPACE;
        }
        from = runEnd;
        at = runEnd;
      }
      if (bare) {
        this.#span(chunk, from, contentEnd);
        this.#lineEnd();
        from = lf + 1;
      }
      if (!isLast) this.#lines += 1;
      line = lineEnd + 1;
    }
    this.#span(chunk, from, end);
  }

  end(): void {
    // A carriage return at the very end is an octet; white space there is dropped.
    if (this.#cr) this.#release();
    if (this.#any || !this.#relaxed) this.#lineEnd();
    // Small bodies are hashed in one go, which is quicker.
    if (this.#hash === undefined && this.#length === 0) {
      this.#length = this.#filled;
      this.#digest = hash("sha256", this.#out.subarray(0, Math.min(this.#filled, this.#room)), "base64");
      return;
    }
    this.#flush();
    this.#digest = (this.#hash ?? createHash("sha256")).digest("base64");
  }
}
