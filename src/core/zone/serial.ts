const HALF = 2 ** 31;
const WHOLE = 2 ** 32;

/** How serial `a` stands to serial `b` (RFC 1982 section 3.2): negative when older, positive when newer, undefined where the RFC leaves it open. */
export function compareSerials(a: number, b: number): number | undefined {
  if (a === b) return 0;
  const distance = (a - b + WHOLE) % WHOLE;
  if (distance === HALF) return undefined;
  return distance < HALF ? 1 : -1;
}

/**
 * The next serial in the zone's own habit: YYYYMMDDnn where the present one reads as a day that has been,
 * a counter otherwise.
 *
 * @param today the day as YYYYMMDD
 */
export function nextSerial(serial: number, today: string): number {
  const plusOne = (serial + 1) % WHOLE || 1;
  const text = String(serial);
  const day = text.slice(0, 8);
  const isDate = /^(19|20)\d{2}(0[1-9]|1[0-2])(0[1-9]|[12]\d|3[01])\d{2}$/.test(text) && day <= today;
  return isDate ? Math.max(plusOne, Number(`${today}00`)) : plusOne;
}
