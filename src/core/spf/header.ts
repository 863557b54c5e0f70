import type { SpfVerdict } from "./evaluate.ts";

const quoted = (text: string): string => `"${text.replace(/["\\]/g, "\\$&").replace(/[^\x20-\x7e]/g, "?")}"`;

/** The Received-SPF line a receiver would put on top of the message (RFC 7208 section 9.1). */
export function receivedSpf(
  verdict: SpfVerdict,
  { ip, from, helo, receiver }: { ip: string; from: string; helo: string; receiver: string },
): string {
  const identity = from === "" ? "helo" : "mailfrom";
  const who = from === "" ? helo : from;
  const comment =
    `${receiver}: ${verdict.because ?? (verdict.mechanism === undefined ? `no decision for ${who}` : `${who}: ${verdict.mechanism} matches ${ip}`)}`
      .replace(/[()\\]/g, "\\$&")
      .replace(/[^\x20-\x7e]/g, "?");
  const pairs = [
    `client-ip=${ip}`,
    `envelope-from=${quoted(from)}`,
    `helo=${helo === "" ? '""' : quoted(helo)}`,
    `receiver=${receiver}`,
    `identity=${identity}`,
  ];
  return `Received-SPF: ${verdict.result} (${comment}) ${pairs.join("; ")}`;
}
