import type { Options } from "yargs";
import type { z } from "zod";
import type { Clock } from "../clock.ts";
import type { ExitCode } from "../core/user-error.ts";
import type { Style } from "../present/index.ts";

/** The world a command runs in. Tests and the lab give it another one. */
export interface Context {
  readonly cwd: string;
  readonly env: Readonly<Record<string, string | undefined>>;
  readonly clock: Clock;
  readonly style: Style;
  /** Columns of the terminal; 100 where the output is not one. */
  readonly width: number;
  /** Whether somebody sits at the terminal and can be asked. */
  readonly interactive: boolean;
  /** Whether results go to a terminal. */
  readonly live: boolean;
  readonly json: boolean;
  /** Writes results: the only way to standard output. */
  out(text: string): void;
  /** Writes octets that are the result themselves, such as a signed message; done when they are handed over. */
  write(octets: Buffer): Promise<void>;
  /** Writes what is not a result: warnings, progress. */
  note(text: string): void;
  /** Standard input as it comes. */
  input(): AsyncIterable<Buffer>;
  /** All of standard input as text. */
  readInput(mostOctets: number): Promise<string>;
  /** Asks the person at the terminal; only where `interactive`. */
  prompt(question: string): Promise<string>;
}

/** How a command ended. `result` is what `--json` shows; `text` is the same for people. */
interface Outcome<R> {
  readonly exit: ExitCode;
  readonly result?: R;
}

/** What a command line says, after yargs read it. */
export type Arguments = Readonly<Record<string, unknown>> & { readonly _: readonly string[] };

/** One command: its options, its examples, what it computes, and how people see that. */
export interface Command<R = unknown> {
  readonly name: string;
  /** What stands behind the name: `[DOMAIN..]`. */
  readonly operands: string;
  readonly summary: string;
  /** Two or more real examples: the command line, and what it does. */
  readonly examples: readonly (readonly [string, string])[];
  readonly options: Readonly<Record<string, Options>>;
  /** The shape of `--json`; published under docs/schemas. */
  readonly schema?: z.ZodType<R>;
  run(args: Arguments, context: Context): Promise<Outcome<R>>;
  present?(result: R, context: Context): string;
}

/** Only names the type parameter. */
export const command = <R>(definition: Command<R>): Command<R> => definition;
