import { type Clause, clause } from "../core/clause/index.ts";
import { err, ok, type Result } from "../core/result.ts";
import { fetchBounded } from "./fetch-bounded.ts";

/** Octets of a kit, at most. */
const MAX_KIT = 1 << 20;

/** Fetches a kit from an `https:` address, or from this machine. */
export async function fetchKit(url: string, timeout: number): Promise<Result<string, Clause>> {
  const answer = await fetchBounded(url, { timeout, most: MAX_KIT });
  if (!answer.ok) return answer;
  if (answer.value.status !== 200) return err(clause("peer-http-status", { status: answer.value.status }));
  try {
    // Its mark stays, so that the hash is that of the octets.
    return ok(new TextDecoder("utf-8", { fatal: true, ignoreBOM: true }).decode(answer.value.body));
  } catch {
    return err(clause("peer-not-text"));
  }
}
