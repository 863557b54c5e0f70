import { clause } from "../clause/index.ts";
import { err, type Result } from "../result.ts";
import { type DomainName, type NameError, parseName } from "./domain-name.ts";

/** What a name that a person types is made of: letters of every script, digits, dots and the like, and what a backslash escapes. */
const PIECE = /[\p{L}\p{M}\p{N}_*.\u00b7\u3002\u30fb\uff0e\uff61-]|\u200c|\u200d|\\\d{3}|\\[^\d\s]/gu;

/**
 * The domain name that a person means, from what people paste: the address of a page stands for its host, a mail address for its
 * domain; around it there may be white space.
 *
 * ```ts
 * readMeantName(" https://www.Brackwater.example/tickets "); // { ok: true, value: "www.brackwater.example." }
 * readMeantName("192.0.2.1");                                // an error: it is an address
 * ```
 */
export function readMeantName(text: string): Result<DomainName, NameError> {
  const wrong = (said: NameError["message"], at = 0) => err({ code: "not-a-name", at, message: said } as const);
  const trimmed = text.trim();
  // Names of reverse zones may have a slash (RFC 2317 section 4), and no page is at one.
  if (/\.arpa\.?$/i.test(trimmed) && !/\s/.test(trimmed)) return parseName(trimmed);
  const mail = /^(?:mailto:)?[^\s@/\\]+@([^\s@/]+)$/i.exec(trimmed)?.[1];
  const host =
    mail ??
    trimmed
      .replace(/^[a-z][a-z0-9+.-]*:\/\/(?:[^/?#@]*@)?/i, "")
      .replace(/[/?#].*$/s, "")
      .replace(/:\d{1,5}$/, "");
  if (/^[\d.]*\d$/.test(host) || /^\[?[0-9a-f]*:[0-9a-f:.]*\]?$/i.test(host)) return wrong(clause("name-is-address"));
  const [foreign] = host.replace(PIECE, "");
  if (foreign !== undefined) return wrong(clause("name-foreign-character", { character: foreign }), text.indexOf(foreign));
  return parseName(host);
}
