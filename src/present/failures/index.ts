import { isAbsolute, relative } from "node:path";
import { Failure, type FailureCode, type FailureKind, type Failures } from "../../core/failure.ts";
import { joined } from "../joined.ts";
import { visible } from "../safe.ts";
import { ASKS } from "./asks.ts";
import { COMMAND_LINE } from "./command-line.ts";
import { FILES } from "./files.ts";
import { LAB } from "./lab.ts";
import { LOOKING } from "./looking.ts";
import { MAIL_RECORDS } from "./mail-records.ts";
import { MESSAGES } from "./messages.ts";
import { NAMES } from "./names.ts";
import { PUBLISHING } from "./publishing.ts";
import { SERVICES } from "./services.ts";
import type { ParamsOf, Said } from "./words.ts";
import { WORKSPACE } from "./workspace.ts";

const FAILURES = joined(ASKS, COMMAND_LINE, FILES, LAB, LOOKING, MAIL_RECORDS, MESSAGES, NAMES, PUBLISHING, SERVICES, WORKSPACE);

declare module "../../core/failure.ts" {
  interface Failures extends ParamsOf<typeof FAILURES> {}
}

/** How a failure ends the run. */
export const kindOf = (code: FailureCode): FailureKind => FAILURES[code].kind;

/** Paths as people see them: relative to the folder they are in, where that is shorter. */
const withNearPaths = <P extends object>(params: P, from: string): P =>
  Object.fromEntries(
    Object.entries(params).map(([key, value]) => [
      key,
      typeof value === "string" && isAbsolute(value) ? nearPath(value, from) : value,
    ]),
  ) as P;

function nearPath(path: string, from: string): string {
  const near = relative(from, path);
  return near !== "" && near.length < path.length && !near.startsWith("../../") ? near : path;
}

/** What a failure says, for people and for `--json`. */
export function explainFailure<C extends FailureCode>(
  { code, params }: Pick<Failure<C>, "code" | "params">,
  from?: string,
): Said {
  const say = FAILURES[code].say as (params: Failures[C]) => Said;
  return say(from === undefined ? params : withNearPaths(params, from));
}

/** Whatever went wrong, as one sentence; what nobody foresaw is named by its own words. */
export const errorSentence = (error: unknown): string =>
  error instanceof Failure
    ? failureSentence(error)
    : `something went wrong that nobody foresaw (${visible((error as Error)?.message ?? String(error)).slice(0, 300)}): it is tried again.`;

/** A failure as one sentence: what happened and where, and what to do now. */
export function failureSentence(failure: Failure, from?: string): string {
  const { message, remedy } = explainFailure(failure, from);
  return `${message}${/[?]$/.test(message) ? " " : ": "}${remedy}.`;
}
