import { clause } from "../clause/index.ts";
import { type MessageSource, scanMessage } from "../message/index.ts";
import { BodyHash } from "./canonical.ts";
import { type DkimVerdict, withBesides } from "./verify.ts";

/** Line ends before the end of a body that are tried as the end of what was signed. */
const LAST_LINES = 2000;

/**
 * Reads a message once more to say why its body does not fit a signature: something was added at its end, or
 * only the canonicalization is named wrongly. The verdict comes back with a better `because` where one is found.
 */
export async function explainBody(source: MessageSource, verdict: DkimVerdict): Promise<DkimVerdict> {
  const { signature, reason, besides } = verdict;
  if (reason !== "body-changed" || signature === undefined) return verdict;
  const digest = signature.bodyHash;
  const count = new BodyHash(signature.body);
  if (!(await scanMessage(source, () => [count])).ok) return verdict;
  const shorter = new BodyHash(signature.body, undefined, { digest, fromLine: Math.max(0, count.lines - LAST_LINES) });
  const otherHow = signature.body === "simple" ? "relaxed" : "simple";
  const other = new BodyHash(otherHow, signature.length);
  await scanMessage(source, () => [shorter, other]);
  if (shorter.foundAtLine !== undefined) {
    const added = shorter.lines - shorter.foundAtLine;
    return {
      ...verdict,
      because: withBesides(clause("dkim-lines-added", { added }), besides),
    };
  }
  if (other.digest === digest)
    return {
      ...verdict,
      because: withBesides(clause("dkim-canonicalization-misnamed", { otherHow, body: signature.body }), besides),
    };
  return verdict;
}
