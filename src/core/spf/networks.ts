import ipaddr from "ipaddr.js";

/** A block of addresses: the first `prefix` bits are fixed, the rest runs from all zeros to all ones. */
export interface Network {
  readonly family: 4 | 6;
  readonly start: bigint;
  readonly prefix: number;
}

const widthOf = (family: 4 | 6): number => (family === 4 ? 32 : 128);
const sizeOf = ({ family, prefix }: Network): bigint => 1n << BigInt(widthOf(family) - prefix);

/** The octets of a plain IPv4 address as one number; undefined for everything else. By hand, because reports have millions. */
function plainIpv4(text: string): number | undefined {
  let [address, octet, digits, dots] = [0, 0, 0, 0];
  for (let i = 0; i <= text.length; i++) {
    const digit = text.charCodeAt(i) - 48;
    if (digit >= 0 && digit <= 9) {
      octet = octet * 10 + digit;
      digits += 1;
      // A number with a zero in front is written otherwise by some.
      if (octet > 255 || (digits > 1 && octet < 10)) return undefined;
      continue;
    }
    if (digits === 0 || (i < text.length && (text[i] !== "." || ++dots > 3))) return undefined;
    address = address * 256 + octet;
    octet = 0;
    digits = 0;
  }
  return dots === 3 ? address : undefined;
}

/** The block an address lies in; bits behind the prefix are cleared. */
export function networkOf(address: string, prefix?: number): Network {
  const plain = plainIpv4(address);
  if (plain !== undefined) return blockAround({ family: 4, start: BigInt(plain), prefix: 32 }, prefix ?? 32);
  const parsed = ipaddr.parse(address);
  const family = parsed.kind() === "ipv4" ? 4 : 6;
  const width = widthOf(family);
  const start = BigInt(`0x${Buffer.from(parsed.toByteArray()).toString("hex")}`);
  return blockAround({ family, start, prefix: width }, prefix ?? width);
}

/** The larger block with this prefix that a block lies in. */
export function blockAround({ family, start }: Network, prefix: number): Network {
  const size = sizeOf({ family, start, prefix });
  return { family, start: start - (start % size), prefix };
}

/** Whether a block lies wholly in another. */
export const isWithin = (inner: Network, outer: Network): boolean =>
  inner.family === outer.family && inner.prefix >= outer.prefix && blockAround(inner, outer.prefix).start === outer.start;

/** A block as SPF writes it: `ip4:192.0.2.0/24`. */
export function networkTerm({ family, start, prefix }: Network): string {
  const text = family === 4 ? ipv4Text(Number(start)) : ipv6Text(start);
  return `ip${family}:${text}${prefix === widthOf(family) ? "" : `/${prefix}`}`;
}

const ipv4Text = (address: number): string =>
  `${address >>> 24}.${(address >>> 16) & 255}.${(address >>> 8) & 255}.${address & 255}`;

function ipv6Text(start: bigint): string {
  const bytes = [...Buffer.from(start.toString(16).padStart(32, "0"), "hex")];
  return (ipaddr.fromByteArray(bytes) as ipaddr.IPv6).toRFC5952String();
}

interface Range {
  readonly start: bigint;
  readonly end: bigint;
}

/** The addresses of one family as ranges that neither touch nor overlap; `end` is the first address behind. */
function rangesOf(networks: readonly Network[], family: 4 | 6): Range[] {
  const sorted = networks
    .filter((candidate) => candidate.family === family)
    .map((one) => ({ start: one.start, end: one.start + sizeOf(one) }))
    .sort((a, b) => (a.start < b.start ? -1 : a.start > b.start ? 1 : 0));
  const ranges: { start: bigint; end: bigint }[] = [];
  for (const one of sorted) {
    const last = ranges.at(-1);
    if (last === undefined || one.start > last.end) ranges.push({ ...one });
    else if (one.end > last.end) last.end = one.end;
  }
  return ranges;
}

/** The fewest blocks that hold exactly the addresses of these. */
export function joinNetworks(networks: readonly Network[]): Network[] {
  return ([4, 6] as const).flatMap((family) =>
    rangesOf(networks, family).flatMap(({ start, end }) => {
      const blocks: Network[] = [];
      for (let at = start; at < end; ) {
        let prefix = widthOf(family);
        // The block doubles as long as it begins on its own boundary and stays inside the range.
        while (prefix > 0) {
          const size = 1n << BigInt(widthOf(family) - prefix + 1);
          if (at % size !== 0n || at + size > end) break;
          prefix -= 1;
        }
        blocks.push({ family, start: at, prefix });
        at += 1n << BigInt(widthOf(family) - prefix);
      }
      return blocks;
    }),
  );
}

/** Tells of blocks, one after the other, whether every address of theirs lies in one of these. */
export function coverOf(by: readonly Network[]): (network: Network) => boolean {
  const ranges = { 4: rangesOf(by, 4), 6: rangesOf(by, 6) };
  return (network) => {
    const sorted = ranges[network.family];
    // The last range that begins at or before the block is the only one that may hold it.
    let [low, high] = [0, sorted.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((sorted[middle] as Range).start <= network.start) low = middle + 1;
      else high = middle;
    }
    const range = sorted[low - 1];
    return range !== undefined && network.start + sizeOf(network) <= range.end;
  };
}

/** Whether every address of the first lies in one of the others. */
export const isCovered = (networks: readonly Network[], by: readonly Network[]): boolean => networks.every(coverOf(by));

/** How many addresses of a family there are in all, each counted once. */
export const addressCount = (networks: readonly Network[], family: 4 | 6): bigint =>
  rangesOf(networks, family).reduce((sum, { start, end }) => sum + end - start, 0n);
