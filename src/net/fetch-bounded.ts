import { isIP } from "node:net";
import { type Clause, clause } from "../core/clause/index.ts";
import { err, ok, type Result } from "../core/result.ts";

/** An answer that was read whole, and not more of it than was asked for. */
export interface Fetched {
  readonly status: number;
  readonly body: Buffer;
  /** The header `content-type`, in small letters. */
  readonly contentType: string;
}

export interface FetchOptions {
  /** Longest wait for the whole answer, in milliseconds. */
  readonly timeout: number;
  /** Octets of the answer, at most. */
  readonly most: number;
  readonly method?: string;
  readonly headers?: Readonly<Record<string, string>>;
  readonly body?: string;
}

/** Whether a host name is this machine: only there anything may be asked without TLS. */
export const isLoopback = (host: string): boolean => {
  const bare = host.replace(/^\[|\]$/g, "");
  return bare === "localhost" || bare === "::1" || (isIP(bare) === 4 && bare.startsWith("127."));
};

/** Whether an address may be asked or shown to a person: `https:`, or `http:` on this machine, without a password in it. */
export function isSafeAddress(text: string): boolean {
  if (!URL.canParse(text)) return false;
  const { protocol, hostname, username, password } = new URL(text);
  return username === "" && password === "" && (protocol === "https:" || (protocol === "http:" && isLoopback(hostname)));
}

/** Asks one address, follows no redirect, and reads a bounded answer. */
export async function fetchBounded(url: string, options: FetchOptions): Promise<Result<Fetched, Clause>> {
  if (!isSafeAddress(url)) return err(clause("peer-not-https"));
  const { timeout, most, ...asked } = options;
  try {
    const response = await fetch(url, { ...asked, signal: AbortSignal.timeout(timeout), redirect: "manual" });
    const chunks: Uint8Array[] = [];
    let length = 0;
    for await (const chunk of response.body ?? []) {
      length += chunk.length;
      if (length > most) return err(clause("peer-too-large", { kibibytes: most >> 10 }));
      chunks.push(chunk);
    }
    return ok({
      status: response.status,
      body: Buffer.concat(chunks),
      contentType: (response.headers.get("content-type") ?? "").toLowerCase(),
    });
  } catch (error) {
    const { name, cause } = error as Error & { cause?: NodeJS.ErrnoException };
    return err(
      name === "TimeoutError"
        ? clause("peer-no-answer", { seconds: timeout / 1000 })
        : clause("peer-unreachable", { why: cause?.code ?? name }),
    );
  }
}
