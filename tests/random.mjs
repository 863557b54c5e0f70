/** A small generator that repeats itself for the same seed (mulberry32), and what the suites draw with it. */
export function randomFrom(seed) {
  let state = seed;
  const random = () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
  };
  const below = (most) => Math.floor(random() * most);
  return { random, below, pick: (list) => list[below(list.length)] };
}
