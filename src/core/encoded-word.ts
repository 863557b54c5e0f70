import { decodeWords as decode } from "postal-mime";
import { decodeUtf8 } from "./record/index.ts";

/**
 * A header value, given as octets, as a text for people: encoded words decoded (RFC 2047), raw UTF-8 as it is
 * (RFC 6532).
 */
export const decodeWords = (octets: string): string => (octets.includes("=?") ? decode(decodeUtf8(octets)) : decodeUtf8(octets));
