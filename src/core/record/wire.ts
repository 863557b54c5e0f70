import { type Clause, clause } from "../clause/index.ts";
import { type DomainName, fromLabels, labelOctets, labelsOf, labelText, ROOT } from "../name/index.ts";

/** Thrown inside the reading of a DNS message that breaks off or contradicts itself; caught where the message is decoded. */
export class MalformedWire extends Error {
  readonly said: Clause;

  constructor(said: Clause) {
    super(said.clause);
    this.said = said;
  }
}

const DOT = 0x2e;

/** Builds a DNS message or a part of one, with the names compressed where that is allowed (RFC 1035 section 4.1.4). */
export class WireWriter {
  #octets = Buffer.allocUnsafe(512);
  #length = 0;
  readonly #seen = new Map<string, number>();

  get length(): number {
    return this.#length;
  }

  #room(octets: number): number {
    const at = this.#length;
    this.#length += octets;
    if (this.#length > this.#octets.length) {
      const larger = Buffer.allocUnsafe(Math.max(this.#length, this.#octets.length * 2));
      this.#octets.copy(larger, 0, 0, at);
      this.#octets = larger;
    }
    return at;
  }

  u8(value: number): void {
    const at = this.#room(1);
    this.#octets[at] = value;
  }

  u16(value: number): void {
    const at = this.#room(2);
    this.#octets.writeUInt16BE(value, at);
  }

  u32(value: number): void {
    const at = this.#room(4);
    this.#octets.writeUInt32BE(value, at);
  }

  octets(value: Uint8Array): void {
    const at = this.#room(value.length);
    this.#octets.set(value, at);
  }

  /** An octet string as it is, without its length. */
  text(value: string): void {
    const at = this.#room(value.length);
    // Short texts are quicker octet by octet than through the buffer's own writer.
    if (value.length < 24) for (let i = 0; i < value.length; i++) this.#octets[at + i] = value.charCodeAt(i);
    else this.#octets.write(value, at, "latin1");
  }

  /** A character-string: its length in one octet, then its octets (RFC 1035 section 3.3). */
  string(value: string): void {
    this.u8(value.length);
    this.text(value);
  }

  name(of: DomainName, compress: boolean): void {
    if (!compress && !of.includes("\\")) return this.#wholeName(of);
    let rest: string = of;
    for (const label of labelsOf(of)) {
      if (compress) {
        const seen = this.#seen.get(rest);
        if (seen !== undefined) {
          this.u16(0xc000 | seen);
          return;
        }
        if (this.#length < 0x4000) this.#seen.set(rest, this.#length);
      }
      if (label.includes("\\")) {
        const octets = labelOctets(label);
        this.u8(octets.length);
        this.octets(octets);
      } else this.string(label);
      rest = rest.slice(label.length + 1);
    }
    this.u8(0);
  }

  #wholeName(of: DomainName): void {
    if (of === ROOT) return this.u8(0);
    // The final dot is where the octet of the root comes.
    const at = this.#room(of.length + 1);
    let lengthAt = at;
    for (let i = 0; i < of.length; i++) {
      const code = of.charCodeAt(i);
      this.#octets[at + 1 + i] = code;
      if (code !== DOT) continue;
      this.#octets[lengthAt] = at + i - lengthAt;
      lengthAt = at + 1 + i;
    }
    this.#octets[lengthAt] = 0;
  }

  /** Runs `write` and puts the number of octets it wrote in front, as 16 bits. */
  counted(write: () => void): void {
    const at = this.#room(2);
    write();
    this.#octets.writeUInt16BE(this.#length - at - 2, at);
  }

  done(): Buffer {
    return this.#octets.subarray(0, this.#length);
  }
}

/** A label that is its own canonical text. */
const PLAIN_LABEL = /^[a-z0-9_-]+$/;

/** Reads a DNS message or a part of one; throws {@link MalformedWire} where it breaks off. */
export class WireReader {
  readonly message: Buffer;
  at: number;
  readonly end: number;

  /** Names of the message that were read before, by where they begin; pointers lead to them. */
  readonly #names: Map<number, DomainName>;

  constructor(message: Buffer, at = 0, end = message.length, names = new Map<number, DomainName>()) {
    this.message = message;
    this.at = at;
    this.end = end;
    this.#names = names;
  }

  /** The next octets as a reader of their own, which knows the names of the message too. */
  part(octets: number): WireReader {
    const at = this.#take(octets);
    return new WireReader(this.message, at, at + octets, this.#names);
  }

  get left(): number {
    return this.end - this.at;
  }

  #take(octets: number): number {
    const at = this.at;
    if (octets > this.end - at) throw new MalformedWire(clause("wire-ends", { octet: this.end }));
    this.at = at + octets;
    return at;
  }

  u8(): number {
    return this.message[this.#take(1)] as number;
  }

  u16(): number {
    return this.message.readUInt16BE(this.#take(2));
  }

  u32(): number {
    return this.message.readUInt32BE(this.#take(4));
  }

  octets(count: number): Buffer {
    const at = this.#take(count);
    return this.message.subarray(at, at + count);
  }

  text(count: number): string {
    const at = this.#take(count);
    return this.message.toString("latin1", at, at + count);
  }

  string(): string {
    return this.text(this.u8());
  }

  /** A name; a compression pointer may only lead to an earlier place, so no message can make this loop. */
  name(): DomainName {
    const start = this.at;
    const labels: string[] = [];
    let at = start;
    let limit = at;
    let resumeAt: number | undefined;
    let above: DomainName = ROOT;
    for (;;) {
      const length = this.message[at];
      if (length === undefined || (resumeAt === undefined && at >= this.end))
        throw new MalformedWire(clause("wire-broken", { what: "name-breaks-off" }));
      if (length === 0) {
        this.at = resumeAt ?? at + 1;
        break;
      }
      if (length >= 0xc0) {
        const low = this.message[at + 1];
        if (low === undefined) throw new MalformedWire(clause("wire-broken", { what: "pointer-breaks-off" }));
        const target = ((length & 0x3f) << 8) | low;
        if (target >= limit) throw new MalformedWire(clause("wire-broken", { what: "pointer-forward" }));
        resumeAt ??= at + 2;
        const known = this.#names.get(target);
        if (known !== undefined) {
          above = known;
          this.at = resumeAt;
          break;
        }
        at = target;
        limit = target;
        continue;
      }
      if (length > 63) throw new MalformedWire(clause("wire-broken", { what: "label-kind" }));
      if (at + 1 + length > this.message.length) throw new MalformedWire(clause("wire-broken", { what: "label-breaks-off" }));
      labels.push(this.#label(at + 1, at + 1 + length));
      at += 1 + length;
    }
    const of = fromLabels(labels, above);
    if (of === undefined) throw new MalformedWire(clause("wire-broken", { what: "name-too-long" }));
    this.#names.set(start, of);
    return of;
  }

  #label(from: number, to: number): string {
    const text = this.message.toString("latin1", from, to);
    return PLAIN_LABEL.test(text) ? text : labelText(this.message.subarray(from, to));
  }
}
