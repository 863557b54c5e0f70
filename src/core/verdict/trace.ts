import ipaddr from "ipaddr.js";
import { fieldsNamed, fieldValue, type MessageHeader } from "../message/index.ts";
import { decodeUtf8 } from "../record/index.ts";

/** What the SMTP conversation said, as far as it is known (RFC 5321). */
export interface Envelope {
  /** Address of the client that delivered the message. */
  readonly ip?: string;
  /** What it said HELO with. */
  readonly helo?: string;
  /** The reverse path; empty for `<>`. */
  readonly mailFrom?: string;
}

/** Received lines that are looked at. */
const MAX_HOPS = 50;

/** The client and its HELO as one Received line has them (RFC 5321 section 4.4 and what servers write instead). */
function hopOf(value: string): { ip: string; helo?: string; withTls: boolean } | undefined {
  const from = /^from\s+(\S+)(.*?)(?:\sby\s|;|$)/is.exec(value);
  if (from === null) return undefined;
  const [, first = "", rest = ""] = from;
  for (const match of `${first} ${rest}`.matchAll(/\[(?:IPv6:)?([0-9a-f.:]{2,45})\]|\(([0-9a-f.:]{7,45})\)/gi)) {
    const ip = (match[1] ?? match[2]) as string;
    if (!ipaddr.isValid(ip)) continue;
    const said = /(?:helo|ehlo)[=\s]+([^\s()]+)/i.exec(rest)?.[1] ?? first;
    const helo = said.startsWith("[") ? undefined : decodeUtf8(said);
    return { ip, ...(helo === undefined ? {} : { helo }), withTls: /\bwith\s+(?:UTF8)?E?SMTPSA?\b|\bTLS/i.test(value) };
  }
  return undefined;
}

const isInside = (ip: string): boolean => {
  const range = ipaddr.process(ip).range();
  return range === "private" || range === "loopback" || range === "linkLocal" || range === "uniqueLocal";
};

/** The envelope as the receiver's own header lines tell it, and whether the last hop was encrypted. */
export interface TracedEnvelope extends Envelope {
  readonly encrypted?: boolean;
  /** Which Received line was believed, counted from the top, starting at 1. */
  readonly hop?: number;
}

/**
 * Reads the envelope out of a delivered message: the client from the `hop`th Received line, or else from the
 * first one whose client is not a machine of the receiver's own network; the reverse path from Return-Path. Lines
 * below those can be forged by anybody.
 */
export function envelopeOf(header: MessageHeader, hop?: number): TracedEnvelope {
  const [path] = fieldsNamed(header, "return-path").map(fieldValue);
  const reverse = path === undefined ? undefined : /<([^<>]*)>/.exec(path)?.[1];
  const mailFrom = reverse === undefined ? {} : { mailFrom: decodeUtf8(reverse.trim()) };
  const hops = fieldsNamed(header, "received")
    .slice(0, MAX_HOPS)
    .map((headerField, i) => ({ number: i + 1, ...hopOf(fieldValue(headerField).replace(/\s+/g, " ").slice(0, 2000)) }))
    .filter(
      (candidate): candidate is { number: number; ip: string; helo?: string; withTls: boolean } => candidate.ip !== undefined,
    );
  const trusted =
    hop === undefined
      ? (hops.find((candidate) => !isInside(candidate.ip)) ?? hops[0])
      : hops.find((candidate) => candidate.number === hop);
  if (trusted === undefined) return mailFrom;
  const { number, ip, helo, withTls } = trusted;
  return { ...mailFrom, ip, ...(helo === undefined ? {} : { helo }), encrypted: withTls, hop: number };
}
