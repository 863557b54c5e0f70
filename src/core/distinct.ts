/** The first of all that have the same key; by default, that are written the same. */
export function distinct<T>(all: Iterable<T>, keyOf: (value: T) => unknown = (value) => JSON.stringify(value)): T[] {
  const kept = new Map<unknown, T>();
  for (const value of all) {
    const key = keyOf(value);
    if (!kept.has(key)) kept.set(key, value);
  }
  return [...kept.values()];
}
