import type * as z from "zod";
import type { AppContext, Outcome } from "../app/context.ts";
import type { Layout } from "../present/layout.ts";
import type { OptionTable, RequestOf } from "./options.ts";

/** The world a command runs in. */
export interface Context extends AppContext, Layout {
  /** Whether results go to a terminal. */
  readonly live: boolean;
  readonly json: boolean;
  /** Writes results: the only way to standard output. */
  out(text: string): void;
  /** Writes octets that are the result themselves, such as a signed message; done when they are handed over. */
  write(octets: Buffer): Promise<void>;
}

/** One command: what it takes, the use case it calls, and how people see the result. */
export interface Command<O extends OptionTable = OptionTable, R = unknown, J = R> {
  readonly name: string;
  /** What is behind the name: `[DOMAIN..]`. */
  readonly operands: string;
  /** Whether its DOMAIN is one that is not there yet, so that none can be picked from a list. */
  readonly makesDomain?: boolean;
  readonly summary: string;
  /** Two or more real examples: the command line, and what it does. */
  readonly examples: readonly (readonly [string, string])[];
  readonly options: O;
  /** The shape of `--json`; published under docs/schemas. */
  readonly schema?: z.ZodType<J>;
  /** Why there is no `--json`, in a clause, for a command whose result is a stream or octets. */
  readonly noJson?: string;
  readonly run: (request: RequestOf<O>, context: Context) => Promise<Outcome<R>>;
  /** The result as its schema says, where it is not that by itself; loaded only where `--json` asks for it. */
  readonly json?: (result: R) => J | Promise<J>;
  /** The result for people; loaded only where people read it. */
  readonly text?: (result: R, layout: Layout) => string | Promise<string>;
}

/** Only names the type parameters. */
export const command = <const O extends OptionTable, R, J = R>(definition: Command<O, R, J>): Command<O, R, J> => definition;
