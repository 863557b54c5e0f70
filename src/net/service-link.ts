import { z } from "zod";
import { err, ok, type Result } from "../core/result.ts";

/** The answer of a service to “do you see the record now?” (docs/service-link.md). */
const checkAnswer = z.object({ verdict: z.enum(["accepted", "not-yet"]), reason: z.string().max(500), checkedAt: z.string() });
export type CheckAnswer = z.output<typeof checkAnswer>;

/** Asks a service, over its link, to check what it asked for. The error is half a sentence. */
export async function askService(
  link: string,
  key: string | undefined,
  question: { readonly domain: string; readonly purpose: string },
  timeout: number,
): Promise<Result<CheckAnswer, string>> {
  try {
    const response = await fetch(`${link.replace(/\/$/, "")}/checks`, {
      method: "POST",
      headers: {
        "content-type": "application/json",
        accept: "application/json",
        ...(key === undefined ? {} : { authorization: `Bearer ${key}` }),
      },
      body: JSON.stringify(question),
      signal: AbortSignal.timeout(timeout),
      redirect: "error",
    });
    if (response.status === 401 || response.status === 403) return err("it does not accept the key of this workspace");
    if (!response.ok) return err(`it answered with HTTP status ${response.status}`);
    const text = await response.text();
    const answer = text.length <= 65_536 ? checkAnswer.safeParse(parseJson(text)) : undefined;
    return answer?.success ? ok(answer.data) : err("its answer is not of the form docs/service-link.md describes");
  } catch (error) {
    const { name, cause } = error as Error & { cause?: NodeJS.ErrnoException };
    return err(
      name === "TimeoutError" ? `it did not answer within ${timeout / 1000} s` : `it cannot be reached (${cause?.code ?? name})`,
    );
  }
}

function parseJson(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}
