import { DAY_MS } from "../core/day.ts";

const parts = (at: number) => {
  const fields = new Intl.DateTimeFormat("en-GB", {
    weekday: "short",
    day: "numeric",
    month: "long",
    year: "numeric",
    hour: "2-digit",
    minute: "2-digit",
    second: "2-digit",
    hourCycle: "h23",
  }).formatToParts(at);
  return Object.fromEntries(fields.map(({ type, value }) => [type, value])) as Record<
    "weekday" | "day" | "month" | "year" | "hour" | "minute" | "second",
    string
  >;
};

/** A moment for people, in this machine's time zone: `14:05` today, `Tue 3 March 14:05` on another day. */
export function moment(at: number, now: number): string {
  const then = parts(at);
  const today = parts(now);
  const time = `${then.hour}:${then.minute}`;
  if (then.day === today.day && then.month === today.month && then.year === today.year) return time;
  return `${then.weekday} ${then.day} ${then.month}${then.year === today.year ? "" : ` ${then.year}`} ${time}`;
}

/** A deadline, rounded up to the minute: anyone who looks then is not too early. */
export const deadline = (at: number, now: number): string => moment(Math.ceil(at / 60_000) * 60_000, now);

/** A moment with its seconds, for logs. */
export function logTime(at: number): string {
  const { hour, minute, second } = parts(at);
  return `${hour}:${minute}:${second}`;
}

/** A day since 1970, in UTC, as YYYY-MM-DD. */
export const dayText = (day: number): string => isoTime(day * DAY_MS).slice(0, 10);

/** The moment as programs read it (RFC 3339). */
const isoTime = (at: number): string => new Date(at).toISOString();
