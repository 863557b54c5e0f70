/** Secrets shorter than this are words that stand in many a sentence; nobody is helped by gaps in them. */
const SHORTEST = 4;

/**
 * A text from outside without secrets that it may echo: as they are, in Base64 as SMTP sends them, and in the encoding
 * of URLs. What stood there is shown as an ellipsis.
 *
 * @param secrets the secrets, and with `user` what is sent together with them
 */
export function redacted(text: string, secrets: readonly (string | undefined)[], user = ""): string {
  const forms = secrets
    .filter((secret): secret is string => secret !== undefined && secret.length >= SHORTEST)
    .flatMap((secret) => [
      secret,
      Buffer.from(secret).toString("base64"),
      Buffer.from(secret).toString("base64url"),
      JSON.stringify(secret).slice(1, -1),
      Buffer.from(`\0${user}\0${secret}`).toString("base64"),
      encodeURIComponent(secret),
    ]);
  // The longest first: one may be a part of another.
  return forms.sort((a, b) => b.length - a.length).reduce((left, form) => left.replaceAll(form, "…"), text);
}
