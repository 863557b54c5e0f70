import { openSync } from "node:fs";
import { createInterface } from "node:readline";
import { ReadStream } from "node:tty";
import type { PersonQuestion } from "../app/context.ts";
import { understoodText } from "../present/asks/intake.ts";
import { promptFor } from "../present/asks/intake-words.ts";
import type { Layout } from "../present/layout.ts";
import { reversalText } from "../present/publishing/undo.ts";
import { terminalSafe } from "../present/safe.ts";

/** Where the person at the terminal types, also where standard input is a paste; undefined where there is no terminal. */
function openTerminal(): { input: NodeJS.ReadStream; close: () => void } | undefined {
  if (process.stdin.isTTY && !process.stdin.readableEnded && !process.stdin.destroyed)
    return { input: process.stdin, close: () => process.stdin.pause() };
  try {
    const input = new ReadStream(openSync("/dev/tty", "r"));
    return { input, close: () => input.destroy() };
  } catch {
    return undefined;
  }
}

/** Asks one line; undefined where the input ends instead, as Ctrl-D does, or the question is taken back. */
export async function askLine(question: string, stop?: AbortSignal): Promise<string | undefined> {
  const terminal = stop?.aborted === true ? undefined : openTerminal();
  if (terminal === undefined) return undefined;
  const lines = createInterface({ input: terminal.input, output: process.stderr });
  try {
    return await new Promise<string | undefined>((resolve) => {
      lines.once("close", () => resolve(undefined));
      stop?.addEventListener("abort", () => lines.close(), { once: true });
      lines.question(terminalSafe(question), (answer) => resolve(answer.trim()));
    });
  } finally {
    lines.close();
    terminal.close();
  }
}

/** What a question is about, shown above it. */
export function shownFor(question: PersonQuestion, layout: Layout): string {
  if (question.kind === "save-paste") return understoodText(question.intake, layout);
  return question.kind === "undo" ? reversalText(question.changes) : "";
}

/** Shows a question with its choices until one of them is given; undefined where it is left open. */
export async function chooseAtTerminal(question: PersonQuestion, layout: Layout): Promise<string | undefined> {
  const { text, choices, usual } = promptFor(question, shownFor(question, layout));
  const listed = choices
    .map(({ key, label }) => `  ${key}${key === usual ? " (Enter)" : ""}${label === "" ? "" : `: ${label}`}\n`)
    .join("");
  process.stderr.write(terminalSafe(`${text}\n${listed}`));
  for (;;) {
    const answer = await askLine("> ");
    if (answer === undefined) return undefined;
    if (answer === "" && usual !== undefined) return usual;
    const exact = choices.find(({ key }) => key === answer);
    const begun = choices.filter(({ key }) => answer !== "" && key.toLowerCase().startsWith(answer.toLowerCase()));
    if (exact !== undefined) return exact.key;
    if (begun.length === 1) return (begun[0] as { key: string }).key;
    process.stderr.write("Please type one of these words.\n");
  }
}
