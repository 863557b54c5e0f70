import ipaddr from "ipaddr.js";

/** A block of addresses: the first `prefix` bits are fixed, the rest runs from all zeros to all ones. */
export interface Network {
  readonly family: 4 | 6;
  readonly start: bigint;
  readonly prefix: number;
}

const widthOf = (family: 4 | 6): number => (family === 4 ? 32 : 128);
const sizeOf = ({ family, prefix }: Network): bigint => 1n << BigInt(widthOf(family) - prefix);

/** The block an address lies in; bits behind the prefix are cleared. */
export function networkOf(address: string, prefix?: number): Network {
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
  const bytes = [...Buffer.from(start.toString(16).padStart(widthOf(family) / 4, "0"), "hex")];
  const address = ipaddr.fromByteArray(bytes);
  const text = family === 4 ? address.toString() : (address as ipaddr.IPv6).toRFC5952String();
  return `ip${family}:${text}${prefix === widthOf(family) ? "" : `/${prefix}`}`;
}

interface Range {
  readonly start: bigint;
  readonly end: bigint;
}

/** The addresses of one family as ranges that neither touch nor overlap; `end` is the first address behind. */
function rangesOf(networks: readonly Network[], family: 4 | 6): Range[] {
  const sorted = networks
    .filter((one) => one.family === family)
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

/** Whether every address of the first lies in one of the others. */
export function isCovered(networks: readonly Network[], by: readonly Network[]): boolean {
  return ([4, 6] as const).every((family) => {
    const ranges = rangesOf(by, family);
    return rangesOf(networks, family).every((one) => ranges.some((range) => range.start <= one.start && one.end <= range.end));
  });
}

/** How many addresses of a family there are in all, each counted once. */
export const addressCount = (networks: readonly Network[], family: 4 | 6): bigint =>
  rangesOf(networks, family).reduce((sum, { start, end }) => sum + end - start, 0n);
