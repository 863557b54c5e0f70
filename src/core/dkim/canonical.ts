import { createHash, type Hash } from "node:crypto";
import type { BodySink, HeaderField } from "../message/index.ts";

/** How much change on the way is forgiven (RFC 6376 section 3.4). */
export type Canonicalization = "simple" | "relaxed";

/** One header field in canonical form, without a final CRLF: an octet string (RFC 6376 sections 3.4.1 and 3.4.2). */
export function canonicalField({ name, raw, colon }: HeaderField, how: Canonicalization): string {
  if (how === "simple") return raw;
  let value = raw.slice(colon + 1);
  if (value.includes("\r\n")) value = value.replaceAll("\r\n", "");
  value = value.replace(/[ \t]+/g, " ");
  const from = value.startsWith(" ") ? 1 : 0;
  const to = value.length > from && value.endsWith(" ") ? value.length - 1 : value.length;
  return `${name}:${value.slice(from, to)}`;
}

const LF = 10;
const CR = 13;
const SPACE = 32;
const TAB = 9;

/** Octets that are hashed at a time. */
const SEGMENT = 64 << 10;

/**
 * The SHA-256 hash of a body in canonical form (RFC 6376 sections 3.4.3 and 3.4.4), computed while the body
 * passes by. A bare LF counts as CRLF; a bare CR is an octet like any other. Memory stays at one segment.
 */
export class BodyHash implements BodySink {
  readonly #relaxed: boolean;
  readonly #seek: { readonly digest: string; readonly fromLine: number } | undefined;
  /** Octets of the canonical body that are still to be hashed, where a signature covers only so many. */
  #room: number;
  readonly #hash: Hash = createHash("sha256");
  #out = Buffer.alloc(0);
  #filled = 0;
  #cr = false;
  #blank = false;
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
    const hash = this.#hash.copy();
    if (this.#any || !this.#relaxed) hash.update("\r\n");
    return hash.digest("base64") === digest;
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
    const take = Math.min(this.#filled, this.#room);
    if (take > 0) this.#hash.update(this.#out.subarray(0, take));
    this.#room -= take;
    this.#length += this.#filled;
    this.#filled = 0;
  }

  #releaseLineEnds(): void {
    for (; this.#lineEnds > 0; this.#lineEnds -= 1) {
      if (this.#filled + 2 > this.#out.length) this.#flush();
      this.#out[this.#filled++] = CR;
      this.#out[this.#filled++] = LF;
    }
  }

  /** What was held back before an octet that counts: line ends, a blank, a lone CR. */
  #release(): void {
    if (this.#lineEnds > 0) this.#releaseLineEnds();
    if (this.#filled + 4 > this.#out.length) this.#flush();
    if (this.#blank) {
      this.#out[this.#filled++] = SPACE;
      this.#blank = false;
    }
    if (this.#cr) {
      this.#out[this.#filled++] = CR;
      this.#cr = false;
    }
    this.#any = true;
  }

  write(chunk: Buffer): void {
    if (this.#out.length < SEGMENT) {
      this.#flush();
      this.#out = Buffer.allocUnsafe(Math.min(SEGMENT, Math.max(2048, chunk.length * 2)));
    }
    const relaxed = this.#relaxed;
    const size = chunk.length;
    for (let i = 0; i < size; i++) {
      const octet = chunk[i] as number;
      if (octet === LF) {
        this.#cr = false;
        this.#blank = false;
        // What is sought is judged at the end of each line with something in it, before the next one begins.
        if (
          this.#seek !== undefined &&
          this.#lineEnds === 0 &&
          this.#lines >= this.#seek.fromLine &&
          this.#endsHere(this.#seek.digest)
        )
          this.foundAtLine ??= this.#lines + 1;
        this.#lines += 1;
        this.#lineEnds += 1;
      } else if (octet === CR) {
        if (this.#cr) this.#release();
        this.#cr = true;
      } else if (relaxed && (octet === SPACE || octet === TAB)) {
        if (this.#cr) this.#release();
        this.#blank = true;
      } else {
        this.#release();
        // The rest of the word, up to the next octet that means something, without any state.
        let out = this.#filled;
        const end = Math.min(size, i + this.#out.length - out);
        const buffer = this.#out;
        let next = octet;
        for (;;) {
          buffer[out++] = next;
          if (++i >= end) break;
          next = chunk[i] as number;
          if (next === LF || next === CR || (relaxed && (next === SPACE || next === TAB))) break;
        }
        this.#filled = out;
        i -= 1;
      }
    }
  }

  end(): void {
    // A carriage return at the very end is an octet; blanks there are dropped.
    if (this.#cr) {
      if (this.#out.length === 0) this.#out = Buffer.alloc(16);
      this.#release();
    }
    this.#lineEnds = this.#any || !this.#relaxed ? 1 : 0;
    if (this.#out.length === 0) this.#out = Buffer.alloc(16);
    this.#releaseLineEnds();
    this.#flush();
    this.#digest = this.#hash.digest("base64");
  }
}
