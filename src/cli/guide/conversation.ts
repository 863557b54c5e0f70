import { isCancel, log, note, select, text } from "@clack/prompts";
import type { PersonQuestion } from "../../app/context.ts";
import type { DnsOptions } from "../../app/dns/context.ts";
import { promptFor } from "../../present/asks/intake-words.ts";
import { inWords } from "../../present/clauses/index.ts";
import { terminalSafe, visible, visibleLines } from "../../present/safe.ts";
import type { Context } from "../command.ts";
import { shownFor } from "../terminal.ts";

/** What the guide is asked: a domain, if any, and where the DNS is looked at. */
export type GuideRequest = DnsOptions & {
  readonly operands: readonly string[];
  readonly workspace: string | undefined;
  /** The kit to begin with, and its inputs. */
  readonly kit: string | undefined;
  readonly input: readonly string[];
};

/** The person left; everything that was done so far is kept. */
export class Left extends Error {}

/** An answer, or the end of the conversation. */
export function answered<T>(answer: T | symbol): T {
  if (isCancel(answer)) throw new Left();
  return answer as T;
}

/** A line that the person types. */
export const typed = async (options: Parameters<typeof text>[0]): Promise<string> =>
  // A kit or a service may be anybody's, and so may what it says of a field.
  answered<string>((await text({ ...options, message: terminalSafe(options.message) })) as string | symbol);

/** One of a few choices. */
export const pick = async <T extends string>(
  message: string,
  options: readonly { readonly value: T; readonly label: string; readonly hint?: string }[],
): Promise<T> =>
  answered(
    await select<string>({
      message: terminalSafe(message),
      options: options.map((option) => ({ ...option, label: terminalSafe(option.label) })),
    }),
  ) as T;

/** Shows a block of text beside the line of the conversation. */
export const show = (title: string, body: string): void => note(terminalSafe(body.trimEnd()), title);

/** The context of the use cases inside the conversation: questions become its prompts. */
export const talking = (context: Context, paste = ""): Context => ({
  ...context,
  interactive: true,
  tell: async (clause) => log.message(visible(inWords(clause))),
  prepare: async (clause) => () => log.message(visible(inWords(clause))),
  readInput: async () => paste,
  prompt: (question) => typed({ message: visibleLines(inWords(question)), defaultValue: "" }),
  async choose(question: PersonQuestion) {
    const shown = shownFor(question, context);
    const { text: asked, choices, usual } = promptFor(question, "");
    if (shown !== "") show(question.kind === "undo" ? "What is taken back" : "Read as", shown);
    const ordered =
      usual === undefined
        ? choices
        : [...choices.filter(({ key }) => key === usual), ...choices.filter(({ key }) => key !== usual)];
    return pick(
      asked,
      ordered.map(({ key, label }) => ({
        value: key,
        label: label === "" ? key : label,
        ...(label === "" ? {} : { hint: key }),
      })),
    );
  },
});
