import type { Verdict } from "./judge.ts";

/** A token of MIME (RFC 2045 section 5.1). */
const TOKEN = /^[!#$%&'*+.0-9A-Z^_`a-z{|}~-]+$/;
const ATEXT = "[!#$%&'*+/0-9=?A-Z^_`a-z{|}~-]+";
const LABEL = "[A-Za-z0-9](?:[A-Za-z0-9-]*[A-Za-z0-9])?";
/** An address, or only its domain behind an @, as it may stand without quotes (RFC 8601 section 2.2, pvalue). */
const ADDRESS = new RegExp(`^(?:${ATEXT}(?:\\.${ATEXT})*)?@${LABEL}(?:\\.${LABEL})+$`);

/** A text in quotes (RFC 5322 section 3.2.4); what cannot stand there is shown as a question mark. */
const quotedText = (text: string): string => `"${text.replace(/[^\x20-\x7e\u00a0-\uffff]/g, "?").replace(/["\\]/g, "\\$&")}"`;

/** A value as RFC 8601 section 2.2 has it: bare where it is a token, in quotes where not. */
const value = (text: string): string => (TOKEN.test(text) ? text : quotedText(text));

/** The value of a property, which may be an address without quotes too. */
const pvalue = (text: string): string => (ADDRESS.test(text) ? text : value(text));

const bare = (domain: string | undefined): string => domain?.replace(/\.$/, "") ?? "unknown";

/**
 * The Authentication-Results field a receiver would put on top (RFC 8601), lines ended by CRLF, without a final
 * one. `authserv` is the receiver's own name.
 */
export function authenticationResults(
  authserv: string,
  { spf, helo, dkim, dmarc, authors, envelope, forwarded }: Verdict,
): string {
  const parts: string[] = [];
  for (const spfIdentity of [spf, helo]) {
    if (spfIdentity?.verdict === undefined) continue;
    const property =
      spfIdentity.identity === "helo"
        ? `smtp.helo=${pvalue(envelope.helo ?? "")}`
        : `smtp.mailfrom=${pvalue(envelope.mailFrom ?? "")}`;
    parts.push(`spf=${spfIdentity.verdict.result} ${property}`);
  }
  for (const { result, domain, selector, algorithm, signature } of dkim)
    parts.push(
      [
        `dkim=${result}`,
        ...(domain === undefined ? [] : [`header.d=${value(bare(domain))}`]),
        ...(selector === undefined ? [] : [`header.s=${value(selector)}`]),
        ...(algorithm === undefined ? [] : [`header.a=${value(algorithm)}`]),
        ...(signature === undefined ? [] : [`header.b=${value(signature.value.toString("base64").slice(0, 8))}`]),
      ].join(" "),
    );
  if (dkim.length === 0) parts.push("dkim=none");
  const from = dmarc.domain ?? authors[0]?.domain;
  const delivered = forwarded?.overrides === true ? "none arc-override" : dmarc.disposition;
  const comment = dmarc.policy === undefined ? "" : ` (p=${dmarc.policy} dis=${delivered})`;
  parts.push(`dmarc=${dmarc.result}${comment}${from === undefined ? "" : ` header.from=${value(bare(from))}`}`);
  // RFC 8617 section 7.2.2 registers the method and its property.
  if (forwarded !== undefined) {
    const { result, oldestPass } = forwarded.chain;
    parts.push(`arc=${result}${result === "pass" ? ` header.oldest-pass=${oldestPass}` : ""}`);
  }
  return [`Authentication-Results: ${value(authserv)}`, ...parts].join(";\r\n\t");
}
