import { createHash } from "node:crypto";

/** One appointment; times in milliseconds since 1970. */
export interface Appointment {
  readonly at: number;
  readonly title: string;
  readonly text: string;
}

const utc = (at: number): string => new Date(at).toISOString().replace(/[-:]|\.\d{3}/g, "");

/** A text value (RFC 5545 section 3.3.11); control characters have no way to stand in one. */
const value = (text: string): string =>
  text
    .replace(/[\x00-\x09\x0b-\x1f\x7f]/g, "")
    .replace(/[\\;,]/g, "\\$&")
    .replace(/\n/g, "\\n");

/** Folds a content line so that none has more than 75 octets (RFC 5545 section 3.1), never inside a character. */
function fold(line: string): string {
  const lines: string[] = [];
  let current = "";
  for (const character of line) {
    if (Buffer.byteLength(current + character) > 75) {
      lines.push(current);
      current = " ";
    }
    current += character;
  }
  return [...lines, current].join("\r\n");
}

/** A calendar file (RFC 5545) with an alarm ten minutes before each appointment. The same appointment keeps its UID. */
export function calendar(appointments: readonly Appointment[], now: number): string {
  const events = appointments.flatMap(({ at, title, text }) => [
    "BEGIN:VEVENT",
    `UID:${createHash("sha256").update(`${at} ${title}`).digest("hex").slice(0, 32)}@zandrel.invalid`,
    `DTSTAMP:${utc(now)}`,
    `DTSTART:${utc(at)}`,
    "DURATION:PT15M",
    `SUMMARY:${value(title)}`,
    ...(text === "" ? [] : [`DESCRIPTION:${value(text)}`]),
    "BEGIN:VALARM",
    "ACTION:DISPLAY",
    `DESCRIPTION:${value(title)}`,
    "TRIGGER:-PT10M",
    "END:VALARM",
    "END:VEVENT",
  ]);
  return `${["BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Zandrel//Launch//EN", ...events, "END:VCALENDAR"].map(fold).join("\r\n")}\r\n`;
}
