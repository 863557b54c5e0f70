/** One result of one method (RFC 8601 section 2.2). */
interface MethodResult {
  /** In lower case: `dkim`, `spf`, `dmarc`, `arc` … */
  readonly method: string;
  /** In lower case: `pass`, `fail` … */
  readonly result: string;
  /** By `ptype.property` in lower case, such as `header.from`. */
  readonly properties: ReadonlyMap<string, string>;
}

/** What a receiver wrote down about a message. */
export interface AuthenticationResults {
  /** The name of whoever judged. */
  readonly authserv: string;
  readonly results: readonly MethodResult[];
}

/** Text without comments, which may be nested (RFC 5322 section 3.2.2); quoted strings stay as they are. */
export function withoutComments(text: string): string {
  let kept = "";
  let depth = 0;
  let quoted = false;
  for (let i = 0; i < text.length; i++) {
    const character = text[i] as string;
    if (character === "\\" && (quoted || depth > 0)) {
      if (depth === 0) kept += text.slice(i, i + 2);
      i += 1;
    } else if (character === '"' && depth === 0) {
      quoted = !quoted;
      kept += character;
    } else if (!quoted && character === "(") depth += 1;
    else if (!quoted && character === ")" && depth > 0) {
      depth -= 1;
      kept += " ";
    } else if (depth === 0) kept += character;
  }
  return kept;
}

/** A text cut at the semicolons that stand outside quotes. */
function parts(text: string): string[] {
  const all = [""];
  let quoted = false;
  for (let i = 0; i < text.length; i++) {
    const character = text[i] as string;
    if (character === "\\" && quoted) {
      all[all.length - 1] += text.slice(i, i + 2);
      i += 1;
      continue;
    }
    if (character === '"') quoted = !quoted;
    if (character === ";" && !quoted) all.push("");
    else all[all.length - 1] += character;
  }
  return all.map((part) => part.trim());
}

const unquoted = (text: string): string =>
  text.startsWith('"') ? text.slice(1, text.endsWith('"') ? -1 : undefined).replace(/\\(.)/g, "$1") : text;

/** Characters of a name at most; longer ones are no names. */
const MAX_NAME = 80;
const isBlank = (character: string | undefined): boolean => character === " " || character === "\t";

const isNameCharacter = (character: string): boolean => /[\w./-]/.test(character);

/** Every `name=value` of a text, blanks around the equals sign allowed: the name in lower case, the value without its quotes. */
function pairsIn(text: string): (readonly [string, string])[] {
  const pairs: (readonly [string, string])[] = [];
  for (let equals = text.indexOf("="), from = 0; equals !== -1; equals = text.indexOf("=", from)) {
    let end = equals;
    while (end > from && isBlank(text[end - 1])) end -= 1;
    let first = end;
    while (first > from && end - first < MAX_NAME && isNameCharacter(text[first - 1] as string)) first -= 1;
    const name = text.slice(first, end);
    let start = equals + 1;
    while (isBlank(text[start])) start += 1;
    let stop = start + 1;
    if (text[start] === '"') {
      while (stop < text.length && text[stop] !== '"') stop += text[stop] === "\\" ? 2 : 1;
      stop += 1;
    } else while (stop < text.length && !isBlank(text[stop])) stop += 1;
    from = Math.min(stop, text.length);
    if (name !== "" && start < text.length) pairs.push([name.toLowerCase(), unquoted(text.slice(start, from))]);
  }
  return pairs;
}

/**
 * Reads the value of an Authentication-Results field, or of its sibling in an ARC set behind the instance. What is not of the form
 * is passed over: it is evidence that somebody gives, and decides nothing by itself.
 */
export function readAuthenticationResults(value: string): AuthenticationResults {
  const [first = "", ...rest] = parts(withoutComments(value.replace(/\r\n/g, "")));
  const results = rest.flatMap((part): MethodResult[] => {
    const [result, ...properties] = pairsIn(part);
    if (result === undefined || result[0].includes(".")) return [];
    return [
      { method: result[0].replace(/\/\d+$/, ""), result: result[1].toLowerCase(), properties: new Map(properties.reverse()) },
    ];
  });
  return { authserv: unquoted(/^(?:"(?:[^"\\]|\\.)*"|\S+)/.exec(first)?.[0] ?? ""), results };
}
