import { formsOf, without } from "../secrets.ts";

/** Secrets shorter than this are words that stand in many a sentence; nobody is helped by gaps in them. */
const SHORTEST = 4;

/**
 * A text from outside without secrets that it may echo, in whatever form. What stood there is shown as an ellipsis.
 *
 * @param secrets the secrets, and with `user` what is sent together with them
 */
export const redacted = (text: string, secrets: readonly (string | undefined)[], user = ""): string =>
  without(
    text,
    secrets.flatMap((secret) => (secret === undefined || secret.length < SHORTEST ? [] : formsOf(secret, user))),
  );
