/** A day in seconds, as records and reports count. */
export const DAY = 86_400;

/** A day in milliseconds, as clocks count. */
export const DAY_MS = DAY * 1000;
