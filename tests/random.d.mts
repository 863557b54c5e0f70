export function randomFrom(seed: number): {
  random(): number;
  below(most: number): number;
  pick<T>(list: readonly T[]): T;
};
