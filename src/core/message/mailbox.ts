import { type Clause, clause } from "../clause/index.ts";
import { decodeWords } from "../encoded-word.ts";
import { type DomainName, readMailDomain } from "../name/index.ts";
import { decodeUtf8 } from "../record/index.ts";
import { err, ok, type Result } from "../result.ts";

/** One address of a header field (RFC 5322 section 3.4, RFC 6532). */
export interface Mailbox {
  /** The name beside the address, encoded words decoded; empty where there is none. */
  readonly display: string;
  readonly local: string;
  /** Undefined where an address literal such as `[192.0.2.1]` stands instead of a domain. */
  readonly domain: DomainName | undefined;
  /** The address as it is written, without comments. */
  readonly address: string;
}

/** Splits at the separators given, outside quotes, comments, angle brackets and literals; comments are left out. */
function splitOutside(text: string, separators: string): Result<{ parts: string[]; ends: string[] }, Clause> {
  const parts: string[] = [];
  const ends: string[] = [];
  let part = "";
  let comment = 0;
  let quote = false;
  let angle = false;
  let literal = false;
  for (let i = 0; i < text.length; i++) {
    const character = text[i] as string;
    if (character === "\\" && (quote || comment > 0) && i + 1 < text.length) {
      if (comment === 0) part += character + text[i + 1];
      i += 1;
    } else if (comment > 0) {
      if (character === "(") comment += 1;
      else if (character === ")") comment -= 1;
    } else if (character === '"') {
      quote = !quote;
      part += character;
    } else if (quote) part += character;
    else if (character === "(") comment = 1;
    else if (separators.includes(character) && !angle && !literal) {
      parts.push(part);
      ends.push(character);
      part = "";
    } else {
      if (character === "<") angle = true;
      else if (character === ">") angle = false;
      else if (character === "[") literal = true;
      else if (character === "]") literal = false;
      part += character;
    }
  }
  if (quote) return err(clause("mailbox-open-quote"));
  if (comment > 0) return err(clause("mailbox-open-comment"));
  if (angle) return err(clause("mailbox-open-bracket"));
  parts.push(part);
  ends.push("");
  return ok({ parts, ends });
}

const WHITE_SPACE = /[ \t\r\n]+/g;

/** The address in angle brackets at the end of a text and what is in front of it; quotes may hold brackets too. */
function angled(text: string): { readonly before: string; readonly spec: string } | undefined {
  let quote = false;
  let open = -1;
  for (let i = 0; i < text.length; i++) {
    const character = text[i];
    if (character === "\\") i += 1;
    else if (character === '"') quote = !quote;
    else if (quote) continue;
    else if (character === "<") {
      if (open !== -1) return undefined;
      open = i;
    } else if (character === ">")
      return open !== -1 && i === text.length - 1 ? { before: text.slice(0, open), spec: text.slice(open + 1, i) } : undefined;
  }
  return undefined;
}

/** A local part that is a quoted string from end to end (RFC 5321 section 4.1.2). */
const QUOTED = /^"(?:[^"\\]|\\.)*"$/s;

function mailboxOf(item: string): Result<Mailbox, Clause> {
  const open = splitOutside(item, "");
  if (!open.ok) return open;
  const text = (open.value.parts[0] as string).replace(WHITE_SPACE, " ").trim();
  const angle = angled(text);
  // An obsolete route in front of the address (RFC 5322 section 4.4) says nothing any more.
  const spec = (angle?.spec ?? text).trim().replace(/^@[^:]*:/, "");
  const at = spec.lastIndexOf("@");
  if (at <= 0 || at === spec.length - 1) return err(clause("mailbox-no-address", { found: decodeUtf8(spec.slice(0, 80)) }));
  const local = spec.slice(0, at).trim();
  // White space around dots is an old way of writing (RFC 5322 section 4.4); within a label they are a mistake.
  const domainText = spec
    .slice(at + 1)
    .trim()
    .replace(/(?<! ) *\. */g, ".");
  if (!QUOTED.test(local) && /[ ,;:<>()[\]@"\\]/.test(local))
    return err(clause("mailbox-no-address", { found: decodeUtf8(spec.slice(0, 80)) }));
  const isLiteral = /^\[.*\]$/.test(domainText);
  const domain = isLiteral ? undefined : readMailDomain(decodeUtf8(domainText));
  if (domain?.ok === false) return err(clause("mailbox-no-domain", { found: decodeUtf8(domainText.slice(0, 80)) }));
  const display = decodeWords(
    (angle?.before ?? "")
      .trim()
      .replace(/^"(.*)"$/s, "$1")
      .replace(/\\(.)/g, "$1"),
  );
  return ok({
    display,
    local: decodeUtf8(local),
    domain: domain?.value,
    address: `${decodeUtf8(local)}@${decodeUtf8(domainText)}`,
  });
}

/** A name and an address without anything that needs care, as most fields are. */
const PLAIN = /^([A-Za-z0-9 ]*?) ?<([A-Za-z0-9._+=-]+)@([A-Za-z0-9-]+(?:\.[A-Za-z0-9-]+)+)>$/;

/**
 * Reads the addresses of a field such as From, an octet string: names, comments, groups (RFC 6854) and
 * internationalized addresses included. An empty group is neither an address nor a mistake.
 */
export function parseMailboxes(value: string): Result<Mailbox[], Clause> {
  const plain = PLAIN.exec(value);
  const domain = plain === null ? undefined : readMailDomain(plain[3] as string);
  if (plain !== null && domain?.ok)
    return ok([
      {
        display: decodeWords(plain[1] as string),
        local: plain[2] as string,
        domain: domain.value,
        address: `${plain[2]}@${plain[3]}`,
      },
    ]);
  const split = splitOutside(value, ",;:");
  if (!split.ok) return split;
  const mailboxes: Mailbox[] = [];
  let inGroup = false;
  for (const [i, part] of split.value.parts.entries()) {
    const end = split.value.ends[i];
    const isEmpty = part.replace(WHITE_SPACE, "") === "";
    // What is in front of a colon is the name of a group, a phrase, and the group ends at its semicolon.
    if (end === ":") {
      if (inGroup || isEmpty || /[@<>]/.test(part.replace(/"(?:[^"\\]|\\.)*(?:"|$)/gs, "")))
        return err(clause("mailbox-no-group"));
      inGroup = true;
      continue;
    }
    const wasInGroup = inGroup;
    if (end === ";") inGroup = false;
    if (end === "" && inGroup) return err(clause("mailbox-open-group"));
    if (isEmpty) continue;
    // Between a group and what follows it stands a comma.
    if (!wasInGroup && end !== ";" && i > 0 && split.value.ends[i - 1] === ";") return err(clause("mailbox-no-comma"));
    const mailbox = mailboxOf(part);
    if (!mailbox.ok) return mailbox;
    mailboxes.push(mailbox.value);
  }
  return ok(mailboxes);
}
