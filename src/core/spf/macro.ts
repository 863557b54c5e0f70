/** What macros are expanded from (RFC 7208 section 7.2). */
export interface MacroContext {
  /** The sender's address; `local` is `postmaster` where it has none. */
  readonly local: string;
  readonly senderDomain: string;
  /** The domain whose record is being evaluated. */
  readonly domain: string;
  readonly helo: string;
  /** The client's address: dotted decimal, or 32 hexadecimal digits for IPv6. */
  readonly ip: { readonly version: 4 | 6; readonly text: string; readonly nibbles: string };
  /** The validated name of the client, `unknown` where there is none; only asked for where `%{p}` stands. */
  readonly validated: () => Promise<string>;
  /** For explanations only. */
  readonly receiver?: string;
  /** Seconds since 1970, for explanations only. */
  readonly time?: number;
}

async function macroValue(letter: string, context: MacroContext): Promise<string> {
  switch (letter) {
    case "s":
      return `${context.local}@${context.senderDomain}`;
    case "l":
      return context.local;
    case "o":
      return context.senderDomain;
    case "d":
      return context.domain;
    case "i":
      return context.ip.version === 4 ? context.ip.text : [...context.ip.nibbles].join(".");
    case "p":
      return context.validated();
    case "v":
      return context.ip.version === 4 ? "in-addr" : "ip6";
    case "h":
      return context.helo;
    case "c":
      return context.ip.text;
    case "r":
      return context.receiver ?? "unknown";
    default:
      return String(context.time ?? 0);
  }
}

const MACRO = /%(?:\{([a-z])(\d*)(r?)([.\-+,/_=]*)\}|([%_-]))/gi;

/** Expands the macros of a text (RFC 7208 section 7.3). An upper-case letter escapes the value for a URL. */
export async function expandMacros(text: string, context: MacroContext): Promise<string> {
  let expanded = "";
  let at = 0;
  for (const match of text.matchAll(MACRO)) {
    expanded += text.slice(at, match.index);
    at = match.index + match[0].length;
    const [, letter, digits, reverse, delimiters, literal] = match;
    if (literal !== undefined || letter === undefined) {
      expanded += literal === "_" ? " " : literal === "-" ? "%20" : "%";
      continue;
    }
    const value = await macroValue(letter.toLowerCase(), context);
    const separators = delimiters === undefined || delimiters === "" ? "." : delimiters;
    let parts = value.split(new RegExp(`[${separators.replace(/[-\]\\^]/g, "\\$&")}]`));
    if (reverse !== undefined && reverse !== "") parts = parts.reverse();
    const keep = digits === undefined || digits === "" ? 0 : Number(digits);
    if (keep > 0) parts = parts.slice(-keep);
    const txtValue = parts.join(".");
    expanded +=
      letter === letter.toUpperCase()
        ? encodeURIComponent(txtValue).replace(
            /[!'()*]/g,
            (character) => `%${character.charCodeAt(0).toString(16).toUpperCase()}`,
          )
        : txtValue;
  }
  return expanded + text.slice(at);
}

/** A target name of at most 253 characters: labels are taken off its left until it fits (RFC 7208 section 7.3). */
export function fitName(name: string): string {
  let fitting = name.replace(/\.$/, "");
  while (fitting.length > 253) {
    const dot = fitting.indexOf(".");
    if (dot === -1) return fitting.slice(-253);
    fitting = fitting.slice(dot + 1);
  }
  return fitting;
}
