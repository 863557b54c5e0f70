import type { Clock } from "../clock.ts";
import type { Purpose } from "../core/ask/index.ts";
import type { IntakeQuestion } from "../core/ask/intake/index.ts";
import type { Clause } from "../core/clause/index.ts";
import { Failure } from "../core/failure.ts";
import type { DomainName } from "../core/name/index.ts";
import type { ResourceRecord } from "../core/record/index.ts";
import type { Unsaid } from "../core/template/index.ts";
import type { SetChange } from "../core/zone/index.ts";
import type { Intake } from "./asks/new-ask.ts";

/** What a person is asked on the way; the words for it are the interface's. */
export type PersonQuestion =
  | { readonly kind: "paste-doubt"; readonly question: IntakeQuestion }
  | { readonly kind: "save-paste"; readonly intake: Intake }
  | { readonly kind: "replace-older"; readonly older: readonly string[] }
  | { readonly kind: "which-domain"; readonly domains: readonly DomainName[] }
  | { readonly kind: "which-ask"; readonly asks: readonly string[] }
  | { readonly kind: "change-host"; readonly domain: DomainName; readonly host: string }
  | { readonly kind: "kit-changed"; readonly name: string; readonly changes: readonly string[] }
  | { readonly kind: "kit-unsaid"; readonly kit: string; readonly unsaid: readonly Unsaid[] }
  | { readonly kind: "undo"; readonly changes: readonly SetChange[] }
  | { readonly kind: "write-host"; readonly title: string; readonly way: string; readonly known: boolean }
  | { readonly kind: "which-way" }
  | {
      /** It may also be answered by a new one. */
      readonly kind: "which-service";
      readonly known: readonly { readonly key: string; readonly title: string }[];
      /** The key of the one that it looks like. */
      readonly guess?: string;
    }
  | { readonly kind: "which-known-service"; readonly known: readonly { readonly key: string; readonly title: string }[] }
  | { readonly kind: "which-purpose"; readonly records: readonly ResourceRecord[]; readonly guess: Purpose };

/** What every use case needs from the world it runs in. Tests and the lab give it another one. */
export interface AppContext {
  /** The folder that relative paths of a request start from. */
  readonly cwd: string;
  readonly env: Readonly<Record<string, string | undefined>>;
  readonly clock: Clock;
  /** Whether somebody sits at the terminal and can be asked. */
  readonly interactive: boolean;
  /** Something in words, for a file or a message that is written. */
  inWords(clause: Clause): Promise<string>;
  /** Says something that is not a result, such as a warning. */
  tell(clause: Clause): Promise<void>;
  /** Gets something ready that can be said at once later, where nothing else happens until then. */
  prepare(clause: Clause): Promise<() => void>;
  /** Says how far long work has come, where somebody watches. */
  progress(clause: Clause): Promise<void>;
  /** Standard input as it comes. */
  input(): AsyncIterable<Buffer>;
  /** All of standard input as text; more than `maxOctets` are refused before they fill the memory. */
  readInput(maxOctets: number): Promise<string>;
  /** Whether a browser of this machine is at hand, so that a page can lead back here. */
  readonly browsesHere: boolean;
  /**
   * Asks the person at the terminal for a line, which may be empty; undefined where the question was left open, or `stop` took it back.
   * Only where `interactive`.
   */
  prompt(question: Clause, stop?: AbortSignal): Promise<string | undefined>;
  /** Asks the person to choose; the key of the choice, or undefined where the question was left open. Only where `interactive`. */
  choose(question: PersonQuestion): Promise<string | undefined>;
  /** Shows the address of a page in which the person has to do something, and opens it where they want that. */
  showPage(page: PageToOpen): Promise<void>;
}

/** A set by its place. */
interface SetOf {
  readonly name: DomainName;
  readonly type: string;
}

/** A page of somebody else that a person is sent to. */
export interface PageToOpen {
  /** Whose page it is, and on which host it really is. */
  readonly title: string;
  readonly host: string;
  readonly link: string;
  readonly open: boolean;
  readonly copy: boolean;
  /** What happens when it is approved: the sets that are published, and those that go. */
  readonly publishes: readonly SetOf[];
  readonly removes: readonly SetOf[];
  /** How long somebody waits for them to come back; 0 where nobody does. */
  readonly minutes: number;
}

/** The line that the person types; a question that is left open ends the command. */
export async function answerFrom({ prompt }: Pick<AppContext, "prompt">, question: Clause): Promise<string> {
  const answer = await prompt(question);
  if (answer === undefined) throw new Failure("question-left-open", {});
  return answer;
}

/** What every request carries. */
export interface CommonRequest {
  /** What was named: domains, asks, files. */
  readonly operands: readonly string[];
  /** The workspace folder, where it is not the one the context stands in. */
  readonly workspace: string | undefined;
}

/** How a use case ended: all is fine, a problem was found, the request or a file is wrong, or it could not be determined. */
export type Ended = "fine" | "problem" | "usage" | "undetermined";

/** The end of a use case. `result` is undefined where everything was handed over while it ran. */
export interface Outcome<R> {
  readonly ended: Ended;
  readonly result?: R;
}

/** The one thing a request names; the command line has counted. */
export function onlyOperand({ operands }: Pick<CommonRequest, "operands">): string {
  const [only, ...more] = operands;
  if (only === undefined || more.length > 0) throw new RangeError("this request names exactly one thing");
  return only;
}
