/**
 * The secrets that this process has read, and the one redaction: whatever leaves the program for a person or a file of its own goes through
 * {@link withoutSecrets}, in whatever form a secret may have got there.
 */

/** Secrets shorter than this are words that stand in many a sentence; nobody is helped by gaps in them. */
const SHORTEST = 6;

const known = new Set<string>();
let forms: readonly string[] = [];

/** What a secret looks like: as it is, in Base64 as SMTP sends it with its user, in JSON, and in the encoding of URLs. */
export const formsOf = (secret: string, user = ""): string[] => [
  secret,
  Buffer.from(secret).toString("base64"),
  Buffer.from(secret).toString("base64url"),
  JSON.stringify(secret).slice(1, -1),
  Buffer.from(`\0${user}\0${secret}`).toString("base64"),
  encodeURIComponent(secret),
];

/** A text with an ellipsis in the place of each form. */
export const without = (text: string, some: readonly string[], mark = "…"): string =>
  // The longest first: one may be a part of another.
  [...some].sort((a, b) => b.length - a.length).reduce((left, form) => left.replaceAll(form, mark), text);

/** What of an address is secret: its password, also as it is written there, and what its query says of one. */
export function secretsIn(address: string): string[] {
  if (!URL.canParse(address)) return [];
  const { password, searchParams } = new URL(address);
  const written = password === "" ? [] : [...new Set([password, decoded(password)])];
  return [...written, ...[...searchParams].flatMap(([name, value]) => (SECRET_NAME.test(name) && value !== "" ? [value] : []))];
}

/** A part of an address as it was meant; a percent sign that begins nothing stands for itself. */
function decoded(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}

/** Names by which a query gives away a secret. */
const SECRET_NAME = /pass|pwd|secret|token|credential|signature|^sig$|^auth$|(?:^|[-_])key$|^apikey$/i;

/** Remembers a secret that was read, so that it is nowhere shown; of an address what is secret in it. */
export function rememberSecret(secret: string): void {
  const parts = secretsIn(secret);
  for (const part of parts.length > 0 ? [...parts, secret] : [secret]) if (part.length >= SHORTEST) known.add(part);
  forms = [...new Set([...known].flatMap((one) => formsOf(one)))];
}

/** A text without any secret that this process has read. */
export const withoutSecrets = (text: string): string => (forms.length === 0 ? text : without(text, forms));

/** The same for octets, of which only secrets change, in whatever script they are. */
export function octetsWithoutSecrets(octets: Uint8Array): Uint8Array {
  if (forms.length === 0) return octets;
  const asOctets = (text: string): string => Buffer.from(text).toString("latin1");
  return Buffer.from(without(Buffer.from(octets).toString("latin1"), forms.map(asOctets), asOctets("…")), "latin1");
}

/**
 * What is told of something, within what is kept of it: a secret may have got there from outside. Names and records are kept to the letter,
 * even where a word of them is somebody's secret.
 */
export const toldWithoutSecrets = (key: string, value: unknown): unknown =>
  forms.length > 0 && TOLD.has(key) && value !== undefined ? JSON.parse(withoutSecrets(JSON.stringify(value))) : value;

/** Keys under which words from outside are kept. */
const TOLD: ReadonlySet<string> = new Set(["because", "reason"]);

/**
 * Whether an address gives a secret away to whoever sees it: a password or a name of somebody in front of its host, or a secret in its
 * query.
 */
export function givesAway(address: string): boolean {
  // What has no slashes behind its scheme may still have a password in front of its host.
  if (/^[a-z][a-z0-9+.-]*:(?!\/\/)[^/]*:[^/]*@/i.test(address)) return true;
  if (!URL.canParse(address)) return false;
  const { username, password } = new URL(address);
  return username !== "" || password !== "" || secretsIn(address).length > 0;
}
