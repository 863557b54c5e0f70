import { type Clause, clause, verbatim } from "../core/clause/index.ts";
import { err, ok, type Result } from "../core/result.ts";
import { type AnswerOf, type BodyOf, MAX_ANSWER, OPERATIONS, type OperationName, refusal } from "../core/sending/index.ts";
import { redacted } from "./redact.ts";

/** Where a service is asked, and with what. */
export interface LinkTo {
  readonly url: string;
  /** The bearer key; undefined asks without one. */
  readonly key: string | undefined;
  /** Longest wait for the whole answer, in milliseconds. */
  readonly timeout: number;
}

/**
 * Why a service did not do what it was asked. `because` is half a sentence. `key`: the key is not good enough for it;
 * `unknown`: there is no such thing; `not-now`: the service says what is missing; `failed`: it answered in no form the
 * contract knows; `unreachable`: it did not answer. After the last two nobody can say.
 */
export interface LinkFailure {
  readonly kind: "key" | "unknown" | "not-now" | "failed" | "unreachable";
  readonly because: Clause;
}

const unreachable = (because: Clause) => err({ kind: "unreachable" as const, because });
const failed = (because: Clause) => err({ kind: "failed" as const, because });

/** Reads an answer, and not more of it than any answer may have. */
async function bounded(response: Response): Promise<unknown> {
  const chunks: Uint8Array[] = [];
  let length = 0;
  for await (const chunk of response.body ?? []) {
    length += chunk.length;
    if (length > MAX_ANSWER) return undefined;
    chunks.push(chunk);
  }
  try {
    return JSON.parse(Buffer.concat(chunks).toString("utf8"));
  } catch {
    return undefined;
  }
}

/** Asks a service one thing over its link (docs/service-link.md). `at` fills the blanks of the path. */
export async function askLink<N extends OperationName>(
  { url, key, timeout }: LinkTo,
  name: N,
  { at = {}, body }: { readonly at?: Readonly<Record<string, string>>; readonly body?: BodyOf<N> } = {},
): Promise<Result<AnswerOf<N>, LinkFailure>> {
  const operation = OPERATIONS[name];
  const path = operation.path.replace(/\{(\w+)\}/g, (_, blank: string) => encodeURIComponent(at[blank] ?? ""));
  try {
    const response = await fetch(`${url.replace(/\/$/, "")}${path}`, {
      method: operation.method,
      headers: {
        accept: "application/json",
        ...(body === undefined ? {} : { "content-type": "application/json" }),
        ...(key === undefined ? {} : { authorization: `Bearer ${key}` }),
      },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      signal: AbortSignal.timeout(timeout),
      redirect: "error",
    });
    const answer = await bounded(response);
    const zodSafeParseResult = refusal.safeParse(answer);
    const told = zodSafeParseResult.success ? redacted(zodSafeParseResult.data.error, [key]) : undefined;
    switch (response.status) {
      case 401:
        return err({ kind: "key", because: clause("peer-key-not-accepted") });
      case 403:
        return err({ kind: "key", because: clause("peer-key-may-not", { said: told }) });
      case 404:
        return err({ kind: "unknown", because: clause("peer-unknown-there", { said: told }) });
      case 409:
      case 422:
        return err({
          kind: "not-now",
          because: told === undefined ? clause("peer-http-status", { status: response.status }) : verbatim(told),
        });
      case operation.status: {
        if (operation.answer === undefined) return ok(undefined as AnswerOf<N>);
        const parsed = operation.answer.safeParse(answer);
        return parsed.success ? ok(parsed.data as AnswerOf<N>) : failed(clause("peer-link-form"));
      }
      default:
        return failed(clause("peer-http-status", { status: response.status }));
    }
  } catch (error) {
    const { name: what, cause } = error as Error & { cause?: NodeJS.ErrnoException };
    return unreachable(
      what === "TimeoutError"
        ? clause("peer-no-answer", { seconds: timeout / 1000 })
        : clause("peer-unreachable", { why: cause?.code ?? what }),
    );
  }
}
